import { afterEach, describe, expect, it } from 'vitest';
import { pressed } from './keys';

function page(html: string): void {
  document.body.innerHTML = html;
}

function press(key: string): boolean {
  const at = document.activeElement ?? document.body;
  let asked = false;
  const heard = (e: Event) => (asked = pressed(e as KeyboardEvent));
  document.addEventListener('keydown', heard);
  at.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }));
  document.removeEventListener('keydown', heard);
  return asked;
}

const focused = () => document.activeElement?.id;

describe('the keyboard', () => {
  afterEach(() => page(''));

  it('finds with a slash and leaves with Esc', () => {
    page('<input id="find" data-find />');
    press('/');
    expect(focused()).toBe('find');
    press('Escape');
    expect(focused()).not.toBe('find');
  });

  it('asks for the list of keys, but not while a person types', () => {
    page('<input id="find" data-find />');
    expect(press('?')).toBe(true);
    press('/');
    expect(press('?')).toBe(false);
  });

  it('walks the rows and stops at the ends', () => {
    page(
      '<main><p data-row><a id="a" href="/" data-open>a</a></p><p data-row><a id="b" href="/" data-open>b</a></p></main>'
    );
    const seen = ['ArrowDown', 'ArrowDown', 'ArrowDown', 'ArrowUp', 'ArrowUp'].map(
      (k) => (press(k), focused())
    );
    expect(seen).toEqual(['a', 'b', 'b', 'a', 'a']);
  });
});

// @vitest-environment happy-dom
import { afterEach, describe, expect, it } from 'vitest';
import { pressed } from './keys';

function page(html: string): void {
  document.body.innerHTML = html;
}

function press(key: string, ctrlKey = false): string | undefined {
  const at = document.activeElement ?? document.body;
  let asked: string | undefined;
  const heard = (e: Event) => (asked = pressed(e as KeyboardEvent));
  document.addEventListener('keydown', heard);
  at.dispatchEvent(new KeyboardEvent('keydown', { key, ctrlKey, bubbles: true, cancelable: true }));
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
    expect(press('?')).toBe('keys');
    press('/');
    expect(press('?')).toBeUndefined();
  });

  it('asks for the palette from wherever the focus is', () => {
    page('<input id="find" data-find />');
    document.getElementById('find')!.focus();
    expect(press('k', true)).toBe('find');
    expect(press('k')).toBeUndefined();
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

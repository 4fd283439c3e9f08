import { describe, expect, it } from 'vitest';
import type { TextValue } from '../api/client';
import { askingOf, didTo, boundsIn, choicesIn, flipped, named, troubleWith } from './values';

const value = (v: Partial<TextValue>): TextValue => ({ path: '/a', line: 1, kind: 'value', ...v });

describe('what a form knows of a value', () => {
  it('have what was done to them, and not to others that begin so', () => {
    const e = {
      at: 't',
      deployment: 'a#2',
      actor: 'mora',
      did: ['sets /rows to 4', 'sets /rows-deep to 9', 'adds /rows: 3']
    };
    expect(didTo([e], '/rows').map((d) => d.what)).toEqual(['sets /rows to 4', 'adds /rows: 3']);
  });
  it('offers what the rulebook says it may be, and what stands there', () => {
    const v = {
      path: '/home',
      line: 1,
      kind: 'value',
      type: 'text',
      value: 'saltpam',
      choices: ['reedbank', 'saltpan']
    };
    expect(askingOf(v)).toMatchObject({ how: 'choice', choices: ['saltpam', 'reedbank', 'saltpan'] });
    expect(askingOf({ ...v, value: 'saltpan' }).choices).toEqual(['reedbank', 'saltpan']);
  });
  it('takes choices out of a comment, and no prose', () => {
    expect(choicesIn('how the tide runs: one of mild, wild or still', 'wild')).toEqual([
      'mild',
      'wild',
      'still'
    ]);
    expect(choicesIn('low | mid | high', 'mid')).toEqual(['low', 'mid', 'high']);
    expect(choicesIn('one of mild, wild', 'strange')).toEqual([]);
    expect(choicesIn('either you like it, or you do not like it at all', 'like')).toEqual([]);
  });
  it('takes bounds out of a comment', () => {
    expect(boundsIn('lamps, 0-100')).toEqual({ least: 0, most: 100 });
    expect(boundsIn('from 2 to 8')).toEqual({ least: 2, most: 8 });
    expect(boundsIn('at most 9 boats')).toEqual({ least: undefined, most: 9 });
    expect(boundsIn('since 1999')).toEqual({ least: undefined, most: undefined });
  });
  it('asks by the type and the look', () => {
    expect(askingOf(value({ type: 'bool', value: 'true' })).how).toBe('switch');
    expect(askingOf(value({ type: 'text', value: 'Off' })).how).toBe('switch');
    expect(askingOf(value({ type: 'number', value: '4', comment: '1-8' })).bounds).toBe(
      'at least 1, at most 8'
    );
    expect(askingOf(value({ type: 'text', value: '#ffcc00' })).how).toBe('colour');
    expect(askingOf(value({ type: 'text', value: 'x', secret: true })).how).toBe('secret');
    expect(askingOf(value({ type: 'text', value: 'Gull Bay' })).how).toBe('text');
  });
  it('turns a switch in the words of the text', () => {
    expect(['true', 'No', 'ON', 'yes'].map(flipped)).toEqual(['false', 'Yes', 'OFF', 'no']);
  });
  it('says what is wrong with a number', () => {
    const asked = askingOf(value({ type: 'number', value: '4', comment: '1-8' }));
    expect(troubleWith(asked, '9')).toBe('The comment says at most 8.');
    expect(troubleWith(asked, 'nine')).toBe('This is no number.');
    expect(troubleWith(asked, '7')).toBe('');
  });
  it('names a value by its last step', () => {
    expect(named('/harbour/lamps/0')).toEqual({ name: '0', above: 'harbour › lamps' });
    expect(named('/a~1b')).toEqual({ name: 'a/b', above: '' });
  });
});

import { describe, expect, it } from 'vitest';
import { blamed, told, type Narrowing } from './narrow';

const search = (n: Partial<Narrowing>): Narrowing => ({
  by: 'owner',
  most: 0,
  off: [],
  suspects: [],
  tried: 1,
  ...n
});

describe('a search by halves', () => {
  it('says how many it may still be', () => {
    const n = search({ suspects: ['a', 'b', 'c'], off: ['a'], most: 2 });
    expect(told(n, 'pier')).toBe('It may be one of 3 add-ons; 2 questions more at most.');
    expect(blamed(n)).toBeUndefined();
    expect(told(search({ suspects: ['ropes'], most: 1 }), 'pier')).toBe(
      'It may be ropes; 1 question more at most.'
    );
  });
  it('blames one, and says that all is as it was', () => {
    const n = search({ over: true, suspects: ['ropes'] });
    expect(told(n, 'pier')).toBe(
      'It is ropes: with it alone off it does not happen. Everything on pier is as it was.'
    );
    expect(blamed(n)).toBe('ropes');
  });
  it('blames nobody where the server came up in the end as it was', () => {
    const n = search({ over: true, byStart: true, suspects: ['ropes'] });
    expect(told(n, 'pier')).toContain('None of them keeps pier down now');
    expect(blamed(n)).toBeUndefined();
    expect(blamed(search({ over: true, byStart: true, down: 'no answer', suspects: ['ropes'] }))).toBe(
      'ropes'
    );
  });
  it('blames nobody where several cannot be told apart, or none alone does it', () => {
    expect(blamed(search({ over: true, suspects: ['a', 'b'] }))).toBeUndefined();
    expect(told(search({ over: true, suspects: ['a', 'b'] }), 'pier')).toContain('cannot be told apart');
    expect(told(search({ over: true }), 'pier')).toContain('none of them alone');
  });
  it('says what was left where not all is as it was', () => {
    const n = search({ over: true, suspects: ['ropes'], note: 'ropes was taken off meanwhile' });
    expect(told(n, 'pier')).toMatch(/Ropes was taken off meanwhile\.$/);
    expect(told(n, 'pier')).not.toContain('as it was.');
  });
});

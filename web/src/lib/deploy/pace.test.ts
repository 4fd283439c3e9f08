import { describe, expect, it } from 'vitest';
import { about, Pace } from './pace';

describe('a pace', () => {
  it('is that of the last ten seconds, in bytes while files are sent', () => {
    const p = new Pace();
    p.take(0, 'prepare', 0, 0);
    p.take(1000, 'prepare', 1000, 1);
    expect(p.rate).toBeUndefined(); // too little was seen
    p.take(2000, 'prepare', 2000, 2);
    expect(p.rate).toBe(1000);
    expect(p.left(30_000, 5)).toBe(30);
    for (let s = 3; s <= 20; s++) p.take(s * 1000, 'prepare', 2000 + (s - 2) * 4000, 2 + s);
    expect(p.rate).toBe(4000);
  });

  it('is one of motions where nothing is sent, and begins anew with a phase', () => {
    const p = new Pace();
    p.take(0, 'prepare', 0, 0);
    p.take(5000, 'prepare', 50_000, 10);
    p.take(6000, 'swap', 50_000, 10);
    expect(p.left(0, 100)).toBeUndefined();
    p.take(10_000, 'swap', 50_000, 50);
    expect(p.rate).toBeUndefined();
    expect(p.left(0, 100)).toBe(10);
    expect(p.left(0, 0)).toBeUndefined();
  });

  it('that stands still tells no time', () => {
    const p = new Pace();
    p.take(0, 'swap', 0, 3);
    p.take(5000, 'swap', 0, 3);
    expect(p.left(0, 7)).toBeUndefined();
  });

  it('is told as people say it', () => {
    expect([3, 44, 89, 100, 5000, 20_000].map(about)).toEqual([
      'a few seconds',
      'about 40 s',
      'about 90 s',
      'about 2 min',
      'about 83 min',
      'about 6 h'
    ]);
  });
});

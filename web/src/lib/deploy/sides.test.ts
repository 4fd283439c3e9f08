import { describe, expect, it } from 'vitest';
import type { Finding } from '../api/client';
import { decided, stands, whose } from './sides';

const conflict = (at: string) =>
  ({ code: 'settings-conflict', remedies: [{ do: 'keep-mine', with: at }] }) as Finding;

describe('the sides of conflicts', () => {
  it('are decided by PATH:KEY, as many as were chosen', () => {
    const all = [conflict('a.yaml:/x'), conflict('a.yaml:/y')];
    expect(decided(all, {})).toBeUndefined();
    expect(decided(all, { 'a.yaml:/x': 'mine' })).toEqual({ keep: { 'a.yaml:/x': 'mine' }, left: 1 });
    expect(decided(all, { 'a.yaml:/x': 'mine', 'a.yaml:/y': 'theirs' })?.left).toBe(0);
    expect(decided(all, { 'b.yaml:/z': 'mine' })).toBeUndefined();
  });
  it('say what stands there, and where nothing does', () => {
    expect(stands('')).toBe('(nothing)');
    expect(stands('a\nb\r\n')).toBe('a\nb');
    expect(whose({ code: 'other' } as Finding)).toBe('');
  });
});

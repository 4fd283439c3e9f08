import { describe, expect, it } from 'vitest';
import type { TextShown } from '../api/client';
import { edited, notWhole, toBase64 } from './bytes';

const shown = (t: Partial<TextShown>): TextShown => ({
  path: 'a.ini',
  size: 3,
  format: 'ini',
  encoding: 'utf-8',
  owners: [],
  tweaks: [],
  findings: [],
  body: '',
  digest: '',
  ends: 'lf',
  values: [],
  ...t
});
const bytes = (s: string) => toBase64(new TextEncoder().encode(s));

describe('a text that was edited as a whole', () => {
  it('keeps the line ends and the mark that it had', () => {
    expect(edited(shown({ raw: bytes('a\n') }), 'b\n')).toBe(bytes('b\n'));
    expect(edited(shown({ ends: 'crlf', raw: bytes('a\r\n') }), 'b\nc\n')).toBe(bytes('b\r\nc\r\n'));
    expect(edited(shown({ raw: bytes('\ufeffa\n') }), 'ä\n')).toBe(bytes('\ufeffä\n'));
  });
  it('is not offered where bytes would be lost', () => {
    expect(notWhole(shown({}))).toBe('');
    expect(notWhole(shown({ masked: 1 }))).toContain('secrets');
    expect(notWhole(shown({ ends: 'mixed' }))).toContain('line ends');
    expect(notWhole(shown({ encoding: 'windows-1252' }))).toContain('windows-1252');
  });
});

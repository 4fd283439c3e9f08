import { describe, expect, it } from 'vitest';
import type { Finding } from '../api/client';
import { accepting } from './accepting';

const block = (code: string, path = '', final = false): Finding => ({
  level: 'block',
  code,
  path,
  what: '',
  final
});
const warn: Finding = { level: 'warn', code: 'may-be-running', what: '' };

describe('accepting blocks', () => {
  it('counts what is in the way, and not what only warns', () => {
    const d = { findings: [warn, block('unknown-file', 'a'), block('unknown-file', 'b')], accepted: [] };
    expect(accepting(d, {})).toEqual({ open: 2, final: 0, accept: [] });
    expect(accepting(d, { 'unknown-file=a': true })).toEqual({
      open: 1,
      final: 0,
      accept: ['unknown-file=a']
    });
  });
  it('takes what the records say is accepted', () => {
    const findings = [block('unknown-file', 'a'), block('changed-file', 'b')];
    expect(
      accepting({ findings, accepted: [{ code: 'unknown-file', path: 'a', by: 'owner' }] }, {}).open
    ).toBe(1);
    expect(
      accepting(
        {
          findings,
          accepted: [
            { code: 'unknown-file', by: 'owner' },
            { code: 'changed-file', by: 'owner' }
          ]
        },
        {}
      ).open
    ).toBe(0);
  });
  it('ticks off what the author says, which blocks nothing', () => {
    const says: Finding = {
      level: 'warn',
      code: 'author-says',
      path: 'README.md#4',
      what: 'put it in first'
    };
    expect(accepting({ findings: [says], accepted: [] }, {})).toEqual({ open: 0, final: 0, accept: [] });
    expect(accepting({ findings: [says], accepted: [] }, { 'author-says=README.md#4': true }).accept).toEqual(
      ['author-says=README.md#4']
    );
  });
  it('never accepts a final block', () => {
    const d = { findings: [block('protected', 'harbour.key', true)], accepted: [] };
    expect(accepting(d, { 'protected=harbour.key': true })).toEqual({ open: 0, final: 1, accept: [] });
  });
});

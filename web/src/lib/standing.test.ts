import { describe, expect, it } from 'vitest';
import type { Addon, Deployment, Finding, Status } from './api/client';
import { counts, moving, standing } from './standing';

const open = (state: Deployment['state']) => ({ name: 'saltpan#7', state }) as Deployment;
const some = [{ name: 'tide-lamps' }] as Addon[];
const failed = [
  { name: 'cranes', trouble: 'it needs winches' },
  { name: 'piers', trouble: 'there is no such fixture' }
] as Addon[];

const draft = (number: number, code: string) =>
  ({ name: `saltpan#${number}`, number, state: 'draft', findings: [{ code }] }) as Deployment;

describe('how a server stands', () => {
  it.each<[string, Partial<Status> | undefined, string, string]>([
    ['unread', undefined, 'empty', 'not looked at yet'],
    ['bare', { addons: [] }, 'empty', 'nothing deployed'],
    ['well', { addons: some }, 'filled', 'deployed, and not looked at since'],
    [
      'well, and when that was seen',
      { addons: some, looked: { at: '2026-11-28T11:40:00', deployment: 'saltpan#7' } },
      'filled',
      'as saltpan#7 saw it, 2026-11-28 11:40'
    ],
    [
      'with a draft',
      { addons: some, drafts: [draft(4, 'author-says')] },
      'filled',
      'deployed, and not looked at since'
    ],
    [
      'with a draft that found a change',
      { addons: some, drafts: [draft(4, 'changed-file')], settled: 3 },
      'filled',
      'changed outside, as saltpan#4 saw'
    ],
    [
      'deployed since such a draft',
      { addons: some, drafts: [draft(4, 'missing-file')], settled: 5 },
      'filled',
      'deployed, and not looked at since'
    ],
    [
      'with values that do not go together',
      { addons: some, agree: { at: '', by: 'saltpan#7', found: [{} as Finding] } },
      'filled',
      'two values do not go together'
    ],
    [
      'surveyed',
      {
        addons: some,
        survey: { at: '2026-11-28T12:00:00', counts: { changed: 0, missing: 0 } } as Status['survey'],
        drafts: [draft(4, 'changed-file')]
      },
      'filled',
      'as recorded, surveyed 2026-11-28 12:00'
    ],
    [
      'surveyed, with changes',
      {
        addons: some,
        survey: { at: '2026-11-28T12:00:00', counts: { changed: 1, missing: 2 } } as Status['survey']
      },
      'filled',
      '3 changed outside, surveyed 2026-11-28 12:00'
    ],
    [
      'deployed since the survey',
      {
        addons: some,
        survey: { at: '2026-11-28T12:00:00', counts: { changed: 1, missing: 2 } } as Status['survey'],
        last: { endedAt: '2026-11-28T12:01:00' } as Deployment
      },
      'filled',
      'deployed, and not looked at since'
    ],
    ['with two that failed', { addons: [...some, ...failed] }, 'filled', '2 did not load'],
    ['running', { addons: some, open: open('running') }, 'half', 'saltpan#7 is running'],
    ['halted', { addons: [], open: open('halted') }, 'half', 'halted half-way']
  ])('%s', (_, status, shape, word) => {
    expect(standing(status && ({ drafts: [], ...status } as Status))).toMatchObject({ shape, word });
  });
});

describe('a deployment', () => {
  it('is moving only while somebody works on it', () => {
    const all: Deployment['state'][] = [
      'draft',
      'queued',
      'running',
      'waiting',
      'done',
      'halted',
      'undoing',
      'undone'
    ];
    expect(all.filter(moving)).toEqual(['queued', 'running', 'undoing']);
  });
  it('is summed up in words', () => {
    expect(counts({ in: 3, changed: 2, out: 1 })).toBe('3 in, 2 changed, 1 out');
    expect(counts({ in: 0, changed: 0, out: 4 })).toBe('4 out');
    expect(counts({ in: 0, changed: 0, out: 0, edited: 1 })).toBe('1 text edited');
    expect(counts({ in: 0, changed: 2, out: 0, edited: 3 })).toBe('2 changed, 3 texts edited');
    expect(counts({ in: 0, changed: 0, out: 0 })).toBe('no file changes');
  });
});

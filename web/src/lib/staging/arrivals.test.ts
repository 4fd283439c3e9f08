import { describe, expect, it } from 'vitest';
import type { Crate, Status } from '../api/client';
import { arrivals } from './arrivals';

const crate = (name: string, version: string, stagedAt: string, more: Partial<Crate> = {}) =>
  ({
    name,
    version,
    stagedAt,
    rulebook: 'fair',
    digest: name + version,
    archives: [],
    ...more
  }) as unknown as Crate;
const server = (name: string, addons: unknown[], rulebook = 'fair') =>
  ({ server: { name, rulebook }, addons }) as unknown as Status;

describe('arrivals', () => {
  it('are what is newer than a server has, the newest first', () => {
    const all = [
      crate('wheel', '2', '2026-01-02', {
        archives: [{ filename: 'wheel-2.zip', source: 'https://here.example/wheel-2.zip', actor: 'owner' }]
      } as Partial<Crate>),
      crate('drum', '3', '2026-01-03'),
      crate('drum', '2', '2026-01-01')
    ];
    const got = arrivals(all, [
      server('lantern', [
        { name: 'wheel', version: '1', newer: '2' },
        { name: 'drum', version: '2', newer: '3' },
        { name: 'horn', version: '1' }
      ]),
      server('lantern-test', [{ name: 'drum', version: '3' }]),
      server('held', [{ name: 'drum', version: '2', newer: '3', hold: { held: true } }]),
      server('of-another-game', [{ name: 'drum', version: '2', newer: '3' }], 'caves')
    ]);
    expect(got.map((a) => [a.server, a.crate.name, a.has, a.crate.version, a.from, a.by])).toEqual([
      ['lantern', 'drum', '2', '3', 'no download', ''],
      ['lantern', 'wheel', '1', '2', 'wheel-2.zip (https://here.example/wheel-2.zip)', 'owner']
    ]);
  });
});

import { describe, expect, it } from 'vitest';
import { concerns } from './changes';

describe('a change', () => {
  const keys = [
    ['servers'],
    ['status'],
    ['status', 'lantern'],
    ['status', 'saltpan'],
    ['deployments', '', 1],
    ['deployments', 'lantern', 1],
    ['deployment', 'lantern', '3'],
    ['deployment', 'saltpan', '3'],
    ['rollcall', 'saltpan'],
    ['files', 'lantern'],
    ['history', 'lantern', 'a'],
    ['crates', ''],
    ['crate', 'd1'],
    ['rulebooks'],
    ['rulebook', 'fair'],
    ['standing', 'lantern'],
    ['readme', 'd1']
  ];
  const asked = (change?: Parameters<typeof concerns>[1]) =>
    keys.filter((k) => concerns(k, change)).map((k) => k.join(' '));

  it('of one server has nothing of another asked again', () => {
    expect(asked({ servers: ['lantern'] })).toEqual([
      'servers',
      'status',
      'status lantern',
      'deployments  1',
      'deployments lantern 1',
      'deployment lantern 3',
      'rulebooks',
      'rulebook fair'
    ]);
  });

  it('of files and crates has those asked again', () => {
    expect(asked({ about: ['ledger'] })).toEqual([
      'status',
      'status lantern',
      'status saltpan',
      'files lantern',
      'history lantern a',
      'crates ',
      'crate d1'
    ]);
    expect(asked({ about: ['oddities'] })).toContain('rollcall saltpan');
    expect(asked({ about: ['crates'] })).not.toContain('files lantern');
  });

  it('of which nothing is known has everything asked again that records hold', () => {
    expect(asked()).toEqual(keys.slice(0, -2).map((k) => k.join(' ')));
  });
});

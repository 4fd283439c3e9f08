import { expect, test } from 'vitest';
import type { Promotion } from '../api/client';
import { askFor } from './bring';

test('only what was chosen goes along', () => {
  const p = {
    from: 'saltpan-test',
    to: 'saltpan',
    addons: [
      { name: 'lamps', version: '2', crate: 'aa' },
      { name: 'keel', version: '4', crate: 'bb' }
    ],
    values: [
      { path: 'a.conf', value: '/x', from: '2', to: '1' },
      { path: 'a.conf', value: '/y', from: '3', to: '1' }
    ]
  } as unknown as Promotion;
  expect(askFor(p, { addons: ['keel'], values: ['a.conf:/y'], remove: ['old'] })).toEqual({
    crates: ['bb'],
    remove: ['old'],
    enable: [],
    disable: [],
    tweaks: [{ path: 'a.conf', note: 'as on saltpan-test', tweak: { do: 'set', at: '/y', value: '3' } }]
  });
});

import { expect, test } from 'vitest';
import { partsOf } from './parts';

test('every part is told, and what nobody has said as that', () => {
  const none = partsOf({});
  expect(none.map((p) => p.name)).toEqual(['probes', 'stop', 'start', 'restart', 'console', 'log', 'warn']);
  expect(none.find((p) => p.name === 'stop')).toMatchObject({ how: 'nobody has said how', tried: '' });
  const some = partsOf({
    acts: { stop: { by: 'command', command: 'halt it' } },
    probes: [{ by: 'port', address: '127.0.0.1:7610' }],
    rcon: '127.0.0.1:7620',
    warn: [{ seconds: 60, line: 'say soon' }]
  });
  expect(some.find((p) => p.name === 'stop')).toMatchObject({ tried: 'running' });
  expect(some.find((p) => p.name === 'probes')?.how).toBe('whether something listens on 127.0.0.1:7610');
  expect(some.find((p) => p.name === 'console')).toMatchObject({
    how: 'RCON at 127.0.0.1:7620',
    tried: 'here'
  });
  expect(some.find((p) => p.name === 'warn')?.how).toBe('60 s before: say soon');
});

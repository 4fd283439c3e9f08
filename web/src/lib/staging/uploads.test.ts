import { describe, expect, it } from 'vitest';
import { stalledAfter, Upload } from './uploads.svelte';
import { percent } from '../format';

const pick = { filename: 'lamps.zip', body: new Blob(['x'.repeat(1000)]) };

describe('an upload', () => {
  it('tells its rate over the last moments, and when it stands still', () => {
    const u = new Upload(pick, {});
    u.stage = 'sending';
    u.moved(0, 1000);
    u.moved(200, 2000);
    expect(u.rate).toBe(200);
    u.moved(600, 3000);
    expect(u.rate).toBe(300);
    u.watch(3000 + stalledAfter - 1);
    expect(u.stalled).toBe(false);
    u.watch(3000 + stalledAfter);
    expect([u.stalled, u.rate]).toEqual([true, 0]);
    u.moved(700, 3000 + stalledAfter + 500);
    expect(u.stalled).toBe(false);
  });

  it('is as new when it is sent again', () => {
    const u = new Upload(pick, {});
    u.moved(600, 1000);
    u.stage = 'refused';
    u.error = new Error('cut');
    u.again();
    expect([u.stage, u.sent, u.error]).toEqual(['waiting', 0, undefined]);
  });

  it('that was stopped before its turn sends nothing', async () => {
    const u = new Upload(pick, {});
    u.cancel();
    await u.run();
    expect(u.stage).toBe('refused');
    expect(String(u.error)).toContain('You have stopped it');
  });
});

it('a part is never called whole before it is', () => {
  expect([percent(0, 10), percent(999, 1000), percent(1000, 1000), percent(0, 0)]).toEqual([
    '0 %',
    '99 %',
    '100 %',
    '100 %'
  ]);
});

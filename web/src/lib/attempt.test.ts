import { describe, expect, it } from 'vitest';
import { Attempt } from './attempt.svelte';

describe('an attempt', () => {
  it('is busy until it ends, and keeps what went wrong until the next', async () => {
    const a = new Attempt();
    let fail: (e: Error) => void = () => {};
    const going = a.run('test', () => new Promise((_, bad) => (fail = bad)));
    expect(a.busy).toBe('test');
    fail(new Error('the host is down'));
    expect(await going).toBe(false);
    expect(a.busy).toBe('');
    expect(a.error).toEqual(new Error('the host is down'));
    expect(await a.run('again', async () => 1)).toBe(true);
    expect(a.error).toBeUndefined();
  });
});

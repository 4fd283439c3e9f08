// @vitest-environment happy-dom
import { QueryClient } from '@tanstack/svelte-query';
import { flushSync, mount, unmount } from 'svelte';
import { describe, expect, it, vi } from 'vitest';
import type { Attempt } from './attempt.svelte';
import Probe from './attempt.probe.svelte';

/** An attempt lives in a component; this gives one of a component that draws it. */
function within(): { attempt: Attempt; end: () => void } {
  let attempt: Attempt | undefined;
  const drawn = mount(Probe, {
    target: document.body,
    props: { client: new QueryClient(), made: (a: Attempt) => (attempt = a) }
  });
  flushSync();
  if (!attempt) throw new Error('no attempt was made');
  return { attempt, end: () => void unmount(drawn) };
}

describe('an attempt', () => {
  it('is busy until it ends, and keeps what went wrong until the next', async () => {
    const { attempt: a, end } = within();
    let fail: (e: Error) => void = () => {};
    const going = a.run('test', () => new Promise((_, bad) => (fail = bad)));
    await vi.waitFor(() => expect(a.busy).toBe('test'));
    fail(new Error('the host is down'));
    expect(await going).toBe(false);
    await vi.waitFor(() => expect(a.error).toEqual(new Error('the host is down')));
    expect(a.busy).toBe('');
    expect(await a.run('again', async () => 1)).toBe(true);
    await vi.waitFor(() => expect(a.error).toBeUndefined());
    end();
  });
});

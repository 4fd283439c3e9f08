import { QueryClient } from '@tanstack/svelte-query';
import { afterEach, expect, it, vi } from 'vitest';
import { watchChanges } from './changes';

afterEach(() => void vi.unstubAllGlobals());

it('asks again once it hears of changes: what changed before was told to nobody', async () => {
  const sources: EventTarget[] = [];
  class Source extends EventTarget {
    constructor() {
      super();
      sources.push(this);
    }
    close() {}
  }
  vi.stubGlobal('EventSource', Source);
  vi.stubGlobal('navigator', {
    locks: { request: (_: string, __: unknown, run: () => Promise<void>) => run() }
  });
  vi.stubGlobal('addEventListener', () => {});
  vi.stubGlobal('removeEventListener', () => {});
  const client = new QueryClient();
  await client.fetchQuery({ queryKey: ['status', '', 'desk'], queryFn: () => 'here#2 is running' });
  const stop = watchChanges(client);
  expect(client.getQueryState(['status', '', 'desk'])?.isInvalidated).toBe(false);
  sources[0]!.dispatchEvent(new Event('open'));
  expect(client.getQueryState(['status', '', 'desk'])?.isInvalidated).toBe(true);
  stop();
});

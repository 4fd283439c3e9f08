import { QueryClient } from '@tanstack/svelte-query';
import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { watchChanges } from './changes';

vi.mock('./client', () => ({ base: '/api', firstCount: Promise.resolve('40') }));

const sources: Source[] = [];

/** What a browser listens by. */
class Source extends EventTarget {
  static readonly CLOSED = 2;
  readyState = 1;
  constructor(readonly url: string) {
    super();
    sources.push(this);
  }
  tell(count: string, about: string[]) {
    this.dispatchEvent(new MessageEvent('changed', { data: JSON.stringify({ about }), lastEventId: count }));
  }
  refuse() {
    this.readyState = Source.CLOSED;
    this.dispatchEvent(new Event('error'));
  }
  close() {
    this.readyState = Source.CLOSED;
  }
}

let client: QueryClient;
let stop: () => void;
const stale = () => client.getQueryState(['crates', ''])?.isInvalidated;

beforeEach(async () => {
  vi.useFakeTimers();
  sources.length = 0;
  vi.stubGlobal('EventSource', Source);
  vi.stubGlobal('navigator', {
    locks: { request: (_: string, __: unknown, run: () => Promise<void>) => run() }
  });
  vi.stubGlobal('addEventListener', () => {});
  vi.stubGlobal('removeEventListener', () => {});
  client = new QueryClient();
  await client.fetchQuery({ queryKey: ['crates', ''], queryFn: () => 'cranes@1' });
  stop = watchChanges(client);
  await vi.advanceTimersByTimeAsync(0);
});

afterEach(() => {
  stop();
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

it('hears what changed since the first answer, and asks nothing again before', () => {
  expect(sources.map((s) => s.url)).toEqual(['/api/changes?since=40']);
  sources[0]!.dispatchEvent(new Event('open'));
  expect(stale()).toBe(false);
  sources[0]!.tell('41', ['crates']);
  expect(stale()).toBe(true);
});

it('goes on from what it heard last where the service refused', async () => {
  sources[0]!.tell('43', ['oddities']);
  sources[0]!.refuse();
  await vi.advanceTimersByTimeAsync(60_000);
  expect(sources.map((s) => s.url)).toEqual(['/api/changes?since=40', '/api/changes?since=43']);
});

it('leaves a line that was cut to the browser, which has it again by itself', async () => {
  sources[0]!.readyState = 0;
  sources[0]!.dispatchEvent(new Event('error'));
  await vi.advanceTimersByTimeAsync(60_000);
  expect(sources).toHaveLength(1);
});

it('listens no more once it is over', async () => {
  stop();
  await vi.advanceTimersByTimeAsync(60_000);
  expect(sources.map((s) => s.readyState)).toEqual([Source.CLOSED]);
});

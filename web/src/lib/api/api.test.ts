import { afterEach, describe, expect, it, vi } from 'vitest';
import { all, ok, problemOf, Refusal, type Deployment, type Problem } from './client';
import { follow, result } from './jobs';
import { withSteps } from './queries';

const problem: Problem = {
  type: 'urn:x',
  title: 'Blocked',
  status: 409,
  detail: '2 findings block x#1',
  code: 'blocked',
  exit: 3
};
const answer = (status: number, body: { data?: unknown; error?: unknown }) =>
  Promise.resolve({ ...body, response: new Response(null, { status }) });

describe('answers', () => {
  it('are their data, or the problem in the service’s own words', async () => {
    expect(await ok(answer(200, { data: 7 }))).toBe(7);
    const refused = await ok(answer(409, { error: problem })).catch((e: unknown) => e);
    expect(refused).toBeInstanceOf(Refusal);
    expect(problemOf(refused)).toEqual(problem);
  });
  it('say so where nobody answers, or with something else', async () => {
    const gone = await ok(Promise.reject(new TypeError('fetch failed'))).catch((e: unknown) => e);
    expect(problemOf(gone)).toMatchObject({ code: 'unreachable', mend: 'Is restless serve still running?' });
    const odd = await ok(answer(502, { error: '<html>' })).catch((e: unknown) => e);
    expect(problemOf(odd).detail).toBe('The service answered 502.');
    expect(problemOf(new Error('x'))).toMatchObject({ code: 'failed', detail: 'Error: x' });
  });
  it('are gathered over all pages', async () => {
    const pages: Record<string, { items: number[]; next?: string }> = {
      '': { items: [1, 2], next: 'b' },
      b: { items: [3] }
    };
    expect(await all((cursor) => Promise.resolve(pages[cursor ?? '']!))).toEqual([1, 2, 3]);
  });
});

describe('the steps of a deployment', () => {
  const of = (d: Partial<Deployment>) => d as Deployment;
  const steps = [1, 2].map((id) => ({
    id,
    leg: 1,
    phase: 'swap',
    verb: 'put',
    reason: '',
    motions: 2,
    done: 0
  }));
  const had = of({ state: 'running', steps: steps as Deployment['steps'] });
  it('stay, and only how far they have come is new', () => {
    const now = withSteps(had, of({ state: 'done', stepsDone: [2, 0] }));
    expect(now).toEqual({ state: 'done', steps, stepsDone: [2, 0] });
    expect(now?.steps).toBe(had.steps);
  });
  it('are asked for anew where another leg has come', () => {
    expect(withSteps(had, of({ stepsDone: [2, 2, 0] }))).toBeUndefined();
    expect(withSteps(undefined, of({ stepsDone: [2] }))).toBeUndefined();
  });
  it('are those of an answer that has them', () => {
    const whole = of({ steps: had.steps!.map((s) => ({ ...s, done: 1 })) });
    expect(withSteps(had, whole)).toEqual({ steps: whole.steps, stepsDone: [1, 1] });
  });
});

/** A stream of events that a test speaks. */
class Stream extends EventTarget {
  static last: Stream;
  static CLOSED = 2;
  readyState = 1;
  constructor(readonly url: string) {
    super();
    Stream.last = this;
  }
  close() {
    this.readyState = 2;
  }
  say(name: string, data: unknown) {
    this.dispatchEvent(Object.assign(new Event(name), { data: JSON.stringify(data) }));
  }
}

describe('a job that is followed', () => {
  afterEach(() => void vi.unstubAllGlobals());

  it('tells each event and gives the job at its end', async () => {
    vi.stubGlobal('EventSource', Stream);
    const heard: number[] = [];
    const going = follow('job-1', (e) => heard.push(e.number));
    expect(Stream.last.url).toBe('/api/v1/jobs/job-1/events');
    Stream.last.say('progress', { number: 1 });
    Stream.last.say('progress', { number: 2 });
    Stream.last.say('end', { id: 'job-1', state: 'done', result: 5 });
    expect((await going).state).toBe('done');
    expect(heard).toEqual([1, 2]);
    expect(Stream.last.readyState).toBe(2);
  });

  it('throws its problem', async () => {
    vi.stubGlobal('EventSource', Stream);
    const going = result({ id: 'job-2' } as never).catch((e: unknown) => problemOf(e).code);
    Stream.last.say('end', { id: 'job-2', state: 'failed', problem });
    expect(await going).toBe('blocked');
  });

  it('is left alone when nobody listens any more', async () => {
    vi.stubGlobal('EventSource', Stream);
    const stop = new AbortController();
    const going = follow('job-3', () => {}, stop.signal).catch(() => 'left');
    stop.abort();
    expect(await going).toBe('left');
    expect(Stream.last.readyState).toBe(2);
  });
});

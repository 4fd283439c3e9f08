// The archives that are on their way. They live with the app, not with the
// staging page, so that leaving the page loses nothing.
import { createContext } from 'svelte';
import { problemOf, Refusal, type Job, type Staged } from '../api/client';
import { result } from '../api/jobs';
import type { Pick } from './pick';
import { unique } from '../api/unique';
import { cancelled, drop, received, upload, type Aim } from './upload';

/** After how long without a byte an upload is told to stand still, milliseconds. */
export const stalledAfter = 10_000;

export class Upload {
  sent = $state(0);
  /** Bytes a second over the last moments; 0 where that is not known yet. */
  rate = $state(0);
  /** Nothing has gone for a while. */
  stalled = $state(false);
  stage = $state<'waiting' | 'sending' | 'laying out' | 'staged' | 'refused'>('waiting');
  staged = $state<Staged>();
  error = $state<unknown>();

  /** Whether a part of it is at the service, from which it can go on. */
  begun = $state(false);

  readonly #part = unique();
  #stopped = false;
  #line = new AbortController();
  #anew = false;
  #marks: [at: number, sent: number][] = [];

  constructor(
    readonly pick: Pick,
    public aim: Aim
  ) {}

  /** Whether it was refused for unpacking to far more than it is, which a person may allow. */
  get swells(): boolean {
    return this.stage === 'refused' && swells(this.error);
  }

  /** Stops it; nothing of it is kept. */
  cancel(): void {
    this.#stopped = true;
    this.#line.abort();
  }

  /** Leaves a line that stands still, and goes on over another where it stopped. */
  overAnother(): void {
    this.#anew = true;
    this.#line.abort();
  }

  /** Makes it ready to be sent once more: what has come of it already is not sent again. */
  again(): void {
    this.#stopped = false;
    this.#marks = [];
    this.rate = 0;
    if (!this.begun) this.sent = 0;
    this.stalled = false;
    this.error = undefined;
    this.stage = 'waiting';
  }

  /** Notes how far it has come. */
  moved(sent: number, now = performance.now()): void {
    this.sent = sent;
    this.#marks.push([now, sent]);
    while (this.#marks.length > 2 && now - this.#marks[0]![0] > 5000) this.#marks.shift();
    const [at, before] = this.#marks[0]!;
    this.rate = now > at ? ((sent - before) * 1000) / (now - at) : 0;
    this.stalled = false;
  }

  /** Looks whether it stands still. */
  watch(now = performance.now()): void {
    const last = this.#marks[this.#marks.length - 1];
    this.stalled = this.stage === 'sending' && last !== undefined && now - last[0] >= stalledAfter;
    if (this.stalled) this.rate = 0;
  }

  async run(): Promise<void> {
    let watching: ReturnType<typeof setInterval> | undefined;
    try {
      this.stage = 'sending';
      watching = setInterval(() => this.watch(), 1000);
      let job: Job | undefined;
      while (!job) job = await this.#send();
      clearInterval(watching);
      this.stage = 'laying out';
      this.staged = await result<Staged>(job);
      this.stage = 'staged';
    } catch (e) {
      if (this.#stopped) void this.#drop();
      else this.error = e;
      this.stage = 'refused';
    } finally {
      clearInterval(watching);
      this.stalled = false;
    }
  }

  /** Sends what has not come yet; nothing is given where another line is to be tried. */
  async #send(): Promise<Job | undefined> {
    this.#anew = false;
    this.#line = new AbortController();
    if (this.#stopped) throw new Refusal(cancelled);
    try {
      const from = this.begun ? await received(this.#part, this.#line.signal) : 0;
      this.#marks = [];
      this.moved(from);
      this.begun = true;
      const rest = { pick: this.pick, aim: this.aim, part: this.#part, from };
      const job = await upload(rest, (sent) => this.moved(sent), this.#line.signal);
      this.begun = false; // all of it has come, and waits no more
      return job;
    } catch (e) {
      if (this.#anew && !this.#stopped) return undefined;
      throw e;
    }
  }

  /** Has the service forget what has come of it. It may take a while to answer; the next
   * upload does not wait for that. */
  async #drop(): Promise<void> {
    const said = (detail: string) => new Refusal({ ...cancelled, detail });
    if (!this.begun) {
      this.error = new Refusal(cancelled);
      return;
    }
    this.begun = false;
    this.error = said('You have stopped it.');
    try {
      await drop(this.#part);
      if (this.#stopped) this.error = new Refusal(cancelled);
    } catch {
      if (this.#stopped)
        this.error = said(
          'You have stopped it. The service does not answer; it forgets what has come within a day.'
        );
    }
  }
}

/** Whether a download was refused for unpacking to far more than it is. */
export const swells = (error: unknown): boolean => error !== undefined && problemOf(error).code === 'bomb';

export class Uploads {
  list = $state<Upload[]>([]);
  #queue: Promise<void> = Promise.resolve();

  /** Sends archives one after another; done is called after each. */
  add(picks: Pick[], aim: Aim, done: () => void): void {
    for (const pick of picks) {
      this.list.unshift(new Upload(pick, aim));
      this.#send(this.list[0]!, done);
    }
  }

  /** Sends one again that was refused. */
  again(own: Upload, done: () => void): void {
    own.again();
    this.#send(own, done);
  }

  /** Sends one again that a person knows and trusts, however much it unpacks to. */
  trust(own: Upload, done: () => void): void {
    own.aim = { ...own.aim, trusted: 'true' };
    this.again(own, done);
  }

  #send(own: Upload, done: () => void): void {
    this.#queue = this.#queue.then(() => own.run()).then(done);
  }

  /** How many are still on their way. */
  get busy(): number {
    return this.list.filter((u) => u.stage !== 'staged' && u.stage !== 'refused').length;
  }

  /** Takes one off the list. */
  forget(upload: Upload): void {
    this.list = this.list.filter((u) => u !== upload);
  }

  /** Takes what has ended off the list. */
  clear(): void {
    this.list = this.list.filter((u) => u.stage !== 'staged' && u.stage !== 'refused');
  }
}

export const [getUploads, setUploads] = createContext<Uploads>();

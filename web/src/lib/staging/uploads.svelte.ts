// The archives that are on their way. They live with the app, not with the
// staging page, so that leaving the page loses nothing.
import { createContext } from 'svelte';
import type { Staged } from '../api/client';
import { result } from '../api/jobs';
import type { Pick } from './pick';
import { upload, type Aim } from './upload';

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

  #stop = new AbortController();
  #marks: [at: number, sent: number][] = [];

  constructor(
    readonly pick: Pick,
    readonly aim: Aim
  ) {}

  /** Stops it; nothing of it is kept. */
  cancel(): void {
    this.#stop.abort();
  }

  /** Makes it as new, to be sent again. */
  again(): void {
    this.#stop = new AbortController();
    this.#marks = [];
    this.sent = this.rate = 0;
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
      this.moved(0);
      watching = setInterval(() => this.watch(), 1000);
      const job = await upload(this.pick, this.aim, (sent) => this.moved(sent), this.#stop.signal);
      clearInterval(watching);
      this.stage = 'laying out';
      this.staged = await result<Staged>(job);
      this.stage = 'staged';
    } catch (e) {
      this.error = e;
      this.stage = 'refused';
    } finally {
      clearInterval(watching);
      this.stalled = false;
    }
  }
}

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

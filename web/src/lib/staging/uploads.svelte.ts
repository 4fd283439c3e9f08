// The archives that are on their way. They live with the app, not with the
// staging page, so that leaving the page loses nothing.
import { createContext } from 'svelte';
import type { Staged } from '../api/client';
import { result } from '../api/jobs';
import type { Pick } from './pick';
import { upload, type Aim } from './upload';

export class Upload {
  sent = $state(0);
  stage = $state<'waiting' | 'sending' | 'laying out' | 'staged' | 'refused'>('waiting');
  staged = $state<Staged>();
  error = $state<unknown>();

  constructor(
    readonly pick: Pick,
    readonly aim: Aim
  ) {}

  async run(): Promise<void> {
    try {
      this.stage = 'sending';
      const job = await upload(this.pick, this.aim, (sent) => (this.sent = sent));
      this.stage = 'laying out';
      this.staged = await result<Staged>(job);
      this.stage = 'staged';
    } catch (e) {
      this.error = e;
      this.stage = 'refused';
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
      const own = this.list[0]!;
      this.#queue = this.#queue.then(() => own.run()).then(done);
    }
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

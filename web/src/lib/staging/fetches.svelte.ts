// Downloads that the service makes itself, from an address.
import { api, ok, type Staged } from '../api/client';
import { result } from '../api/jobs';

/** What is asked for beside the address. */
export interface Wanted {
  url: string;
  sha256?: string;
  rulebook?: string;
}

/** One of them, from when it is asked for until it is staged or was refused. */
export class Fetched {
  stage = $state<'downloading' | 'staged' | 'refused'>('downloading');
  words = $state('');
  staged = $state<Staged>();
  error = $state<unknown>();

  constructor(readonly wanted: Wanted) {}

  async run(): Promise<void> {
    this.stage = 'downloading';
    this.error = undefined;
    try {
      const job = await ok(api.POST('/archives/fetch', { body: this.wanted }));
      this.staged = await result<Staged>(job, (e) => (this.words = e.data.text ?? this.words));
      this.stage = 'staged';
    } catch (e) {
      this.error = e;
      this.stage = 'refused';
    }
  }
}

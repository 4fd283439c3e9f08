// Downloads that the service makes itself, from an address.
import { api, ok, type Staged } from '../api/client';
import { result } from '../api/jobs';

/** What is asked for beside the address. */
export interface Wanted {
  url: string;
  sha256?: string;
  rulebook?: string;
  /** Of names in it that are not UTF-8, as IANA calls it. */
  codePage?: string;
  /** It may unpack to far more than it is. */
  trusted?: boolean;
}

/** One of them, from when it is asked for until it is staged or was refused. */
export class Fetched {
  stage = $state<'downloading' | 'staged' | 'refused'>('downloading');
  words = $state('');
  staged = $state<Staged>();
  error = $state<unknown>();

  constructor(public wanted: Wanted) {}

  /** Once more, for a person who knows and trusts it. */
  trust(): Promise<void> {
    this.wanted = { ...this.wanted, trusted: true };
    return this.run();
  }

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

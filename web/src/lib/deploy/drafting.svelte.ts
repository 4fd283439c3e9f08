// Drafting from anywhere: asks for the draft and opens its page.
import { useQueryClient } from '@tanstack/svelte-query';
import { navigate } from '../../router';
import { problemOf, type NewDraft } from '../api/client';
import { cancel } from '../api/jobs';
import { draft } from '../api/queries';

/** After how many milliseconds a page says that the server is being looked at. */
const patience = 700;

export class Drafting {
  busy = $state(false);
  /** It takes so long that a person may want to know, or to cancel it. */
  slow = $state(false);
  cancelling = $state(false);
  /** What the service is looking at. */
  words = $state('');
  error = $state<unknown>();
  #job = '';
  readonly #client = useQueryClient();

  /** Looks at the server and drafts; on success the draft's page is opened. Gives whether it was. */
  async start(server: string, ask: NewDraft): Promise<boolean> {
    this.busy = true;
    this.cancelling = false;
    this.#job = '';
    this.words = `Looking at ${server}…`;
    this.error = undefined;
    const late = setTimeout(() => (this.slow = true), patience);
    try {
      const d = await draft(server, ask, (id) => {
        this.#job = id;
        if (this.cancelling) void this.#end();
      });
      await this.#client.invalidateQueries({ queryKey: ['status', server] });
      await navigate('/servers/:server/deployments/:number', {
        params: { server, number: String(d.number) }
      });
      return true;
    } catch (e) {
      if (!(this.cancelling && problemOf(e).code === 'cancelled')) this.error = e;
      return false;
    } finally {
      clearTimeout(late);
      this.busy = this.slow = false;
    }
  }

  /** Gives the draft up that is being made. The server was only looked at. */
  cancel(): void {
    if (!this.busy || this.cancelling) return;
    this.cancelling = true;
    if (this.#job) void this.#end();
  }

  async #end(): Promise<void> {
    try {
      await cancel(this.#job);
    } catch (e) {
      // A draft that was over before is shown, or its own error is.
      if (problemOf(e).code !== 'job-ended') this.error = e;
      this.cancelling = false;
    }
  }
}

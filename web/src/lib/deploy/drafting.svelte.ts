// Drafting from anywhere: asks for the draft and opens its page.
import { useQueryClient } from '@tanstack/svelte-query';
import { navigate } from '../../router';
import type { NewDraft } from '../api/client';
import { draft } from '../api/queries';

export class Drafting {
  busy = $state(false);
  error = $state<unknown>();
  readonly #client = useQueryClient();

  /** Looks at the server and drafts; on success the draft's page is opened. */
  async start(server: string, ask: NewDraft): Promise<void> {
    this.busy = true;
    this.error = undefined;
    try {
      const d = await draft(server, ask);
      await this.#client.invalidateQueries({ queryKey: ['status', server] });
      await navigate('/servers/:server/deployments/:number', {
        params: { server, number: String(d.number) }
      });
    } catch (e) {
      this.error = e;
    } finally {
      this.busy = false;
    }
  }
}

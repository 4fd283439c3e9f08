// Whether the service answers: asked every few seconds, so that no page goes on claiming what
// it cannot know.
import type { QueryClient } from '@tanstack/svelte-query';

const every = 3000; // milliseconds between two looks
const patience = 5000; // how long one may take

class Presence {
  /** Since when the service does not answer; undefined while it does. */
  since = $state<Date>();

  /** Looks until the function that it gives is called. */
  watch(client: QueryClient): () => void {
    let timer: ReturnType<typeof setTimeout>;
    let over = false;
    const look = async () => {
      const there = await answers();
      if (over) return;
      if (!there) this.since ??= new Date();
      else if (this.since) {
        this.since = undefined;
        void client.invalidateQueries(); // whatever happened meanwhile was not told
      }
      timer = setTimeout(look, every);
    };
    void look();
    return () => {
      over = true;
      clearTimeout(timer);
    };
  }
}

async function answers(): Promise<boolean> {
  try {
    return (await fetch('/healthz', { cache: 'no-store', signal: AbortSignal.timeout(patience) })).ok;
  } catch {
    return false;
  }
}

export const presence = new Presence();

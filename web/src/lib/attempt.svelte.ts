// One thing that a person asked for and that is under way: what it is, and the error it
// ended with. A mutation underneath, so that the console knows one kind of error.
import { createMutation } from '@tanstack/svelte-query';

export interface Attempt {
  /** What is under way; empty where nothing is. */
  readonly busy: string;
  /** What the last one ended with; undefined once another began. */
  readonly error: unknown;
  /** Does something and keeps its error; gives whether it went well. */
  run(what: string, does: () => Promise<unknown>): Promise<boolean>;
}

interface Asked {
  what: string;
  does: () => Promise<unknown>;
}

/** Makes an attempt for the component that is being set up. */
export function attempting(): Attempt {
  // The service may be on this machine: a browser that is offline still reaches it.
  const m = createMutation(() => ({ mutationFn: (a: Asked) => a.does(), networkMode: 'always' as const }));
  return {
    get busy() {
      return m.isPending ? (m.variables?.what ?? '') : '';
    },
    get error() {
      return m.error ?? undefined;
    },
    run: (what, does) =>
      m.mutateAsync({ what, does }).then(
        () => true,
        () => false
      )
  };
}

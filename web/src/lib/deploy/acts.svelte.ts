// What a person does with a deployment: running it, stopping it, taking it back. Each act
// that is long is a job, which is followed to its end.
import { useQueryClient } from '@tanstack/svelte-query';
import { navigate } from '../../router';
import { attempting } from '../attempt.svelte';
import { api, ok, problemOf, type Deployment, type Job } from '../api/client';
import { moving } from '../standing';
import { Live } from './live.svelte';

/** Which deployment it is; read anew at each act. */
export type Which = () => { server: string; number: number };

export class Acts {
  /** The job that goes on, if one does. */
  readonly live = new Live();
  /** Why the draft that was run is no longer true; the page shows the new one then. */
  replaced = $state('');
  /** An act was asked for and its job has not begun. */
  readonly starting = $derived.by(() => this.#beginning.busy !== '');
  readonly error = $derived.by(() => this.#beginning.error ?? this.#halting.error ?? this.#watching.error);
  /** A by-hand step was ticked, and what was looked for did not show. */
  readonly unseen = $derived(this.error !== undefined && problemOf(this.error).code === 'not-seen');

  // A job is watched while it is told to halt, so each has its own error.
  readonly #beginning = attempting();
  readonly #halting = attempting();
  readonly #watching = attempting();
  readonly #client = useQueryClient();
  readonly #which: Which;
  #watched = '';

  constructor(which: Which) {
    this.#which = which;
    this.live.onphase = () => {
      const { server, number } = this.#which();
      void this.#client.invalidateQueries({ queryKey: ['deployment', server, number] });
      void this.#client.invalidateQueries({ queryKey: ['status', server] });
    };
  }

  /** How a deployment stands: its job tells sooner than the records are read again. */
  stateOf(d: Deployment): Deployment['state'] {
    return d.state === 'queued' && this.live.phase ? 'running' : d.state;
  }

  run(d: Deployment, accept: string[]): void {
    const call = this.#call();
    void this.#act(() =>
      ok(
        api.POST('/servers/{server}/deployments/{number}/run', {
          ...call,
          body: { digest: d.digest, accept }
        })
      )
    );
  }

  resume(): void {
    void this.#act(() => ok(api.POST('/servers/{server}/deployments/{number}/resume', this.#call())));
  }

  tidy(): void {
    void this.#act(() => ok(api.POST('/servers/{server}/deployments/{number}/tidy', this.#call())));
  }

  tick(unchecked = false): void {
    const params = { path: this.#which(), query: { unchecked } };
    void this.#act(() => ok(api.POST('/servers/{server}/deployments/{number}/tick', { params })));
  }

  undo(data = false): void {
    const params = { path: this.#which(), query: { data } };
    void this.#act(() => ok(api.POST('/servers/{server}/deployments/{number}/undo', { params })));
  }

  /** Stops it between two motions, or takes it out of the queue. */
  halt(): void {
    void this.#halting.run('halt', () =>
      ok(api.POST('/servers/{server}/deployments/{number}/halt', this.#call()))
    );
  }

  /** Gives a draft up. */
  async discard(): Promise<void> {
    const { server } = this.#which();
    await ok(api.DELETE('/servers/{server}/deployments/{number}', this.#call()));
    await this.#refresh();
    await navigate('/servers/:server', { params: { server } });
  }

  /** Listens to the job of a deployment that goes on, once. */
  listen(d: Deployment): void {
    if (!d.job || !moving(d.state) || this.#watched === d.job) return;
    const job = d.job;
    void this.#watching.run('watch', () => this.#watch(job));
  }

  #call() {
    return { params: { path: this.#which() } };
  }

  async #act(does: () => Promise<Job>): Promise<void> {
    this.replaced = '';
    let job: Job | undefined;
    await this.#beginning.run('start', async () => {
      try {
        job = await does();
      } catch (e) {
        if (!(await this.#follow(e))) throw e;
      }
      await this.#refresh();
    });
    const begun = job;
    if (begun) await this.#watching.run('watch', () => this.#watch(begun.id));
  }

  async #watch(id: string): Promise<void> {
    this.#watched = id;
    try {
      await this.live.watch(id);
    } catch (e) {
      if (!(e instanceof DOMException) && !(await this.#follow(e))) throw e;
    } finally {
      await this.#refresh();
    }
  }

  /** A draft that is no longer true was drafted anew: its page opens, with a word of why. */
  async #follow(e: unknown): Promise<boolean> {
    const p = problemOf(e);
    const fresh = p.code === 'draft-stale' && p.deployment?.split('#').at(-1);
    if (!fresh) return false;
    this.replaced = p.detail;
    const params = { server: this.#which().server, number: fresh };
    await navigate('/servers/:server/deployments/:number', { params });
    return true;
  }

  async #refresh(): Promise<void> {
    const { server, number } = this.#which();
    await Promise.all(
      [
        ['deployment', server, number],
        ['status', server],
        ['files', server],
        ['history', server]
      ].map((queryKey) => this.#client.invalidateQueries({ queryKey }))
    );
  }
}

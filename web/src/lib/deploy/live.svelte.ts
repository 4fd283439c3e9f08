// A deployment's job as it goes on: the line it is on and how far it has come.
import { follow, type Progress } from '../api/jobs';
import { Refusal, type Job } from '../api/client';

export class Live {
  phase = $state<Progress['phase']>();
  step = $state(0);
  path = $state('');
  text = $state('');
  done = $state(0);
  total = $state(0);
  #stop = new AbortController();

  /** Follows a job to its end. Throws the job's problem if it has one. */
  async watch(id: string): Promise<Job> {
    this.#stop.abort();
    this.#stop = new AbortController();
    const job = await follow(id, (e) => this.#take(e.data as Progress), this.#stop.signal);
    if (job.problem) throw new Refusal(job.problem);
    return job;
  }

  /** Stops listening; the job goes on. */
  leave(): void {
    this.#stop.abort();
  }

  #take(p: Progress): void {
    if (p.text) this.text = p.text;
    if (p.phase) this.phase = p.phase;
    if (p.step) this.step = p.step;
    if (p.path) this.path = p.path;
    if (p.total) [this.done, this.total] = [p.done, p.total];
  }
}

// A deployment's job as it goes on: the line it is on and how far it has come.
import { follow } from '../api/jobs';
import { Pace } from './pace';
import { Refusal, type Job, type Progress } from '../api/client';

export class Live {
  phase = $state<Progress['phase']>();
  step = $state(0);
  path = $state('');
  text = $state('');
  done = $state(0);
  total = $state(0);
  sent = $state(0); // bytes
  rate = $state<number>(); // bytes a second
  #pace = new Pace();
  #stop = new AbortController();

  /** Called when the job enters a phase. */
  onphase: () => void = () => {};

  /** Follows a job to its end. Throws the job's problem if it has one. */
  async watch(id: string): Promise<Job> {
    this.#stop.abort();
    this.#stop = new AbortController();
    // Nothing of an earlier job stays.
    this.phase = this.rate = undefined;
    this.path = this.text = '';
    this.step = this.done = this.total = this.sent = 0;
    this.#pace = new Pace();
    const job = await follow(id, (e) => this.#take(e.data), this.#stop.signal);
    if (job.problem) throw new Refusal(job.problem);
    return job;
  }

  /** Seconds that are left, of a run that sends so many bytes in all. */
  left(bytes: number): number | undefined {
    return this.#pace.left(bytes - this.sent, this.total - this.done);
  }

  /** Stops listening; the job goes on. */
  leave(): void {
    this.#stop.abort();
  }

  #take(p: Progress): void {
    if (p.text) this.text = p.text;
    if (p.phase && p.phase !== this.phase) {
      this.phase = p.phase;
      this.onphase();
    }
    if (p.step) this.step = p.step;
    if (p.path) this.path = p.path;
    if (!p.total) return;
    [this.done, this.total, this.sent] = [p.done, p.total, p.sent ?? 0];
    this.#pace.take(performance.now(), this.phase, this.sent, this.done);
    this.rate = this.#pace.rate;
  }
}

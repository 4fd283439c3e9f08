// Long work: following a job's numbered events to its end.
import { api, base, ok, Refusal, type Job, type JobEvent } from './client';

/**
 * Calls each for every event until the job has ended. The browser picks a
 * broken stream up where it broke. Aborting the signal stops listening; the
 * job goes on.
 */
export function follow(id: string, each: (e: JobEvent) => void, signal?: AbortSignal): Promise<Job> {
  return new Promise((resolve, reject) => {
    const source = new EventSource(`${base}/jobs/${encodeURIComponent(id)}/events`);
    signal?.addEventListener('abort', () => {
      source.close();
      reject(signal.reason as Error);
    });
    source.addEventListener('progress', (m) => each(JSON.parse(m.data) as JobEvent));
    source.addEventListener('end', (m) => {
      source.close();
      resolve(JSON.parse(m.data) as Job);
    });
    source.addEventListener('error', () => {
      if (source.readyState === EventSource.CLOSED) reject(new Error('the event stream ended'));
    });
  });
}

/** Follows a job and gives its result, or throws its problem. */
export async function result<T>(job: Job, each: (e: JobEvent) => void = () => {}): Promise<T> {
  const ended = await follow(job.id, each);
  if (ended.problem) throw new Refusal(ended.problem);
  return ended.result as T;
}

/** Ends a job that changes nothing, and gives it as it then is. */
export const cancel = (id: string): Promise<Job> =>
  ok(api.POST('/jobs/{id}/cancel', { params: { path: { id } } }));

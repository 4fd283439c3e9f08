// Sending an archive's bytes. The older request interface is used because it
// alone tells how far an upload has come.
import { base, isProblem, Refusal, unreachable, type Job, type Problem } from '../api/client';
import type { Pick } from './pick';

/** Whose rulebook is to lay an archive out; none: every rulebook in use is tried. */
export interface Aim {
  for?: string;
  rulebook?: string;
  /** The folder in it that is the add-on, where several could be. */
  root?: string;
  /** 'true': it is kept but not laid out. */
  keepOnly?: string;
}

/** What is told where a person has stopped an upload. */
export const cancelled: Problem = {
  type: 'urn:restless:cancelled',
  title: 'Stopped',
  status: 0,
  detail: 'You have stopped it; nothing of it is kept.',
  code: 'cancelled',
  exit: 1
};

/** Sends one archive and gives the job that lays it out. each is told bytes sent and bytes in
 * all. It ends when stop is aborted. */
export function upload(
  pick: Pick,
  aim: Aim,
  each: (sent: number, total: number) => void,
  stop: AbortSignal = new AbortController().signal
): Promise<Job> {
  return new Promise((resolve, reject) => {
    const call = new XMLHttpRequest();
    if (stop.aborted) return reject(new Refusal(cancelled));
    stop.addEventListener('abort', () => call.abort());
    call.addEventListener('abort', () => reject(new Refusal(cancelled)));
    const query = new URLSearchParams({ filename: pick.filename, ...aim });
    call.open('POST', `${base}/archives?${query}`);
    call.responseType = 'json';
    call.setRequestHeader('Content-Type', 'application/octet-stream');
    call.setRequestHeader('Idempotency-Key', crypto.randomUUID());
    call.upload.addEventListener('progress', (e) => each(e.loaded, e.total));
    call.addEventListener('error', () => reject(new Refusal(unreachable)));
    call.addEventListener('load', () => {
      if (call.status === 202) resolve(call.response as Job);
      else reject(new Refusal(isProblem(call.response) ? call.response : unreachable));
    });
    call.send(pick.body);
  });
}

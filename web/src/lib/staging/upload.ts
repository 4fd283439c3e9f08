// Sending an archive's bytes. The older request interface is used because it
// alone tells how far an upload has come.
import { api, base, isProblem, ok, Refusal, unreachable, type Job, type Problem } from '../api/client';
import { unique } from '../api/unique';
import type { Pick } from './pick';

/** Whose rulebook is to lay an archive out; none: every rulebook in use is tried. */
export interface Aim {
  for?: string;
  rulebook?: string;
  /** The folder in it that is the add-on, where several could be. */
  root?: string;
  /** 'true': it is kept but not laid out. */
  keepOnly?: string;
  /** Of names in it that are not UTF-8, as IANA calls it. */
  codePage?: string;
  /** 'true': it may unpack to far more than it is. */
  trusted?: string;
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

/** What of an upload there is to send: all of it, or what follows on what has come before. */
export interface Rest {
  pick: Pick;
  aim: Aim;
  /** Names the upload, so that it can go on later. */
  part: string;
  from: number;
}

/** How many bytes of an upload have come. Whoever still sends it is cut off. */
export const received = async (part: string, signal: AbortSignal): Promise<number> =>
  (await ok(api.POST('/archives/parts/{part}', { params: { path: { part } }, signal }))).bytes;

/** Has the service forget what has come of an upload. */
export const drop = (part: string): Promise<unknown> =>
  ok(api.DELETE('/archives/parts/{part}', { params: { path: { part } } }));

/** Sends an archive, or the rest of it, and gives the job that lays it out. each is told how
 * many bytes have gone. It ends when stop is aborted. */
export function upload(
  { pick, aim, part, from }: Rest,
  each: (sent: number) => void,
  stop: AbortSignal
): Promise<Job> {
  return new Promise((resolve, reject) => {
    const call = new XMLHttpRequest();
    if (stop.aborted) return reject(new Refusal(cancelled));
    stop.addEventListener('abort', () => call.abort());
    call.addEventListener('abort', () => reject(new Refusal(cancelled)));
    const query = new URLSearchParams({ filename: pick.filename, ...aim, part, from: String(from) });
    call.open('POST', `${base}/archives?${query}`);
    call.responseType = 'json';
    call.setRequestHeader('Content-Type', 'application/octet-stream');
    call.setRequestHeader('Idempotency-Key', unique());
    call.upload.addEventListener('progress', (e) => each(from + e.loaded));
    call.addEventListener('error', () => reject(new Refusal(unreachable)));
    call.addEventListener('load', () => {
      if (call.status === 202) resolve(call.response as Job);
      else reject(new Refusal(isProblem(call.response) ? call.response : unreachable));
    });
    call.send(from ? pick.body.slice(from) : pick.body);
  });
}

/** Sends a whole archive, which is not gone on with where that fails. */
export const uploadWhole = (pick: Pick, aim: Aim): Promise<Job> =>
  upload({ pick, aim, part: unique(), from: 0 }, () => {}, new AbortController().signal);

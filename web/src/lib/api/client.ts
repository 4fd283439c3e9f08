// The typed way to the service. Every call either gives its data or throws the
// service's problem.
import createClient from 'openapi-fetch';
import type { components, paths } from './generated/schema';

type Schemas = components['schemas'];
export type Server = Schemas['Server'];
export type Desk = Schemas['Desk'];
export type Need = Schemas['Need'];
export type FolderRow = Schemas['FolderRow'];
export type Group = Schemas['Group'];
export type GroupRun = Schemas['GroupRun'];
export type GroupPart = Schemas['GroupPart'];
export type Promotion = Schemas['Promotion'];
export type Notice = Schemas['Notice'];
export type TidyPlan = Schemas['TidyPlan'];
export type Stand = Schemas['Stand'];
export type Status = Schemas['Status'];
export type Addon = Schemas['Addon'];
export type Crate = Schemas['Crate'];
export type Feed = Schemas['Feed'];
export type Narrowing = Schemas['Narrowing'];
export type PackEntry = Schemas['PackEntry'];
export type Schedule = Schemas['Schedule'];
export type Release = Schemas['Release'];
export type Deployment = Schemas['Deployment'];
export type Step = Schemas['Step'];
export type Finding = Schemas['Finding'];
export type Remedy = Schemas['Remedy'];
export type Adoptable = Schemas['Adoptable'];
export type AddonFound = Schemas['AddonFound'];
export type Survey = Schemas['Survey'];
export type SurveyItem = Schemas['SurveyItem'];
export type FileRow = Schemas['File'];
export type LedgerEvent = Schemas['Event'];
export type Rulebook = Schemas['Rulebook'];
export type Loose = Schemas['Loose'];
export type Staged = Schemas['Staged'];
export type FileTurn = Schemas['FileTurn'];
export type ValueTurn = Schemas['ValueTurn'];
export type Update = Schemas['Update'];
export type Lesson = Schemas['Lesson'];
export type Teach = Schemas['Teach'];
export type Proposed = Schemas['Proposed'];
export type Question = Schemas['Question'];
export type StagedByBook = Schemas['StagedByBook'];
export type Job = Schemas['Job'];
export type JobEvent = Schemas['JobEvent'];
export type Progress = Schemas['Progress'];
export type Readme = Schemas['Readme'];
export type NewDraft = Schemas['NewDraft'];
export type NewServer = Schemas['NewServer'];
export type State = Schemas['State'];
export type Problem = Schemas['Problem'];
export type CrateFile = Schemas['CrateFile'];
export type RollCall = Schemas['RollCall'];
export type Control = Schemas['Control'];
export type Written = Schemas['Written'];
export type Standing = Schemas['Standing'];
export type Acted = Schemas['Acted'];
export type LogLine = Schemas['LogLine'];
export type Place = Schemas['Place'];
export type TextShown = Schemas['TextShown'];
export type TextValue = Schemas['TextValue'];
export type TextFinding = Schemas['TextFinding'];
export type TweakOn = Schemas['TweakOn'];
export type Found = Schemas['Found'];

/** A refusal of the service, in its own words. */
export class Refusal extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}

export const base = '/api/v1';
export const api = createClient<paths>({ baseUrl: base });

api.use({
  onResponse({ response, schemaPath }) {
    if (response.status === 401 && schemaPath !== '/session' && !location.pathname.startsWith('/sign-in')) {
      location.assign(`/sign-in?to=${encodeURIComponent(location.pathname + location.search)}`);
    }
  }
});

let tellCount: (count: string) => void;
/** How far the records had counted before the first answer was read: what changed since then, no
 * answer may show. */
export const firstCount = new Promise<string>((resolve) => (tellCount = resolve));

api.use({
  onResponse({ response }) {
    const count = response.headers.get('Records-Count');
    if (count !== null) tellCount(count);
  }
});

/** What is told where the service gives no answer at all. */
export const unreachable: Problem = {
  type: 'urn:restless:unreachable',
  title: 'No answer',
  status: 0,
  detail: 'The service does not answer.',
  code: 'unreachable',
  exit: 1,
  mend: 'Is restless serve still running?'
};

/** Unwraps an answer. */
export async function ok<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let answer;
  try {
    answer = await call;
  } catch {
    throw new Refusal(unreachable);
  }
  if (answer.response.ok) return answer.data as T;
  throw new Refusal(
    isProblem(answer.error)
      ? answer.error
      : { ...unreachable, detail: `The service answered ${answer.response.status}.` }
  );
}

export function isProblem(e: unknown): e is Problem {
  return typeof e === 'object' && e !== null && 'code' in e && 'detail' in e;
}

export function problemOf(e: unknown): Problem {
  if (e instanceof Refusal) return e.problem;
  return { ...unreachable, code: 'failed', detail: String(e), mend: undefined };
}

/** Gathers every page of a list. */
export async function all<T>(
  page: (cursor?: string) => Promise<{ items: T[]; next?: string }>
): Promise<T[]> {
  const out: T[] = [];
  let cursor: string | undefined;
  do {
    const p = await page(cursor);
    out.push(...p.items);
    cursor = p.next;
  } while (cursor);
  return out;
}

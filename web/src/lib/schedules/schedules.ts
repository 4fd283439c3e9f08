// How schedules are said.
import type { Schedule } from '../api/client';

export function does(s: Schedule): string {
  if (s.what?.length) return `deploy ${s.what.join(', ')}`;
  return { update: 'update what is newer and fits', survey: 'survey', restart: 'restart' }[s.does] ?? s.does;
}

/** The ink of what came of it. */
export function stands(state: string): string {
  if (state === 'done') return 'ok-ink';
  return state === 'running' || state === 'nothing' ? '' : 'block-ink';
}

/** A cron expression for a time of the day, on every day or on one of the week (0 is Sunday). */
export function cronAt(time: string, weekday: string): string {
  const [hour = '4', minute = '0'] = time.split(':');
  return `${Number(minute)} ${Number(hour)} * * ${weekday}`;
}

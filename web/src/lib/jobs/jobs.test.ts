import { expect, test } from 'vitest';
import { jobHref, jobWords } from './jobs';

test('a job is told in words, and leads to what it was about', () => {
  expect(jobWords({ kind: 'stage', subject: 'tide-lamps-2.2.zip' })).toBe('staging tide-lamps-2.2.zip');
  expect(jobHref({ kind: 'run', subject: 'saltpan#4' })).toBe('/servers/saltpan/deployments/4');
  expect(jobHref({ kind: 'survey', subject: 'saltpan' })).toBe('/servers/saltpan/survey');
  expect(jobHref({ kind: 'stage', subject: 'https://board.example/a#b' })).toBe('/staging');
  expect(jobWords({ kind: 'strange' })).toBe('strange');
});

import type { components } from '../api/generated/schema';

/** A starter's text under a game's own name and title. */
export function named(s: components['schemas']['Starter'], name: string, title: string): string {
  return s.text
    .replace(`name: ${s.name}\n`, () => `name: ${name}\n`)
    .replace('title: Your game\n', () => `title: ${JSON.stringify(title)}\n`);
}

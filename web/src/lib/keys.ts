// The keyboard: / finds, ? lists the keys, arrows walk rows, Enter opens.

/** The keys, for the sheet that lists them. */
export const keys: [string, string][] = [
  ['Ctrl K', 'go to anything: a server, an add-on, a deployment, a file'],
  ['/', 'go to the find field of the page'],
  ['↓ ↑', 'walk the rows of a table'],
  ['→ ←', 'open and close a folder of a tree'],
  ['Enter', 'open what is marked'],
  ['Esc', 'close a sheet, leave the find field'],
  ['?', 'this list']
];

const typing = 'input, textarea, select, [contenteditable]';

/** Handles a key on the page; gives what is asked for: the sheet of keys, or the palette. */
export function pressed(e: KeyboardEvent): 'keys' | 'find' | undefined {
  const at = e.target as HTMLElement;
  if ((e.ctrlKey || e.metaKey) && !e.altKey && !e.shiftKey && e.key.toLowerCase() === 'k') {
    e.preventDefault();
    return 'find';
  }
  if (e.key === 'Escape' && at.matches('[data-find]')) at.blur();
  if (at.matches(typing) || e.ctrlKey || e.metaKey || e.altKey) return undefined;
  switch (e.key) {
    case '?':
      return 'keys';
    case '/':
      document.querySelector<HTMLElement>('[data-find]')?.focus();
      e.preventDefault();
      break;
    case 'ArrowDown':
    case 'ArrowUp':
      if (walk(e.key === 'ArrowDown' ? 1 : -1)) e.preventDefault();
  }
  return undefined;
}

/** Moves the focus by one row; gives false where the page has none. */
function walk(by: 1 | -1): boolean {
  const rows = [...document.querySelectorAll<HTMLElement>('main [data-open]')];
  if (rows.length === 0) return false;
  const row = document.activeElement?.closest('[data-row]')?.querySelector<HTMLElement>('[data-open]');
  const at = row ? rows.indexOf(row) : -1;
  const next = at < 0 ? (by > 0 ? 0 : rows.length - 1) : Math.min(Math.max(at + by, 0), rows.length - 1);
  rows[next]!.focus();
  return true;
}

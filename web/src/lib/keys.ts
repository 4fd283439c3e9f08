// The keyboard: / finds, ? lists the keys, arrows walk rows, Enter opens.

/** The keys, for the sheet that lists them. */
export const keys: [string, string][] = [
  ['/', 'go to the find field of the page'],
  ['↓ ↑', 'walk the rows of a table'],
  ['Enter', 'open what is marked'],
  ['Esc', 'close a sheet, leave the find field'],
  ['?', 'this list']
];

const typing = 'input, textarea, select, [contenteditable]';

/** Handles a key on the page; gives true where the sheet of keys is asked for. */
export function pressed(e: KeyboardEvent): boolean {
  const at = e.target as HTMLElement;
  if (e.key === 'Escape' && at.matches('[data-find]')) at.blur();
  if (at.matches(typing) || e.ctrlKey || e.metaKey || e.altKey) return false;
  switch (e.key) {
    case '?':
      return true;
    case '/':
      document.querySelector<HTMLElement>('[data-find]')?.focus();
      e.preventDefault();
      break;
    case 'ArrowDown':
    case 'ArrowUp':
      if (walk(e.key === 'ArrowDown' ? 1 : -1)) e.preventDefault();
  }
  return false;
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

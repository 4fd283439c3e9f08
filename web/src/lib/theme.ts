// Light or dark: what the system says, unless the person chose otherwise here.
export type Theme = 'light' | 'dark';

const key = 'restless-theme';

export function theme(): Theme {
  const chosen = localStorage.getItem(key);
  if (chosen === 'light' || chosen === 'dark') return chosen;
  return matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light';
}

export function applyTheme(): void {
  document.documentElement.dataset.theme = theme();
}

export function choose(next: Theme): void {
  localStorage.setItem(key, next);
  applyTheme();
}

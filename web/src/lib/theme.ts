// Light or dark: what the system says, unless the person chose otherwise here.
export type Theme = 'light' | 'dark';

const key = 'restless-theme';

const system = () => matchMedia('(prefers-color-scheme: dark)');

export function theme(): Theme {
  const chosen = localStorage.getItem(key);
  if (chosen === 'light' || chosen === 'dark') return chosen;
  return system().matches ? 'dark' : 'light';
}

export function applyTheme(): void {
  document.documentElement.dataset.theme = theme();
}

export function choose(next: Theme): void {
  localStorage.setItem(key, next);
  applyTheme();
}

/** Shows what the system says, also when it changes its mind; each is told then. */
export function follow(each: (now: Theme) => void): () => void {
  const changed = () => {
    applyTheme();
    each(theme());
  };
  const media = system();
  media.addEventListener('change', changed);
  return () => media.removeEventListener('change', changed);
}

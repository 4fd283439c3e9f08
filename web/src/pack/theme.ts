// The page of the players has the system's theme: nobody is signed in who could choose another.
export function followSystem(): void {
  const dark = matchMedia('(prefers-color-scheme: dark)');
  const set = () => (document.documentElement.dataset.theme = dark.matches ? 'dark' : 'light');
  dark.addEventListener('change', set);
  set();
}

// Asks before a page is left on which something was changed and not kept.
import { onMount } from 'svelte';

/**
 * Calls ask before this page is left, by a link or by closing the tab. What it gives is what a person
 * is asked; nothing where the page may be left.
 */
export function beforeNavigate(ask: () => string | false): void {
  onMount(() => {
    const leaving = (e: BeforeUnloadEvent) => {
      if (ask()) e.preventDefault();
    };
    const clicked = (e: MouseEvent) => {
      const link = (e.target as HTMLElement).closest('a[href]');
      const words = link && !link.hasAttribute('download') && ask();
      if (!words) return;
      if (!confirm(`${words} Leave it all the same?`)) {
        e.preventDefault();
        e.stopPropagation();
      }
    };
    addEventListener('beforeunload', leaving);
    document.addEventListener('click', clicked, true);
    return () => {
      removeEventListener('beforeunload', leaving);
      document.removeEventListener('click', clicked, true);
    };
  });
}

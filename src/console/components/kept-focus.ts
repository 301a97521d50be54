import { useEffect } from 'react';

/** Long enough for a page to lead the focus itself, and too short to press another key. */
const MEANWHILE_MS = 50;

/**
 * Keeps the focus on the page: when what had it is taken away, or cannot be pressed any more, the part of the page that
 * it stood in gets it. Otherwise whoever works with the keyboard would be at the page's beginning after each act.
 */
export function useKeptFocus(): void {
  useEffect(() => {
    // What had the focus last, and what it stood in, from within.
    let had: Element[] = [];
    const remember = ({ target }: FocusEvent): void => {
      had = [];
      for (let one = target instanceof Element ? target : null; one; one = one.parentElement) had.push(one);
    };
    const look = (): void => {
      const [last, ...around] = had;
      if (!last || document.activeElement !== document.body || (last.isConnected && !last.matches(':disabled'))) return;
      const part =
        around.find((one) => one.isConnected && one.matches('section, aside, main, [role=dialog]')) ??
        document.querySelector('main');
      if (!(part instanceof HTMLElement)) return;
      if (!part.hasAttribute('tabindex')) part.tabIndex = -1;
      part.focus({ preventScroll: true });
    };
    let later: ReturnType<typeof setTimeout> | undefined;
    const observer = new MutationObserver(() => {
      clearTimeout(later);
      later = setTimeout(look, MEANWHILE_MS);
    });
    observer.observe(document.body, {
      childList: true,
      subtree: true,
      attributes: true,
      attributeFilter: ['disabled'],
    });
    document.addEventListener('focusin', remember);
    return () => {
      clearTimeout(later);
      observer.disconnect();
      document.removeEventListener('focusin', remember);
    };
  }, []);
}

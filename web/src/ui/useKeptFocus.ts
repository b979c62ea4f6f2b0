import { type RefObject, useEffect } from "react";

const WAITS_MS = 80;
const FOCUSABLE = "a[href], button:not(:disabled), input:not(:disabled), select, [tabindex='0']";

/**
 * Keeps the keyboard where it was: when what has the focus goes away with its row, what has taken its place gets it,
 * instead of nothing.
 */
export function useKeptFocus(holder: RefObject<HTMLElement | null>): void {
  useEffect(() => {
    const own = holder.current;
    if (!own) return;
    let last: HTMLElement | null = null;
    let place = 0;
    const all = () => [...own.querySelectorAll<HTMLElement>(FOCUSABLE)];
    const focused = (event: FocusEvent) => {
      last = event.target as HTMLElement;
      place = all().indexOf(last);
    };
    const seen = new MutationObserver(() => {
      if (!last || last.isConnected) return;
      last = null;
      // not under the key that is still being pressed, and only where nobody else takes the focus
      setTimeout(() => {
        if (document.activeElement !== document.body) return;
        const left = all();
        left[Math.min(place, left.length - 1)]?.focus({ preventScroll: true });
      }, WAITS_MS);
    });
    own.addEventListener("focusin", focused);
    seen.observe(own, { childList: true, subtree: true });
    return () => {
      own.removeEventListener("focusin", focused);
      seen.disconnect();
    };
  }, [holder]);
}

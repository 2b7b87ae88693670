import { useEffect, useRef } from "react";
import { useLocation } from "react-router";

/**
 * The focus never falls to the page: when what had it goes away, and when the screen changes, it goes to the screen, where the
 * next Tab finds its first control.
 */
export function useFocusKept() {
  const screen = useRef<HTMLDivElement>(null);
  const section = useLocation().pathname.split("/")[1];
  useEffect(() => {
    const fallen = () => document.activeElement === document.body || document.activeElement === null;
    let timer = 0;
    const lost = () => {
      window.clearTimeout(timer);
      timer = window.setTimeout(() => {
        if (fallen() && document.hasFocus() && !document.querySelector('[role="dialog"]')) screen.current?.focus();
      }, 60);
    };
    // A removed element tells nobody that it had the focus.
    const watch = new MutationObserver(() => fallen() && lost());
    if (screen.current) watch.observe(screen.current, { childList: true, subtree: true });
    document.addEventListener("focusout", lost);
    return () => {
      window.clearTimeout(timer);
      watch.disconnect();
      document.removeEventListener("focusout", lost);
    };
  }, []);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another screen is what moves the focus
  useEffect(() => {
    const active = document.activeElement;
    if (!screen.current?.contains(active) && !(active as HTMLElement | null)?.closest('[role="dialog"]'))
      screen.current?.focus();
  }, [section]);
  return screen;
}

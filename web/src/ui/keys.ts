import { useLayoutEffect } from "react";
import { flushSync } from "react-dom";

export interface Key {
  /** "1", "Ctrl K", "Ctrl Z", "?", "Space" */
  keys: string;
  does: string;
  run: () => void;
  /** Goes before a key of the whole page that is the same, as long as it is offered. */
  first?: boolean;
}

/** Keys that work while somebody types, too. */
const ALWAYS = ["Ctrl K", "Ctrl Enter", "Ctrl Shift Enter"];
const shown = new Map<symbol, Key[]>();

/** All keys of the screen in view, for the list that "?" shows. */
export function keysInView(): Key[] {
  return [...shown.values()].flat();
}

const TICKED = "input[type=checkbox], input[type=radio]";
/** Steps that a group of choices or a slider takes by itself. */
const STEPS = ["ArrowUp", "ArrowDown", "ArrowLeft", "ArrowRight", "Home", "End", "PageUp", "PageDown"];

/** Whether the key belongs to what has the focus: text goes into it, or it steps through what can be chosen. */
function takes(target: EventTarget | null, key: string): boolean {
  if (!(target instanceof HTMLElement)) return false;
  if (target.matches("input[type=checkbox]")) return false;
  if (target.matches("input[type=radio], input[type=range]")) return STEPS.includes(key);
  return target.matches("input, textarea, select") || target.isContentEditable;
}

/** Whether a dialog, a menu or a list lies over the screen: its keys are its own. */
function covered(): boolean {
  return document.querySelector('[role="dialog"], [role="alertdialog"], [role="menu"]') !== null;
}

/** What Space presses by itself when it has the focus. */
const PRESSED = `button, a, summary, ${TICKED}, [role=radio], [role=checkbox], [role=tab], [role=slider]`;

function matches(key: Key, event: KeyboardEvent): boolean {
  if (key.keys === "Space")
    return (
      event.key === " " && !event.repeat && !(event.target instanceof HTMLElement && event.target.matches(PRESSED))
    );
  const parts = key.keys.split(" ");
  const ctrl = parts.includes("Ctrl");
  const shift = parts.includes("Shift");
  const name = parts[parts.length - 1] ?? "";
  if (ctrl !== (event.ctrlKey || event.metaKey)) return false;
  if (name.length > 1 || ctrl || shift) if (shift !== event.shiftKey) return false;
  return event.key.toLowerCase() === name.toLowerCase();
}

/** Takes the main step of the screen, when it has one that can be taken. */
export function takeMainStep() {
  document.querySelector<HTMLButtonElement>("#screen button[data-main]:not(:disabled)")?.click();
}

/** Keys that work while the calling part of the screen is shown; not while somebody types (but with Ctrl). */
export function useKeys(keys: Key[]) {
  useLayoutEffect(() => {
    const id = Symbol("keys");
    shown.set(id, keys);
    const listen = (first: boolean) => (event: KeyboardEvent) => {
      if (event.altKey || event.defaultPrevented || covered()) return;
      const key = keys.find((k) => (k.first ?? false) === first && matches(k, event));
      if (!key || (takes(event.target, event.key) && !ALWAYS.includes(key.keys))) return;
      event.preventDefault();
      // At once: a quick second key must find what the first one did.
      flushSync(key.run);
    };
    const [early, usual] = [listen(true), listen(false)];
    window.addEventListener("keydown", early, true);
    window.addEventListener("keydown", usual);
    return () => {
      shown.delete(id);
      window.removeEventListener("keydown", early, true);
      window.removeEventListener("keydown", usual);
    };
  }, [keys]);
}

import { useState } from "react";

/** Keys chosen and ordered by the user, remembered in this browser under a name; those not known here are not among them (null: not known yet). */
export function useChosen(name: string, usual: string[], known: ReadonlySet<string> | null) {
  const [picked, setPicked] = useState<string[] | null>(() => {
    try {
      const found = JSON.parse(localStorage.getItem(name) ?? "null");
      return Array.isArray(found) ? found.filter((k): k is string => typeof k === "string") : null;
    } catch {
      return null;
    }
  });
  return {
    shown: (picked ?? usual).filter((k) => known === null || known.has(k)),
    pick: (keys: string[] | null) => {
      setPicked(keys);
      if (keys) localStorage.setItem(name, JSON.stringify(keys));
      else localStorage.removeItem(name);
    },
    changed: picked !== null,
  };
}

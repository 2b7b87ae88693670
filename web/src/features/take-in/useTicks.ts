import { useRef, useState } from "react";
import type { Line } from "./dock";

export function toggled<T>(set: ReadonlySet<T>, item: T): Set<T> {
  const next = new Set(set);
  if (!next.delete(item)) next.add(item);
  return next;
}

/** Which rows are ticked; a tick may take everything with it from the last one on. */
export function useTicks() {
  const [ticked, setTicked] = useState<Set<string>>(new Set());
  const last = useRef<string | null>(null);
  /** `span`: the rows in which everything between the last tick and this one is ticked, too; empty for this one alone. */
  const tick = (line: Line, span: Line[]) => {
    const from = span.findIndex((l) => l.key === last.current);
    const to = span.indexOf(line);
    last.current = line.key;
    if (from < 0) return setTicked(toggled(ticked, line.key));
    const between = span.slice(Math.min(from, to), Math.max(from, to) + 1);
    setTicked(new Set([...ticked, ...between.map((l) => l.key)]));
  };
  return { ticked, tick, setTicked };
}

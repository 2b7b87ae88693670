import { useEffect, useMemo, useState, useSyncExternalStore } from "react";

/** How much of the raw values is kept for the traces, in s. */
export const SHOWN_S = 6;
const AGAIN_MS = 2_000;

interface Pack {
  at: number;
  values: Record<string, number | null>;
  raw: Record<string, number | null>;
}

export interface Held {
  raw: number | null;
  /** Standard deviation over the last second; null while there is less than that. */
  spread: number | null;
  /** For how long the spread has stayed below what is allowed, in s. */
  steadyS: number;
}

/** The live values of a recorder of the last seconds, and why there are none. */
export class LiveValues {
  packs: Pack[] = [];
  lost = "";
  private readonly listeners = new Set<() => void>();

  constructor(private readonly keptS = SHOWN_S) {}

  subscribe = (listener: () => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  newest = () => this.packs[this.packs.length - 1];

  take(pack: Pack) {
    this.lost = "";
    // A slow channel is in a pack only when it has a new value.
    const values = { ...this.newest()?.values, ...pack.values };
    this.packs = [...this.packs.filter((p) => p.at > pack.at - this.keptS - 1 && p.at < pack.at), { ...pack, values }];
    this.tell();
  }

  lose(why: string) {
    this.lost = why;
    this.tell();
  }

  /** Raw values of a channel as [s before now, value]. */
  trace(channel: string): [number, number][] {
    const now = this.newest()?.at ?? 0;
    return this.packs.flatMap((p): [number, number][] => {
      const value = p.raw[channel];
      return value === null || value === undefined ? [] : [[p.at - now, value]];
    });
  }

  /** Values of a channel as [s before now, value]. */
  course(channel: string): [number, number][] {
    const now = this.newest()?.at ?? 0;
    return this.packs.flatMap((p): [number, number][] => {
      const value = p.values[channel];
      return value === null || value === undefined ? [] : [[p.at - now, value]];
    });
  }

  /** How still a channel is held. */
  held(channel: string, steady: number): Held {
    const trace = this.trace(channel);
    const last = trace[trace.length - 1];
    if (!last) return { raw: null, spread: null, steadyS: 0 };
    const spread = spreadAt(trace, trace.length - 1);
    let steadyS = 0;
    for (let i = trace.length - 1; i >= 0; i--) {
      const then = spreadAt(trace, i);
      if (then === null || then > steady) break;
      steadyS = 1 - (trace[i]?.[0] ?? 0);
    }
    return { raw: last[1], spread, steadyS };
  }

  private tell() {
    for (const listener of this.listeners) listener();
  }
}

/** Standard deviation of the second before a value; null when less than that was seen. */
function spreadAt(trace: [number, number][], end: number): number | null {
  const until = trace[end]?.[0] ?? 0;
  const inside: number[] = [];
  let begin = until;
  for (let i = end; i >= 0; i--) {
    const [at, value] = trace[i] as [number, number];
    begin = at;
    if (at <= until - 1) break;
    inside.push(value);
  }
  if (begin > until - 0.85 || inside.length < 3) return null;
  const mean = inside.reduce((a, b) => a + b, 0) / inside.length;
  return Math.sqrt(inside.reduce((a, b) => a + (b - mean) ** 2, 0) / inside.length);
}

/** Follows the live values of a recorder as long as the page is shown; comes back by itself after the link was lost. */
export function useLiveValues(recorder: number, channels: string[], raw: string[], keptS = SHOWN_S): LiveValues {
  const values = useMemo(() => new LiveValues(keptS), [keptS]);
  const query = new URLSearchParams([
    ...channels.map((c) => ["channels", c]),
    ...raw.map((c) => ["raw", c]),
  ]).toString();
  useEffect(() => {
    if (!query) return;
    let source: EventSource | null = null;
    let again: number | undefined;
    let silence: number | undefined;
    const retry = (why: string) => {
      source?.close();
      values.lose(why);
      window.clearTimeout(silence);
      window.clearTimeout(again);
      again = window.setTimeout(open, AGAIN_MS);
    };
    const open = () => {
      source = new EventSource(`/api/recorders/${recorder}/live?${query}`);
      source.onmessage = (event) => {
        window.clearTimeout(silence);
        silence = window.setTimeout(() => retry("The recorder sends no values now."), 5_000);
        values.take(JSON.parse(event.data) as Pack);
      };
      source.addEventListener("lost", (event) => retry((event as MessageEvent<string>).data));
      source.onerror = () => retry("The live values stopped; they are asked for again.");
    };
    open();
    return () => {
      source?.close();
      window.clearTimeout(again);
      window.clearTimeout(silence);
    };
  }, [recorder, query, values]);
  return values;
}

/** Renders the calling part with every new value. */
export function useNow(live: LiveValues): Pack | undefined {
  return useSyncExternalStore(live.subscribe, live.newest);
}

/** Why there are no live values, empty while there are. */
export function useLost(live: LiveValues): string {
  return useSyncExternalStore(live.subscribe, () => live.lost);
}

/** As `useNow`, a few times a second only: numbers that change faster cannot be read. */
export function useCalmNow(live: LiveValues, everyMs = 250): Pack | undefined {
  const [shown, setShown] = useState(live.newest());
  useEffect(() => {
    const timer = window.setInterval(() => setShown(live.newest()), everyMs);
    return () => window.clearInterval(timer);
  }, [live, everyMs]);
  return shown;
}

/** A value through points (raw, true): lines from one to the next, the outer ones go on; one point moves the zero. */
export function through(points: [number, number][], raw: number): number | null {
  const ordered = [...points].sort((a, b) => a[0] - b[0]);
  const [first] = ordered;
  if (!first) return null;
  if (ordered.length === 1) return raw + first[1] - first[0];
  let i = 1;
  while (i < ordered.length - 1 && raw >= (ordered[i] as [number, number])[0]) i++;
  const [x0, y0] = ordered[i - 1] as [number, number];
  const [x1, y1] = ordered[i] as [number, number];
  return y0 + ((raw - x0) * (y1 - y0)) / (x1 - x0);
}

import { useCallback, useMemo, useState } from "react";
import type { Edge, LaneBand } from "@/charts/Lanes";
import { stretchesOf } from "./assessed";
import type { ReviewSheetProps } from "./contract";

const SHORTEST_S = 1;

/**
 * Edges of stretches that drag: those that somebody marked, and the sleep that was computed. While one moves the server says what
 * would come out; let go, it is decided.
 */
export function useEdges({
  review,
  kind,
  locked,
  actions,
  supposed,
}: Pick<ReviewSheetProps, "review" | "kind" | "locked" | "actions" | "supposed">) {
  const [moving, setMoving] = useState<{ key: string; atS: number } | null>(null);
  const { reviewed, session } = review;
  const canSleep = kind.stretches.some((w) => w.what === "asleep");
  const spans = useMemo(() => {
    if (locked) return [];
    const marked = stretchesOf(review).map((stretch) => ({
      key: `decision ${stretch.id}`,
      startS: stretch.start_s,
      endS: stretch.end_s,
      stretch,
    }));
    if (!canSleep || marked.some((m) => m.stretch.what === "asleep")) return marked;
    const computed = (reviewed.stretches ?? []).map((s, i) => ({
      key: `computed ${i}`,
      startS: s.start_s,
      endS: s.end_s,
      stretch: null,
    }));
    return [...marked, ...computed];
  }, [review, reviewed, locked, canSleep]);

  const edges = useMemo<Edge[]>(
    () =>
      spans.flatMap((s) =>
        (["start", "end"] as const).map((side) => {
          const key = `${s.key} ${side}`;
          return { key, atS: moving?.key === key ? moving.atS : side === "start" ? s.startS : s.endS };
        }),
      ),
    [spans, moving],
  );

  /** The span of a stretch with one of its edges at another moment. */
  const with_ = useCallback(
    (s: (typeof spans)[number], key: string, atS: number): [number, number] => {
      const at = Math.min(Math.max(atS, 0), session.length_s);
      if (key === `${s.key} start`) return [Math.min(at, s.endS - SHORTEST_S), s.endS];
      if (key === `${s.key} end`) return [s.startS, Math.max(at, s.startS + SHORTEST_S)];
      return [s.startS, s.endS];
    },
    [session.length_s],
  );

  const onEdge = (key: string, atS: number | null, done: boolean) => {
    if (atS === null) {
      setMoving(null);
      supposed.forget();
      return;
    }
    const span = spans.find((s) => key.startsWith(`${s.key} `));
    if (!span) return;
    const { stretch } = span;
    const [from, to] = with_(span, key, atS);
    const computed = spans.filter((s) => s.stretch === null).map((s) => with_(s, key, atS));
    if (done) {
      const changed = from !== span.startS || to !== span.endS;
      const doing = !changed
        ? null
        : stretch
          ? actions.edit(stretch, from, to, stretch.reason)
          : actions.sleep(computed);
      // What was supposed stays in view until it is so, or refused.
      void Promise.resolve(doing).finally(() => {
        setMoving(null);
        supposed.forget();
      });
      return;
    }
    setMoving({ key, atS: key.endsWith(" start") ? from : to });
    if (stretch)
      supposed.suppose({
        add: [{ what: stretch.what, start_s: from, end_s: to, reason: stretch.reason }],
        remove: [stretch.id],
      });
    else supposed.suppose({ add: computed.map(([start_s, end_s]) => ({ what: "asleep", start_s, end_s })) });
  };

  /** A band as it lies while one of its edges moves. */
  const moved = useCallback(
    (band: LaneBand): LaneBand => {
      const span = moving && spans.find((s) => moving.key.startsWith(`${s.key} `));
      if (!span || band.look === "suggestion" || band.startS !== span.startS || band.endS !== span.endS) return band;
      const [startS, endS] = with_(span, moving.key, moving.atS);
      return { ...band, startS, endS };
    },
    [moving, spans, with_],
  );
  return { edges, onEdge, moved, moving: moving !== null };
}

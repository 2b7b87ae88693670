import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type KeyboardEvent, type PointerEvent, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import { api, ask } from "@/api/client";
import { usePainted } from "@/charts/lanes/painted";
import { type Assessed, stretchesOf } from "@/sheet/assessed";
import { Button } from "@/ui/basics";
import type { WallClock } from "@/ui/format";
import { type Case, MM_PER_MV, MM_PER_S } from "./case";
import { Frame } from "./Frame";
import { heightOf, paint } from "./paint";
import { Ruler } from "./Ruler";
import { useScreenScale } from "./scale";

/** What is fetched at once: a minute, with what lies before and after it. */
const [CHUNK_S, MARGIN_S, POINTS] = [40, 15, 20_000];
const SETTLES_MS = 150;
const GAINS = [MM_PER_MV, MM_PER_MV / 2];

/** Samples around a moment: the chunk that it lies in, and the next, so that going on waits for nothing. */
function useEcg(session: Assessed["session"], fromS: number) {
  const chunk = Math.floor(fromS / CHUNK_S);
  const options = (at: number) => ({
    queryKey: ["view", session.id, "ecg", "strip", at],
    queryFn: () =>
      ask(
        api.GET("/api/sessions/{session_id}/view", {
          params: {
            path: { session_id: session.id },
            query: {
              channel: ["ecg"],
              start_s: Math.max(at * CHUNK_S - MARGIN_S, 0),
              end_s: Math.min((at + 1) * CHUNK_S + MARGIN_S, session.length_s),
              points: POINTS,
            },
          },
        }),
      ),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const here = useQuery({ ...options(chunk), placeholderData: keepPreviousData });
  useQuery({ ...options(chunk + 1), enabled: (chunk + 1) * CHUNK_S < session.length_s });
  const view = here.data?.[0];
  return view && { startS: view.start_s, binS: view.bin_s, low: view.low, high: view.high, mean: view.mean };
}

/** Minutes and seconds since the start: "2:53". */
const minutesOf = (seconds: number) =>
  `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")}`;

/** The ECG to scale, moved by dragging or by keys; N and P go to what happened next or before. */
export function StripView({
  review,
  about,
  wished,
  onSeen,
  clock,
}: {
  review: Assessed;
  about: Case;
  /** Where it is to begin, said from outside; anew each time. */
  wished: { fromS: number };
  /** What is seen, once it stands still: going along waits for nothing else of the sheet. */
  onSeen: (fromS: number, seconds: number) => void;
  clock: WallClock;
}) {
  const { session } = review;
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const { pxPerMm, isMeasured, keep } = useScreenScale();
  const [gain, setGain] = useState(MM_PER_MV);
  const [fromS, setFromS] = useState(wished.fromS);
  const [heard, setHeard] = useState(wished);
  if (heard !== wished) {
    setHeard(wished);
    setFromS(wished.fromS);
  }
  const [isMeasuring, setMeasuring] = useState(false);
  const ecg = useEcg(session, fromS);
  const leftOut = useMemo(
    () => stretchesOf(review, "left out").map((s): [number, number] => [s.start_s, s.end_s]),
    [review],
  );
  usePainted(box, () =>
    paint(canvas.current, { fromS, pxPerMm, gain, ecg, about, clock, lengthS: session.length_s, leftOut }),
  );
  const [wide, setWide] = useState(8);
  useLayoutEffect(() => {
    const measure = () => setWide((canvas.current?.clientWidth ?? 800) / (MM_PER_S * pxPerMm));
    measure();
    const watch = new ResizeObserver(measure);
    if (box.current) watch.observe(box.current);
    return () => watch.disconnect();
  }, [pxPerMm]);
  useEffect(() => {
    const settled = window.setTimeout(() => onSeen(fromS, wide), SETTLES_MS);
    return () => window.clearTimeout(settled);
  }, [onSeen, fromS, wide]);
  const move = (to: number) => setFromS(Math.min(Math.max(to, 0), Math.max(session.length_s - wide / 2, 0)));
  const step = (forwards: boolean) => {
    const middle = fromS + wide / 2;
    const next = forwards
      ? about.said.find((each) => each.atS > middle + 0.01)
      : about.said.findLast((each) => each.atS < middle - 0.01);
    if (next) move(next.atS - wide / 2);
  };
  const key = (event: KeyboardEvent) => {
    const moves: Record<string, () => void> = {
      ArrowRight: () => move(fromS + wide * (event.shiftKey ? 0.9 : 0.25)),
      ArrowLeft: () => move(fromS - wide * (event.shiftKey ? 0.9 : 0.25)),
      Home: () => move(0),
      End: () => move(session.length_s),
      n: () => step(true),
      p: () => step(false),
    };
    const run = event.ctrlKey || event.metaKey || event.altKey ? undefined : moves[event.key];
    if (!run) return;
    run();
    event.preventDefault();
  };
  const held = useRef<{ x: number; fromS: number } | null>(null);
  const drag = (event: PointerEvent) => {
    if (held.current) move(held.current.fromS - (event.clientX - held.current.x) / (MM_PER_S * pxPerMm));
  };
  return (
    <section aria-label="ECG to scale" className="mt-2.5 rounded-lg border border-line bg-panel px-3 py-2">
      <div className="flex flex-wrap items-center gap-x-3 pb-1 text-[13px]">
        <b className="font-narrow font-semibold">ECG</b>
        <span className="text-soft">
          {MM_PER_S} mm/s, {gain} mm/mV, {isMeasured ? "true to scale on this screen" : "true to scale on paper"}
        </span>
        <button type="button" className="min-h-6 text-act hover:underline" onClick={() => setMeasuring(true)}>
          {isMeasured ? "measure the screen again" : "hold a card to it to set the scale"}
        </button>
        <span className="ml-auto text-soft">
          {minutesOf(fromS)} to {minutesOf(Math.min(fromS + wide, session.length_s))} of {minutesOf(session.length_s)}
        </span>
        <Button size="small" onClick={() => step(false)}>
          before <kbd>P</kbd>
        </Button>
        <Button size="small" onClick={() => step(true)}>
          next <kbd>N</kbd>
        </Button>
        <Button size="small" onClick={() => setGain(gain === GAINS[0] ? (GAINS[1] ?? gain) : (GAINS[0] ?? gain))}>
          {gain === GAINS[0] ? GAINS[1] : GAINS[0]} mm/mV
        </Button>
      </div>
      <Frame about={about} lengthS={session.length_s} fromS={fromS} wideS={wide} onMove={move} />
      <div
        ref={box}
        role="application"
        aria-label="The ECG and every compression to scale. Arrows move, with Shift by a whole view; N and P go to what happened next or before."
        // biome-ignore lint/a11y/noNoninteractiveTabindex: moved by keyboard, it needs the focus
        tabIndex={0}
        className="cursor-grab touch-pan-y active:cursor-grabbing"
        onKeyDown={key}
        onPointerDown={(event) => {
          held.current = { x: event.clientX, fromS };
          event.currentTarget.setPointerCapture(event.pointerId);
        }}
        onPointerMove={drag}
        onPointerUp={() => {
          held.current = null;
        }}
        onPointerCancel={() => {
          held.current = null;
        }}
      >
        <canvas ref={canvas} className="block w-full" style={{ height: heightOf(pxPerMm) }} />
      </div>
      {isMeasuring && (
        <Ruler pxPerMm={pxPerMm} isMeasured={isMeasured} onKeep={keep} onClose={() => setMeasuring(false)} />
      )}
    </section>
  );
}

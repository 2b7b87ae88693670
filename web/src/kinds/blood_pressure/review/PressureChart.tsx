import { useMemo, useRef, useState } from "react";
import { useGestures } from "@/charts/lanes/gestures";
import { timeKeys, usePainted } from "@/charts/lanes/painted";
import type { TimeGestures } from "@/charts/lanes/types";
import { number } from "@/ui/format";
import { ACTIVITY, type Chart, drawChart, FAILED, HEIGHT, PULSE, pressureScale, RIGHT, type Scale } from "./chart";
import { isValid, type Reading } from "./readings";

const LEGEND = "absolute font-narrow text-[12px] text-soft";

/** A reading in words: "16:47, 150/92 mmHg, 73 bpm". */
export function readingWords(r: Reading, clock: Chart["clock"]): string {
  if (!isValid(r)) return `${clock(r.atS)}, try failed: ${r.state}`;
  const words = [
    `${clock(r.atS)}, ${number(r.systolic, 0)}/${number(r.diastolic, 0)} mmHg`,
    r.pulse === null ? "" : `${number(r.pulse, 0)} bpm`,
    r.byHand ? "by hand" : "",
    r.state,
  ];
  return words.filter(Boolean).join(", ");
}

const nearest = (readings: Reading[], atS: number): Reading | undefined =>
  readings.reduce<Reading | undefined>(
    (best, r) => (best && Math.abs(best.atS - atS) <= Math.abs(r.atS - atS) ? best : r),
    undefined,
  );

/** Readings and activity on one clock, with the edges of sleep; what is under the pointer, or chosen, is said above. */
export function PressureChart({
  chart,
  whole,
  head,
  onSpan,
  onSelect,
  onChoose,
  onEdge,
  title = "Readings and activity",
  scale: given,
  shared,
}: {
  chart: Chart;
  whole: [number, number];
  /** What stands beside the heading. */
  head: React.ReactNode;
  onSpan: (span: [number, number]) => void;
  onSelect: (startS: number, endS: number) => void;
  onChoose: (key: string) => void;
  onEdge: NonNullable<TimeGestures["onEdge"]>;
  title?: string;
  /** A scale that several charts share; else the one that fits. */
  scale?: Scale;
  /** A cursor that several charts share. */
  shared?: { atS: number | null; onCursor: (atS: number | null) => void };
}) {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<{ marks: null; lanes: HTMLCanvasElement | null }>({ marks: null, lanes: null });
  const [own, setOwn] = useState<number | null>(null);
  const [cursorS, setCursorS] = shared ? [shared.atS, shared.onCursor] : [own, setOwn];
  const fitting = useMemo(() => pressureScale(chart.readings, chart.levels), [chart.readings, chart.levels]);
  const scale = given ?? fitting;
  const gestures: TimeGestures = {
    rows: [],
    span: chart.span,
    whole,
    edges: chart.edges,
    right: RIGHT,
    onSpan,
    onSelect,
    onCursor: setCursorS,
    onMark: () => {},
    onPoint: (atS) => {
      const found = nearest(chart.readings, atS);
      if (found) onChoose(found.key);
    },
    onEdge,
  };
  const latest = useRef(gestures);
  latest.current = gestures;
  const dragged = useRef<[number, number] | null>(null);
  const cursor = useRef<number | null>(null);
  const repaint = usePainted(box, () => drawChart(canvas.current.lanes, chart, scale, dragged.current, cursorS));
  useGestures(box, canvas, latest, dragged, cursor, repaint);
  const pointed = cursorS === null ? chart.readings.find((r) => r.key === chart.chosen) : undefined;
  const under = cursorS === null ? pointed : nearest(chart.readings, cursorS);
  return (
    <section className="mt-2.5 rounded-lg border border-line bg-panel px-3 py-2" aria-label={title}>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1 pb-1.5 text-[13px]">
        <b className="font-narrow font-semibold">{title}</b>
        {head}
        <span className="ml-auto min-h-5 min-w-0 truncate font-medium" aria-live="off">
          {under && readingWords(under, chart.clock)}
        </span>
      </div>
      <div
        ref={box}
        role="application"
        aria-label={`${title} on one clock. Plus and minus zoom, arrows left and right move, 0 shows everything.`}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: zoom and pan by keyboard need the focus
        tabIndex={0}
        className="relative touch-pan-y"
        onKeyDown={timeKeys(gestures)}
      >
        <div className="grid grid-cols-[42px_minmax(0,1fr)]">
          <div aria-hidden="true" className="relative">
            <span className={LEGEND} style={{ top: 8 }}>
              activity
            </span>
            <span className={LEGEND} style={{ top: ACTIVITY + 12 }}>
              mmHg
            </span>
            <span className={`${LEGEND} leading-[13px]`} style={{ top: HEIGHT - 20 - FAILED - PULSE + 8 }}>
              pulse
              <br />
              bpm
            </span>
            <span className={LEGEND} style={{ top: HEIGHT - 20 - FAILED + 1 }}>
              failed
            </span>
          </div>
          <canvas
            ref={(element) => {
              canvas.current.lanes = element;
            }}
            className="w-full"
            style={{ height: HEIGHT }}
          />
        </div>
      </div>
    </section>
  );
}

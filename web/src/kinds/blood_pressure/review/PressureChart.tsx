import { useMemo, useRef, useState } from "react";
import { type Dragged, draggedAcross, type LineUnder } from "@/charts/lanes/across";
import { type Across, useGestures } from "@/charts/lanes/gestures";
import { LEFT } from "@/charts/lanes/measures";
import { timeKeys, usePainted } from "@/charts/lanes/painted";
import type { TimeGestures } from "@/charts/lanes/types";
import { type LimitPlace, lineAt, samePlace } from "@/charts/limitLine";
import { number } from "@/ui/format";
import {
  ACTIVITY,
  type Chart,
  drawChart,
  FAILED,
  HEIGHT,
  PULSE,
  pressureAt,
  pressureScale,
  RIGHT,
  type Scale,
  yOf,
} from "./chart";
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

interface Drawn {
  chart: Chart;
  scale: Scale;
  onLine: ((limit: LimitPlace, value: number) => void) | undefined;
}

/** The line of a limit under a pointer, where it holds. */
function lineUnder(canvas: HTMLCanvasElement | null, drawn: Drawn, event: PointerEvent): LineUnder<Dragged> | null {
  const { chart, scale, onLine } = drawn;
  if (!canvas || !onLine) return null;
  const place = canvas.getBoundingClientRect();
  const [from, to] = chart.span;
  const atS = from + ((event.clientX - place.left - LEFT) / Math.max(place.width - LEFT - RIGHT, 1)) * (to - from);
  const lines = chart.levels.filter((l) => l.startS <= atS && atS < l.endS);
  const line = lineAt(lines, (value) => yOf(value, scale), event.clientY - place.top, event.pointerType);
  if (!line) return null;
  return {
    drag: { limit: line.limit, value: line.value, range: scale },
    valueAt: (clientY) => pressureAt(clientY - place.top, scale),
  };
}

/** Readings and activity on one clock, with the edges of sleep; what is under the pointer, or chosen, is said above. */
export function PressureChart({
  chart,
  whole,
  head,
  onSpan,
  onSelect,
  onChoose,
  onEdge,
  onLine,
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
  /** Where the line of a limit is dragged to; without it lines stay where they are. */
  onLine?: ((limit: LimitPlace, value: number) => void) | undefined;
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
  const drag = useRef<Dragged | null>(null);
  const drawn = useRef<Drawn>({ chart, scale, onLine });
  drawn.current = { chart, scale, onLine };
  const across = useRef<Across | null>(null);
  across.current ??= draggedAcross(
    (event) => lineUnder(canvas.current.lanes, drawn.current, event),
    drag,
    (limit, value) => drawn.current.onLine?.(limit, value),
  );
  const repaint = usePainted(box, () => {
    const line = drag.current;
    const levels = line
      ? chart.levels.map((l) => (samePlace(l.limit, line.limit) ? { ...l, value: line.value } : l))
      : chart.levels;
    drawChart(canvas.current.lanes, { ...chart, levels }, line?.range ?? scale, dragged.current, cursorS);
  });
  useGestures(box, canvas, latest, dragged, cursor, repaint, across);
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

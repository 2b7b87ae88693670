import { useMemo, useRef, useState } from "react";
import { useGestures } from "@/charts/lanes/gestures";
import { LEFT } from "@/charts/lanes/measures";
import { timeKeys, usePainted } from "@/charts/lanes/painted";
import type { TimeGestures } from "@/charts/lanes/types";
import { kindName } from "@/kinds/kinds";
import { decimalsOf, moment, number, unitWords } from "@/ui/format";
import {
  CHANGES,
  drawYears,
  type Event,
  HEAD,
  heightOf,
  type Lane,
  laneHeight,
  type Mark,
  placeOf,
  RIGHT,
  rangeOf,
  secondsOf,
  yOf,
} from "./draw";

const DAY_S = 86_400;
const REACH_PX = 14;

/** The sessions of all lanes, oldest first. */
export const inOrder = (lanes: Lane[]) =>
  lanes
    .flatMap((lane) => lane.marks.map((mark) => ({ lane, mark })))
    .sort((a, b) => secondsOf(a.mark.started_at) - secondsOf(b.mark.started_at));

/** The value of a session; of what has two ends both. */
export const endsOf = (lane: Lane, mark: Mark) =>
  [mark.value, ...(mark.low === null ? [] : [mark.low])].map((end) => number(end, decimals(lane))).join("/");

/** A session in words: when, the value, what came of it. */
export function markWords(lane: Lane, mark: Mark): string {
  const value = mark.value === null ? "not measured" : `${endsOf(lane, mark)} ${unitWords(lane.unit)}`;
  const verdict = mark.verdict ? `, ${mark.verdict}` : "";
  return `${kindName(lane.kind)}, ${moment(mark.started_at, mark.utc_offset_min)}: ${value}${mark.projected ? ", projected" : ""}${verdict}${mark.signed ? "" : ", not yet signed off"}`;
}

/** As many decimals as the figure is stated with. */
export const decimals = (lane: Lane) => Math.max(0, ...lane.marks.map((mark) => decimalsOf(mark.value)));

/** From the first session or change to today, with some room. */
export function wholeOf(lanes: Lane[], events: Event[], nowS: number): [number, number] {
  const all = [
    ...inOrder(lanes).map(({ mark }) => secondsOf(mark.started_at)),
    ...events.map((event) => event.atS),
    nowS,
  ];
  const [from, to] = [Math.min(...all), Math.max(...all)];
  const room = Math.max((to - from) * 0.03, 3 * DAY_S);
  return [from - room, to + room];
}

/** Left of the lanes: which kind, by which figure, how many sessions. */
function Heads({ lanes, onFigure }: { lanes: Lane[]; onFigure: (kind: string, figure: string) => void }) {
  return (
    <div>
      <div style={{ height: HEAD + CHANGES }} className="pt-6 text-[12.5px]">
        <b className="font-narrow font-semibold">What changed</b>
      </div>
      {lanes.map((lane) => (
        <div key={lane.kind} style={{ height: laneHeight(lanes.length) }} className="border-line border-t pt-2 pr-2">
          <b className="block font-narrow font-semibold text-[13.5px]">{kindName(lane.kind)}</b>
          <select
            aria-label={`Figure of ${kindName(lane.kind)}`}
            className="-ml-1 max-w-full truncate rounded bg-transparent text-[12.5px] text-soft"
            value={lane.figure}
            onChange={(event) => onFigure(lane.kind, event.target.value)}
          >
            {lane.choices.map((each) => (
              <option key={each.figure} value={each.figure}>
                {each.label}
              </option>
            ))}
          </select>
          <span className="block text-[12px] text-soft">
            {[unitWords(lane.unit), `${lane.marks.length} session${lane.marks.length === 1 ? "" : "s"}`]
              .filter(Boolean)
              .join(", ")}
          </span>
          {lane.curves.length > 1 && (
            <span className="block text-[12px] text-soft">
              thin: {lane.curves[0]?.name}; broad: {lane.curves[1]?.name}
            </span>
          )}
          {lane.weeks.some((week) => week.value !== null) && (
            <span className="block text-[12px] text-soft">bars: whole weeks, {lane.weekly}</span>
          )}
        </div>
      ))}
    </div>
  );
}

/** Every kind as a lane on one axis of dates: a shape a session, limits as they were in force, what was changed through all of them. */
export function YearsPicture({
  lanes,
  events,
  chosen,
  onChoose,
  onOpen,
  onFigure,
}: {
  lanes: Lane[];
  events: Event[];
  chosen: number[];
  onChoose: (mark: Mark) => void;
  onOpen: (mark: Mark) => void;
  onFigure: (kind: string, figure: string) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<{ marks: null; lanes: HTMLCanvasElement | null }>({ marks: null, lanes: null });
  const [nowS] = useState(() => Date.now() / 1000);
  const whole = useMemo(() => wholeOf(lanes, events, nowS), [lanes, events, nowS]);
  const [wished, setWished] = useState<[number, number] | null>(null);
  const span = wished ?? whole;
  const [cursorS, setCursorS] = useState<number | null>(null);
  const [looked, setLooked] = useState<number | null>(null);
  const order = useMemo(() => inOrder(lanes), [lanes]);
  const xOf = (s: number) => {
    const width = (canvas.current.lanes?.clientWidth ?? 0) - RIGHT - LEFT;
    return LEFT + ((s - span[0]) / (span[1] - span[0])) * width;
  };
  const nearest = (atS: number, y: number) => {
    const tall = laneHeight(lanes.length);
    const index = Math.floor((y - HEAD - CHANGES) / tall);
    const lane = lanes[index];
    if (!lane) return undefined;
    const range = rangeOf(lane);
    const place = yOf(index, tall, range);
    const away = (mark: Mark) =>
      Math.hypot(xOf(secondsOf(mark.started_at)) - xOf(atS), placeOf(mark, place, range) - y);
    const [first] = lane.marks.filter((mark) => away(mark) <= REACH_PX).sort((a, b) => away(a) - away(b));
    return first && { lane, mark: first };
  };
  const gestures: TimeGestures = {
    rows: [],
    span,
    whole,
    right: RIGHT,
    shortestS: DAY_S,
    onSpan: setWished,
    onSelect: (a, b) => setWished([a, Math.max(b, a + DAY_S)]),
    onCursor: setCursorS,
    onMark: () => {},
    onPoint: (atS, y) => {
      const found = nearest(atS, y);
      if (!found) return;
      setLooked(found.mark.session_id);
      onChoose(found.mark);
    },
  };
  const latest = useRef(gestures);
  latest.current = gestures;
  const dragged = useRef<[number, number] | null>(null);
  const cursor = useRef<number | null>(null);
  const repaint = usePainted(box, () =>
    drawYears(
      canvas.current.lanes,
      { lanes, events, span, nowS, chosen, looked },
      dragged.current,
      cursorS === null ? null : cursor.current,
    ),
  );
  useGestures(box, canvas, latest, dragged, cursor, repaint);
  const at = order.findIndex(({ mark }) => mark.session_id === looked);
  const under = order[at];
  const keys = timeKeys(gestures);
  return (
    <section aria-label="Over the years" className="rounded-lg border border-line bg-panel px-3 py-2">
      <div className="flex flex-wrap items-baseline gap-x-3 pb-1 text-[13px]">
        <h2>Over the years</h2>
        <span className="text-soft">
          drag for a closer look; dashed shapes are not signed off; two of a lane are A and B
        </span>
        {wished && (
          <button type="button" className="ml-auto text-act hover:underline" onClick={() => setWished(null)}>
            all years
          </button>
        )}
        {/* A line of its own, whether something is said or not: the picture stays where it is under the hand. */}
        <p role="status" className="min-h-5 basis-full truncate font-medium">
          {under && markWords(under.lane, under.mark)}
        </p>
      </div>
      <div
        ref={box}
        role="application"
        aria-label="Figures over the years. Plus and minus zoom, arrows left and right move, up and down lead from session to session, Space chooses one, Enter opens it, 0 shows all years."
        // biome-ignore lint/a11y/noNoninteractiveTabindex: zoom and pan by keyboard need the focus
        tabIndex={0}
        className="grid touch-pan-y grid-cols-[118px_minmax(0,1fr)]"
        onDoubleClick={() => setWished(null)}
        onKeyDown={(event) => {
          if (event.target !== event.currentTarget) return;
          const step = event.key === "ArrowDown" ? 1 : event.key === "ArrowUp" ? -1 : 0;
          if (step) {
            const next =
              order[Math.min(Math.max(at < 0 ? (step > 0 ? 0 : order.length - 1) : at + step, 0), order.length - 1)];
            if (next) setLooked(next.mark.session_id);
          } else if (event.key === " " && under) onChoose(under.mark);
          else if (event.key === "Enter" && under) onOpen(under.mark);
          else return keys(event);
          event.preventDefault();
        }}
      >
        <Heads lanes={lanes} onFigure={onFigure} />
        <canvas
          ref={(element) => {
            canvas.current.lanes = element;
          }}
          className="w-full"
          style={{ height: heightOf(lanes) }}
        />
      </div>
    </section>
  );
}

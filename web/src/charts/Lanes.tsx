import { type RefObject, useCallback, useEffect, useLayoutEffect, useRef } from "react";
import type { WallClock } from "@/ui/format";
import { clockSplits, hatch, LANE_COLOURS, niceRange, token } from "./drawing";

/** Values in equal bins; null where nothing was measured. */
export interface Binned {
  startS: number;
  binS: number;
  low: (number | null)[];
  high: (number | null)[];
  mean: (number | null)[];
}

export interface Point {
  atS: number;
  value: number;
  kept: boolean;
}

export interface Lane {
  key: string;
  name: string;
  unit: string;
  look: "line" | "steps" | "flag" | "points";
  bins?: Binned;
  points?: Point[];
  lines: { value: number; text: string }[];
}

export interface MarkRow {
  label: string;
  items: { key: string; startS: number; endS: number; kept: boolean }[];
}

export interface LaneBand {
  startS: number;
  endS: number;
  look: "left out" | "task" | "asleep" | "suggestion";
  text: string;
}

interface Props {
  rows: MarkRow[];
  lanes: Lane[];
  bands: LaneBand[];
  span: [number, number];
  whole: [number, number];
  clock: WallClock;
  /** The event that is being looked at. */
  chosen: string | null;
  onSpan: (span: [number, number]) => void;
  onSelect: (startS: number, endS: number) => void;
  onCursor: (atS: number | null) => void;
  onMark: (key: string) => void;
  label: string;
}

const ROW = 16;
const AXIS = 24;
const LEFT = 40;
const MOST_TALL = 7;
const SLIM = 26;
const SHORTEST_S = 1;

/** Heights of the lanes: up to seven share the room by weight, more are slim. */
export function heights(lanes: Lane[]): number[] {
  if (lanes.length > MOST_TALL) return lanes.map(() => SLIM);
  const weight = (lane: Lane) => (lane.look === "flag" ? 0.45 : lane.lines.length ? 1.5 : 1);
  const total = lanes.reduce((sum, lane) => sum + weight(lane), 0);
  const room = Math.min(236, 84 * total);
  return lanes.map((lane) => Math.max(Math.round((room * weight(lane)) / total), SLIM));
}

function rangeOf(lane: Lane): [number, number] {
  let low = Number.POSITIVE_INFINITY;
  let high = Number.NEGATIVE_INFINITY;
  const take = (v: number | null | undefined) => {
    if (v === null || v === undefined) return;
    if (v < low) low = v;
    if (v > high) high = v;
  };
  for (const v of lane.bins?.low ?? []) take(v);
  for (const v of lane.bins?.high ?? []) take(v);
  for (const p of lane.points ?? []) take(p.value);
  if (!Number.isFinite(low)) return [0, 1];
  if (lane.look === "flag") return [0, 1];
  for (const line of lane.lines)
    if (line.value <= high + (high - low) && line.value >= low - (high - low)) take(line.value);
  return niceRange(low, high);
}

interface Drawing {
  context: CanvasRenderingContext2D;
  width: number;
  height: number;
  plot: number;
  from: number;
  to: number;
  x: (s: number) => number;
}

const font = (size: number, weight = 500) => `${weight} ${size}px "Barlow Semi Condensed"`;

/** A canvas made ready: sized to its place, cleared, with the lines of the clock, and what turns seconds into pixels. */
function begin(canvas: HTMLCanvasElement | null, props: Props): Drawing | null {
  const context = canvas?.getContext("2d");
  if (!canvas || !context) return null;
  const ratio = devicePixelRatio || 1;
  const width = canvas.clientWidth;
  const height = canvas.clientHeight;
  if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
    canvas.width = Math.round(width * ratio);
    canvas.height = Math.round(height * ratio);
  }
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  context.clearRect(0, 0, width, height);
  const [from, to] = props.span;
  const plot = width - LEFT - 2;
  return { context, width, height, plot, from, to, x: (s) => LEFT + ((s - from) / (to - from)) * plot };
}

function clockLines({ context, height, plot, from, to, x }: Drawing, props: Props) {
  context.strokeStyle = token("--hair");
  context.lineWidth = 1;
  for (const s of clockSplits(from, to, plot, props.clock)) {
    context.beginPath();
    context.moveTo(Math.round(x(s)) + 0.5, 0);
    context.lineTo(Math.round(x(s)) + 0.5, height);
    context.stroke();
  }
}

function clipped({ context, plot, height }: Drawing, paint: () => void) {
  context.save();
  context.beginPath();
  context.rect(LEFT, 0, plot, height);
  context.clip();
  paint();
  context.restore();
}

/** What lies over marks and lanes alike: sleep beneath; left-out stretches, what is being dragged, the cursor above. */
function below({ context, height, from, to, x }: Drawing, props: Props) {
  context.fillStyle = token("--act-soft");
  context.globalAlpha = 0.6;
  for (const band of props.bands)
    if (band.look === "asleep" && band.endS >= from && band.startS <= to)
      context.fillRect(x(band.startS), 0, x(band.endS) - x(band.startS), height);
  context.globalAlpha = 1;
}

function above(drawing: Drawing, props: Props, dragged: [number, number] | null, cursorS: number | null) {
  const { context, height, from, to, x } = drawing;
  for (const band of props.bands) {
    if (band.endS < from || band.startS > to || band.look === "asleep") continue;
    const a = x(band.startS);
    const size = Math.max(x(band.endS) - a, 2);
    if (band.look === "left out") hatch(context, a, 0, size, height);
    else if (band.look === "task") {
      context.fillStyle = token("--brass");
      context.fillRect(a, 0, size, 4);
    } else {
      context.strokeStyle = token("--action");
      context.setLineDash([3, 3]);
      context.strokeRect(a - 0.5, -1, size + 1, height + 2);
      context.setLineDash([]);
    }
  }
  if (dragged) {
    context.fillStyle = token("--act");
    context.globalAlpha = 0.18;
    context.fillRect(x(Math.min(...dragged)), 0, Math.abs(x(dragged[1]) - x(dragged[0])), height);
    context.globalAlpha = 1;
  }
  if (cursorS !== null) {
    context.strokeStyle = token("--act");
    context.setLineDash([2, 2]);
    context.beginPath();
    context.moveTo(x(cursorS), 0);
    context.lineTo(x(cursorS), height);
    context.stroke();
    context.setLineDash([]);
  }
}

function drawMarks(drawing: Drawing, props: Props) {
  const { context, from, to, x } = drawing;
  props.rows.forEach((row, i) => {
    const middle = i * ROW + ROW / 2;
    for (const item of row.items) {
      if (item.endS < from || item.startS > to) continue;
      const at = x(item.startS);
      context.fillStyle = item.key === props.chosen ? token("--brass") : item.kept ? token("--ink") : token("--none");
      context.strokeStyle = context.fillStyle;
      const long = x(item.endS) - at;
      if (long > 8) {
        if (item.kept) context.fillRect(at, middle - 4, long, 8);
        else context.strokeRect(at, middle - 3.5, long, 7);
      } else {
        context.beginPath();
        context.moveTo(at - 4, middle - 4);
        context.lineTo(at + 4, middle - 4);
        context.lineTo(at, middle + 4);
        context.closePath();
        if (item.kept) context.fill();
        else context.stroke();
      }
      if (item.kept) continue;
      context.beginPath();
      context.moveTo(at - 5, middle + 5);
      context.lineTo(Math.max(at + long, at + 5), middle - 5);
      context.stroke();
    }
  });
}

function drawAxis({ context, width, plot, from, to, x }: Drawing, props: Props) {
  context.font = font(12, 400);
  context.textBaseline = "middle";
  context.textAlign = "center";
  context.fillStyle = token("--soft");
  for (const s of clockSplits(from, to, plot, props.clock))
    context.fillText(props.clock(s, to - from < 600), Math.min(Math.max(x(s), LEFT + 14), width - 18), AXIS / 2 + 1);
}

interface Canvases {
  marks: HTMLCanvasElement | null;
  lanes: HTMLCanvasElement | null;
  axis: HTMLCanvasElement | null;
}

function draw(canvases: Canvases, props: Props, dragged: [number, number] | null, cursorS: number | null) {
  const marks = begin(canvases.marks, props);
  if (marks) {
    clockLines(marks, props);
    clipped(marks, () => {
      below(marks, props);
      drawMarks(marks, props);
      above(marks, props, dragged, cursorS);
    });
  }
  const lanes = begin(canvases.lanes, props);
  if (lanes) {
    clockLines(lanes, props);
    clipped(lanes, () => below(lanes, props));
    let top = 0;
    heights(props.lanes).forEach((height, index) => {
      const lane = props.lanes[index];
      if (lane) drawLane(lanes.context, lane, { ...lanes, top, height, index });
      top += height;
    });
    clipped(lanes, () => above(lanes, props, dragged, cursorS));
  }
  const axis = begin(canvases.axis, props);
  if (axis) drawAxis(axis, props);
}

interface Place {
  top: number;
  height: number;
  from: number;
  to: number;
  x: (s: number) => number;
  plot: number;
  index: number;
}

function drawLane(context: CanvasRenderingContext2D, lane: Lane, place: Place) {
  const { top, height, from, to, x, plot } = place;
  const slim = height <= SLIM;
  const room = slim ? 3 : 5;
  const [low, high] = rangeOf(lane);
  const y = (v: number) => top + height - room - ((v - low) / (high - low || 1)) * (height - 2 * room);
  context.strokeStyle = token("--line");
  context.lineWidth = 1;
  context.beginPath();
  context.moveTo(0, Math.round(top) + 0.5);
  context.lineTo(LEFT + plot, Math.round(top) + 0.5);
  context.stroke();
  context.font = font(slim ? 10 : 11, 400);
  context.fillStyle = token("--soft");
  context.textAlign = "right";
  context.textBaseline = "middle";
  const words = (v: number) => String(Number(v.toPrecision(4)));
  if (lane.look !== "flag") {
    context.fillText(words(high), LEFT - 5, top + (slim ? 7 : 9));
    context.fillText(words(low), LEFT - 5, top + height - (slim ? 6 : 8));
  }
  context.save();
  context.beginPath();
  context.rect(LEFT, top, plot, height);
  context.clip();
  for (const line of lane.lines) {
    if (line.value < low || line.value > high) continue;
    context.strokeStyle = token("--ink");
    context.setLineDash([5, 3]);
    context.beginPath();
    context.moveTo(LEFT, y(line.value));
    context.lineTo(LEFT + plot, y(line.value));
    context.stroke();
    context.setLineDash([]);
    if (height > 2 * SLIM) {
      context.fillStyle = token("--ink");
      context.textAlign = "left";
      context.fillText(`${line.value} ${line.text}`, LEFT + 4, Math.max(y(line.value) - 6, top + 6));
    }
  }
  const colour = token(LANE_COLOURS[place.index % LANE_COLOURS.length] ?? "--act");
  context.strokeStyle = colour;
  context.fillStyle = colour;
  if (lane.bins) drawBins(context, lane, lane.bins, { ...place, y, colour });
  for (const p of lane.points ?? []) {
    if (p.atS < from || p.atS > to) continue;
    context.beginPath();
    context.arc(x(p.atS), y(p.value), 3, 0, 2 * Math.PI);
    if (p.kept) context.fill();
    else context.stroke();
  }
  context.restore();
}

function drawBins(
  context: CanvasRenderingContext2D,
  lane: Lane,
  bins: Binned,
  place: Place & { y: (v: number) => number; colour: string },
) {
  const { from, to, x, y, top, height } = place;
  const first = Math.max(Math.floor((from - bins.startS) / bins.binS) - 1, 0);
  const last = Math.min(Math.ceil((to - bins.startS) / bins.binS) + 1, bins.mean.length);
  const at = (i: number) => bins.startS + i * bins.binS;
  let gap = -1;
  for (let i = first; i <= last; i++) {
    const missing = i < last && bins.mean[i] === null;
    if (missing && gap < 0) gap = i;
    if (!missing && gap >= 0) {
      const size = x(at(i)) - x(at(gap));
      if (size > 3) hatch(context, x(at(gap)), top + 1, size, height - 2);
      gap = -1;
    }
  }
  context.strokeStyle = place.colour;
  context.fillStyle = place.colour;
  if (lane.look === "flag") {
    for (let i = first; i < last; i++)
      if ((bins.high[i] ?? 0) > 0.5)
        context.fillRect(x(at(i)), top + 5, Math.max(x(at(i + 1)) - x(at(i)), 1), height - 10);
    return;
  }
  // The band from the lowest to the highest of each bin, and the mean over it.
  context.globalAlpha = 0.28;
  for (let i = first; i < last; i++) {
    const l = bins.low[i];
    const h = bins.high[i];
    if (l === null || h === null || l === undefined || h === undefined) continue;
    context.fillRect(x(at(i)), y(h), Math.max(x(at(i + 1)) - x(at(i)), 1), Math.max(y(l) - y(h), 1));
  }
  context.globalAlpha = 1;
  context.lineWidth = 1.4;
  context.beginPath();
  let drawing = false;
  for (let i = first; i < last; i++) {
    const v = bins.mean[i];
    if (v === null || v === undefined) {
      drawing = false;
      continue;
    }
    const px = lane.look === "steps" ? x(at(i)) : x(at(i) + bins.binS / 2);
    if (drawing) context.lineTo(px, y(v));
    else context.moveTo(px, y(v));
    if (lane.look === "steps") context.lineTo(x(at(i + 1)), y(v));
    drawing = true;
  }
  context.stroke();
}

/** The lowest and highest of a span that a gesture may lead to. */
function clamped(from: number, to: number, [a, b]: [number, number]): [number, number] {
  const size = Math.min(Math.max(to - from, SHORTEST_S), b - a);
  const start = Math.min(Math.max(from, a), b - size);
  return [start, start + size];
}

/** Wheel zooms, Shift (or a sideways wheel) pans, a plain drag selects, a click on a mark chooses it. */
function useGestures(
  box: RefObject<HTMLDivElement | null>,
  canvases: RefObject<Canvases>,
  latest: RefObject<Props>,
  dragged: RefObject<[number, number] | null>,
  cursor: RefObject<number | null>,
  redraw: () => void,
) {
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const place = () => canvases.current.lanes?.getBoundingClientRect() ?? element.getBoundingClientRect();
    const width = () => Math.max(place().width - LEFT - 2, 1);
    const time = (clientX: number) => {
      const [from, to] = latest.current.span;
      return from + ((clientX - place().left - LEFT) / width()) * (to - from);
    };
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      const { span, whole, onSpan } = latest.current;
      const [from, to] = span;
      if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
        const by = ((event.deltaX || event.deltaY) / width()) * (to - from);
        return onSpan(clamped(from + by, to + by, whole));
      }
      const factor = event.deltaY > 0 ? 1.25 : 0.8;
      const at = time(event.clientX);
      onSpan(clamped(at - (at - from) * factor, at + (to - at) * factor, whole));
    };
    let pan: { x: number; span: [number, number] } | null = null;
    const down = (event: PointerEvent) => {
      element.setPointerCapture(event.pointerId);
      if (event.clientX < place().left + LEFT) return;
      if (event.shiftKey || event.button === 1) pan = { x: event.clientX, span: latest.current.span };
      else if (event.button === 0) dragged.current = [time(event.clientX), time(event.clientX)];
    };
    const move = (event: PointerEvent) => {
      cursor.current = time(event.clientX);
      latest.current.onCursor(cursor.current);
      if (pan) {
        const [from, to] = pan.span;
        const by = ((pan.x - event.clientX) / width()) * (to - from);
        latest.current.onSpan(clamped(from + by, to + by, latest.current.whole));
      } else if (dragged.current) dragged.current = [dragged.current[0], cursor.current];
      redraw();
    };
    const up = (event: PointerEvent) => {
      const chosen = dragged.current;
      pan = dragged.current = null;
      if (!chosen) return;
      const [from, to] = latest.current.span;
      const wide = (Math.abs(chosen[1] - chosen[0]) / (to - from)) * width();
      if (wide > 4) latest.current.onSelect(Math.min(...chosen), Math.max(...chosen));
      else {
        const marks = canvases.current.marks?.getBoundingClientRect();
        const row = marks ? Math.floor((event.clientY - marks.top) / ROW) : -1;
        const near = ((to - from) / width()) * 8;
        const at = chosen[0];
        const hit = latest.current.rows[row]?.items.find((m) => m.startS - near <= at && at <= m.endS + near);
        if (hit) latest.current.onMark(hit.key);
      }
      redraw();
    };
    const leave = () => {
      cursor.current = null;
      latest.current.onCursor(null);
      redraw();
    };
    element.addEventListener("wheel", wheel, { passive: false });
    element.addEventListener("pointerdown", down);
    element.addEventListener("pointermove", move);
    element.addEventListener("pointerup", up);
    element.addEventListener("pointerleave", leave);
    return () => {
      element.removeEventListener("wheel", wheel);
      element.removeEventListener("pointerdown", down);
      element.removeEventListener("pointermove", move);
      element.removeEventListener("pointerup", up);
      element.removeEventListener("pointerleave", leave);
    };
  }, [box, canvases, latest, dragged, cursor, redraw]);
}

/** Lanes on one clock: a row of marks for each kind of event, then a lane a channel, each on its own scale. */
export function Lanes(props: Props) {
  const box = useRef<HTMLDivElement>(null);
  const canvases = useRef<Canvases>({ marks: null, lanes: null, axis: null });
  const latest = useRef(props);
  latest.current = props;
  const frame = useRef(0);
  const dragged = useRef<[number, number] | null>(null);
  const cursor = useRef<number | null>(null);
  const redraw = useCallback(() => {
    cancelAnimationFrame(frame.current);
    frame.current = requestAnimationFrame(() =>
      draw(canvases.current, latest.current, dragged.current, cursor.current),
    );
  }, []);
  useGestures(box, canvases, latest, dragged, cursor, redraw);
  useLayoutEffect(redraw);
  useEffect(() => {
    const watch = new ResizeObserver(redraw);
    if (box.current) watch.observe(box.current);
    document.fonts?.ready.then(redraw);
    return () => watch.disconnect();
  }, [redraw]);

  const { lanes, rows, span, whole } = props;
  const tall = heights(lanes);
  const zoom = (factor: number) => {
    const middle = (span[0] + span[1]) / 2;
    const half = ((span[1] - span[0]) / 2) * factor;
    props.onSpan(clamped(middle - half, middle + half, whole));
  };
  const pan = (share: number) => {
    const by = (span[1] - span[0]) * share;
    props.onSpan(clamped(span[0] + by, span[1] + by, whole));
  };
  const columns = "grid grid-cols-[112px_minmax(0,1fr)]";
  return (
    <div className="max-h-[440px] overflow-y-auto">
      <div
        ref={box}
        role="application"
        aria-label={props.label}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: zoom and pan by keyboard need the focus
        tabIndex={0}
        className="touch-pan-y"
        onKeyDown={(e) => {
          if (e.key === "+" || e.key === "=") zoom(0.6);
          else if (e.key === "-") zoom(1.6);
          else if (e.key === "ArrowLeft") pan(-0.2);
          else if (e.key === "ArrowRight") pan(0.2);
          else if (e.key === "0" || e.key === "Home") props.onSpan(whole);
          else return;
          e.preventDefault();
        }}
      >
        {rows.length > 0 && (
          <div className={`${columns} sticky top-0 z-10 bg-panel pb-1`}>
            <div>
              {rows.map((row) => (
                <span
                  key={row.label}
                  className="flex justify-between gap-1 text-soft text-[12px]"
                  style={{ height: ROW, lineHeight: `${ROW}px` }}
                >
                  <span className="truncate" title={row.label}>
                    {row.label}
                  </span>
                  <span className="pr-1">{row.items.filter((m) => m.kept).length}</span>
                </span>
              ))}
            </div>
            <canvas
              ref={(element) => {
                canvases.current.marks = element;
              }}
              className="w-full"
              style={{ height: rows.length * ROW }}
            />
          </div>
        )}
        <div className={columns}>
          <div>
            {lanes.map((lane, i) => (
              <span
                key={lane.key}
                className="block overflow-hidden pt-1 leading-4"
                style={{ height: tall[i] }}
                title={`${lane.name}${lane.unit && lane.unit !== "flag" ? `, ${lane.unit}` : ""}`}
              >
                <span className={tall[i] === SLIM ? "block truncate text-[12px]" : "block text-[12.5px]"}>
                  <b className="font-narrow font-semibold">{lane.name}</b>{" "}
                  {lane.unit !== "flag" && <span className="text-soft">{lane.unit}</span>}
                </span>
              </span>
            ))}
          </div>
          <canvas
            ref={(element) => {
              canvases.current.lanes = element;
            }}
            className="w-full"
            style={{ height: tall.reduce((a, b) => a + b, 0) }}
          />
        </div>
        <div className={`${columns} sticky bottom-0 z-10 bg-panel`}>
          <span className="text-[12px] text-soft leading-6">{lanes.length > 1 ? "each on its own scale" : ""}</span>
          <canvas
            ref={(element) => {
              canvases.current.axis = element;
            }}
            className="w-full"
            style={{ height: AXIS }}
          />
        </div>
      </div>
    </div>
  );
}

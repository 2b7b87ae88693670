import { type RefObject, useEffect, useRef } from "react";
import uPlot from "uplot";
import type { WallClock } from "@/ui/format";
import { clockOffset, hatch, onLook, STEPS_S, token } from "./drawing";
import { twoFingers } from "./fingers";
import { type LimitPlace, lineAt, samePlace, stepped } from "./limitLine";

export interface Bars {
  startS: number;
  binS: number;
  values: (number | null)[];
}

export interface Line {
  value: number;
  text: string;
  colour: "action" | "above";
  limit?: LimitPlace;
}

export interface Band {
  startS: number;
  endS: number;
  look: "left out" | "task" | "suggestion";
  text: string;
}

interface Props {
  bars: Bars;
  lines: Line[];
  bands: Band[];
  /** The span shown, in seconds from the start. */
  span: [number, number];
  whole: [number, number];
  clock: WallClock;
  /** As the clock, in words for the axis: midnight may be the day that begins. */
  axis: WallClock;
  onSpan: (span: [number, number]) => void;
  onSelect: (startS: number, endS: number) => void;
  onCursor: (at: { atS: number; value: number } | null) => void;
  /** Where a line of a limit is dragged to; without it lines stay where they are. */
  onLine?: ((limit: LimitPlace, value: number) => void) | undefined;
  height: number;
  unit: string;
  label: string;
}

/** Room to the right of the bars for the names of the limits, in px. */
const LABELS = 128;

/** A line that is being dragged: the scale stands still meanwhile. */
interface Drag {
  limit: LimitPlace;
  value: number;
  range: [number, number];
}

const linesWith = (lines: Line[], drag: Drag | null) =>
  drag ? lines.map((line) => (samePlace(line.limit, drag.limit) ? { ...line, value: drag.value } : line)) : lines;

/** What the canvas draws, read at every redraw so that the plot is made only once. */
function draw(plot: uPlot, props: Props, drag: Drag | null) {
  const context = plot.ctx;
  const { left, top, width, height } = plot.bbox;
  const ratio = devicePixelRatio || 1;
  const x = (s: number) => plot.valToPos(s, "x", true);
  const y = (v: number) => plot.valToPos(v, "y", true);
  const bottom = top + height;
  const rising = [...linesWith(props.lines, drag)].sort((a, b) => a.value - b.value);
  const palette = { act: token("--act"), action: token("--action"), above: token("--above") };
  const colour = (v: number) => {
    let found: keyof typeof palette = "act";
    for (const line of rising) if (v >= line.value) found = line.colour;
    return palette[found];
  };
  context.save();
  context.textAlign = "left";
  context.textBaseline = "alphabetic";
  context.beginPath();
  context.rect(left, top, width, height);
  context.clip();
  const step = x(props.bars.startS + props.bars.binS) - x(props.bars.startS);
  const thick = Math.max(step > 3 * ratio ? step - ratio : step * 0.9, 0.6);
  for (const name of ["act", "action", "above"] as const) {
    context.fillStyle = palette[name];
    props.bars.values.forEach((v, i) => {
      if (v === null || colour(v) !== palette[name]) return;
      const at = x(props.bars.startS + i * props.bars.binS);
      if (at + thick < left || at > left + width) return;
      context.fillRect(at, y(v), thick, Math.max(bottom - y(v), 0));
    });
  }
  for (const band of props.bands) {
    const from = x(band.startS);
    const size = Math.max(x(band.endS) - from, 2 * ratio);
    if (band.look === "left out") hatch(context, from, top, size, height);
    else if (band.look === "task") {
      context.fillStyle = token("--brass");
      context.fillRect(from, top, size, 4 * ratio);
      context.font = `500 ${11.5 * ratio}px "Barlow Semi Condensed"`;
      context.fillStyle = token("--soft");
      if (size > 40 * ratio)
        context.fillText(band.text, Math.max(from, left) + 4 * ratio, top + 16 * ratio, size - 8 * ratio);
    } else {
      context.strokeStyle = token("--action");
      context.lineWidth = ratio;
      context.setLineDash([3 * ratio, 3 * ratio]);
      context.strokeRect(from - ratio, top + ratio, size + 2 * ratio, height - 2 * ratio);
      context.setLineDash([]);
    }
  }
  context.font = `500 ${11.5 * ratio}px "Barlow Semi Condensed"`;
  for (const line of rising) {
    context.strokeStyle = token("--ink");
    context.lineWidth = ratio;
    context.setLineDash([6 * ratio, 3 * ratio]);
    context.beginPath();
    context.moveTo(left, y(line.value));
    context.lineTo(left + width, y(line.value));
    context.stroke();
    if (!props.onLine || !line.limit) continue;
    context.fillStyle = palette.act;
    context.beginPath();
    context.roundRect(left + width - 26 * ratio, y(line.value) - 3.5 * ratio, 20 * ratio, 7 * ratio, 3 * ratio);
    context.fill();
  }
  context.restore();
  // The names of the limits stand beside the bars, on the plain ground, never two on each other.
  context.save();
  context.setLineDash([]);
  context.textAlign = "left";
  context.textBaseline = "middle";
  context.font = `500 ${11.5 * ratio}px "Barlow Semi Condensed"`;
  context.fillStyle = token("--ink");
  let last = Number.POSITIVE_INFINITY;
  for (const line of rising) {
    const at = Math.min(y(line.value), last - 12 * ratio);
    if (at < top - 6 * ratio || y(line.value) > bottom) continue;
    context.fillText(`${line.value} ${line.text}`, left + width + 6 * ratio, at, (LABELS - 10) * ratio);
    last = at;
  }
  context.restore();
}

function ranges(props: Props): [number, number] {
  let low = Number.POSITIVE_INFINITY;
  let high = Number.NEGATIVE_INFINITY;
  for (const v of props.bars.values) {
    if (v === null) continue;
    if (v < low) low = v;
    if (v > high) high = v;
  }
  if (!Number.isFinite(low)) [low, high] = [50, 90];
  for (const line of props.lines) high = Math.max(high, line.value);
  return [Math.max(Math.floor(low / 10) * 10, 30), high + 4];
}

/** Wheel and two fingers zoom, Shift and drag pans; a plain drag selects a stretch, by mouse (the plot's own) or by finger. */
function gestures(plot: uPlot, latest: RefObject<Props>, drag: RefObject<Drag | null>): () => void {
  const over = plot.over;
  const clamp = (from: number, to: number): [number, number] => {
    const [a, b] = latest.current.whole;
    const size = Math.min(Math.max(to - from, 20), b - a);
    const start = Math.min(Math.max(from, a), b - size);
    return [start, start + size];
  };
  const wheel = (event: WheelEvent) => {
    event.preventDefault();
    const [from, to] = latest.current.span;
    if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
      const by = ((event.deltaX || event.deltaY) / over.clientWidth) * (to - from);
      latest.current.onSpan(clamp(from + by, to + by));
      return;
    }
    const factor = event.deltaY > 0 ? 1.25 : 0.8;
    const at = plot.posToVal(event.clientX - over.getBoundingClientRect().left, "x");
    latest.current.onSpan(clamp(at - (at - from) * factor, at + (to - at) * factor));
  };
  let grabbed: { x: number; span: [number, number] } | null = null;
  const fingers = twoFingers({
    place: () => over.getBoundingClientRect(),
    span: () => latest.current.span,
    onSpan: (from, to) => latest.current.onSpan(clamp(from, to)),
  });
  const within = (event: PointerEvent) =>
    Math.min(Math.max(event.clientX - over.getBoundingClientRect().left, 0), over.clientWidth);
  const select = (from: number, to: number, done: boolean) =>
    plot.setSelect({ left: Math.min(from, to), top: 0, width: Math.abs(to - from), height: over.clientHeight }, done);
  let finger: number | null = null;
  const across = (event: PointerEvent | MouseEvent) => event.clientY - over.getBoundingClientRect().top;
  const lineUnder = (event: PointerEvent) =>
    latest.current.onLine &&
    lineAt(latest.current.lines, (v) => plot.valToPos(v, "y"), across(event), event.pointerType);
  const down = (event: PointerEvent) => {
    const line = event.button === 0 && !event.shiftKey && finger === null ? lineUnder(event) : undefined;
    if (line) {
      event.stopImmediatePropagation();
      event.preventDefault();
      drag.current = { limit: line.limit, value: line.value, range: ranges(latest.current) };
      return;
    }
    if (event.pointerType === "touch") {
      // A second finger means a closer look: the first has marked nothing.
      finger = fingers.down(event) ? null : within(event);
      if (finger === null) select(0, 0, false);
      return;
    }
    if (!event.shiftKey && event.button !== 1) return;
    event.stopImmediatePropagation();
    event.preventDefault();
    grabbed = { x: event.clientX, span: latest.current.span };
  };
  const move = (event: PointerEvent) => {
    if (drag.current) {
      const [low, high] = drag.current.range;
      const value = stepped(Math.min(Math.max(plot.posToVal(across(event), "y"), low), high), drag.current.range);
      if (value === drag.current.value) return;
      drag.current.value = value;
      plot.redraw();
      latest.current.onLine?.(drag.current.limit, value);
      return;
    }
    over.style.cursor = event.target === over && lineUnder(event) ? "ns-resize" : "";
    if (fingers.move(event)) return;
    if (finger !== null && event.pointerType === "touch") return select(finger, within(event), false);
    if (!grabbed) return;
    const [from, to] = grabbed.span;
    const by = ((grabbed.x - event.clientX) / over.clientWidth) * (to - from);
    latest.current.onSpan(clamp(from + by, to + by));
  };
  const up = (event: PointerEvent) => {
    if (drag.current) {
      drag.current = null;
      plot.redraw();
      return;
    }
    const one = !fingers.up(event) && event.pointerType === "touch" ? finger : null;
    if (one !== null) select(one, within(event), true);
    grabbed = finger = null;
  };
  // The browser takes the finger for a scroll: nothing was meant.
  const cancel = (event: PointerEvent) => {
    drag.current = null;
    fingers.up(event);
    select(0, 0, false);
    grabbed = finger = null;
  };
  const mouse = (event: MouseEvent) => {
    if (event.shiftKey || event.button === 1 || drag.current) event.stopImmediatePropagation();
  };
  over.addEventListener("wheel", wheel, { passive: false });
  over.addEventListener("pointerdown", down, true);
  over.addEventListener("mousedown", mouse, true);
  window.addEventListener("pointermove", move);
  window.addEventListener("pointerup", up);
  window.addEventListener("pointercancel", cancel);
  return () => {
    window.removeEventListener("pointermove", move);
    window.removeEventListener("pointerup", up);
    window.removeEventListener("pointercancel", cancel);
  };
}

/** A quantity over time as coloured bars, with limit lines and marked stretches. */
export function TimeBars(props: Props) {
  const box = useRef<HTMLDivElement>(null);
  const plot = useRef<uPlot | null>(null);
  const latest = useRef(props);
  latest.current = props;
  const drag = useRef<Drag | null>(null);
  const { bars, span } = props;

  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const font = '12px "Barlow Semi Condensed"';
    const made = new uPlot(
      {
        width: element.clientWidth,
        height: latest.current.height,
        legend: { show: false },
        padding: [18, LABELS, 0, 0],
        cursor: { drag: { x: true, y: false, setScale: false }, points: { show: false }, y: false },
        scales: {
          x: { time: false, range: () => latest.current.span },
          y: { range: () => drag.current?.range ?? ranges(latest.current) },
        },
        axes: [
          {
            font,
            stroke: () => token("--soft"),
            grid: { show: false },
            ticks: { stroke: () => token("--line") },
            size: 28,
            space: 64,
            incrs: STEPS_S,
            splits: (_u, _i, from, to, incr) => {
              const offset = clockOffset(latest.current.clock(0, true));
              const first = Math.ceil((from + offset) / incr) * incr - offset;
              const all: number[] = [];
              for (let s = first; s <= to; s += incr) all.push(s);
              return all;
            },
            values: (_u, splits) => splits.map((s) => latest.current.axis(s)),
          },
          {
            font,
            stroke: () => token("--soft"),
            grid: { stroke: () => token("--hair"), width: 1 },
            ticks: { show: false },
            size: 36,
            incrs: [5, 10, 20],
          },
        ],
        series: [{}, { paths: () => null, points: { show: false } }],
        hooks: {
          draw: [(u) => draw(u, latest.current, drag.current)],
          setSelect: [
            (u) => {
              if (u.select.width < 3) return;
              const from = u.posToVal(u.select.left, "x");
              const to = u.posToVal(u.select.left + u.select.width, "x");
              u.setSelect({ left: 0, top: 0, width: 0, height: 0 }, false);
              latest.current.onSelect(from, to);
            },
          ],
          setCursor: [
            (u) => {
              const { bars: now, onCursor } = latest.current;
              const left = u.cursor.left ?? -1;
              if (left < 0) return onCursor(null);
              const index = Math.floor((u.posToVal(left, "x") - now.startS) / now.binS);
              const value = now.values[index];
              onCursor(value === null || value === undefined ? null : { atS: now.startS + index * now.binS, value });
            },
          ],
        },
      },
      [[], []],
      element,
    );
    plot.current = made;
    const release = gestures(made, latest, drag);
    const watch = new ResizeObserver(() => made.setSize({ width: element.clientWidth, height: latest.current.height }));
    watch.observe(element);
    document.fonts?.ready.then(() => made.redraw());
    const unlook = onLook(() => made.redraw());
    return () => {
      watch.disconnect();
      unlook();
      release();
      made.destroy();
      plot.current = null;
    };
  }, []);

  useEffect(() => {
    plot.current?.setData([bars.values.map((_, i) => bars.startS + i * bars.binS), bars.values]);
  }, [bars]);

  useEffect(() => {
    plot.current?.setScale("x", { min: span[0], max: span[1] });
  }, [span]);

  // Limit lines, bands and colours are drawn from the latest props.
  useEffect(() => {
    plot.current?.redraw();
  });

  const zoom = (factor: number) => {
    const [from, to] = props.span;
    const [a, b] = props.whole;
    const middle = (from + to) / 2;
    const half = Math.min(Math.max(((to - from) / 2) * factor, 10), (b - a) / 2);
    const start = Math.min(Math.max(middle - half, a), b - 2 * half);
    props.onSpan([start, start + 2 * half]);
  };
  const pan = (share: number) => {
    const [from, to] = props.span;
    const [a, b] = props.whole;
    const start = Math.min(Math.max(from + (to - from) * share, a), b - (to - from));
    props.onSpan([start, start + to - from]);
  };
  return (
    <div
      ref={box}
      role="application"
      aria-label={props.label}
      // biome-ignore lint/a11y/noNoninteractiveTabindex: zoom and pan by keyboard need the focus
      tabIndex={0}
      className="w-full touch-pan-y"
      style={{ height: props.height }}
      onKeyDown={(e) => {
        if (e.key === "+" || e.key === "=") zoom(0.6);
        else if (e.key === "-") zoom(1.6);
        else if (e.key === "ArrowLeft") pan(-0.2);
        else if (e.key === "ArrowRight") pan(0.2);
        else if (e.key === "0" || e.key === "Home") props.onSpan(props.whole);
        else return;
        e.preventDefault();
      }}
    />
  );
}

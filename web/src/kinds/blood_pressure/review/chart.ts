import { cleared, clockSplits, font, hatch, token } from "@/charts/drawing";
import { LEFT } from "@/charts/lanes/measures";
import type { Edge } from "@/charts/lanes/types";
import type { LimitPlace } from "@/charts/limitLine";
import type { WallClock } from "@/ui/format";
import { counts, isValid, type Reading, type Span } from "./readings";

/** Heights of what lies beneath each other, in pixels. */
export const ACTIVITY = 34;
export const PRESSURE = 178;
export const PULSE = 40;
export const FAILED = 20;
export const AXIS = 20;
export const RIGHT = 34;
const GAP = 16;
/** The first reading stands on the edge. */
const PAD = 5;
export const HEIGHT = ACTIVITY + GAP + PRESSURE + PULSE + FAILED + AXIS;

export interface Mark {
  atS: number;
  text: string;
  look: "button" | "medicine";
}

export interface Level {
  value: number;
  startS: number;
  endS: number;
  /** The step of a rule that it is. */
  limit?: LimitPlace | undefined;
}

export interface Chart {
  readings: Reading[];
  levels: Level[];
  activity: Span[];
  quiet: Span[];
  asleep: [number, number][];
  /** The means of the periods, over their spans. */
  means?: Level[];
  leftOut: Span[];
  /** Readings that might be left out. */
  doubted: Span[];
  marks: Mark[];
  chosen: string | null;
  edges: Edge[];
  span: [number, number];
  clock: WallClock;
  axis: WallClock;
}

export type Scale = [low: number, high: number];

/** The scale of the pressures: all that is usual, and the limits; an impossible reading does not press the others flat. */
export function pressureScale(readings: Reading[], levels: Level[]): Scale {
  const good = readings.filter(isValid);
  const used = good.some(counts) ? good.filter(counts) : good;
  const all = [
    ...usual(used.map((r) => r.systolic as number)),
    ...usual(used.map((r) => r.diastolic as number)),
    ...levels.map((l) => l.value),
  ];
  if (all.length === 0) return [60, 160];
  return [Math.floor((Math.min(...all) - 3) / 20) * 20, Math.ceil((Math.max(...all) + 3) / 20) * 20];
}

/** Values but for those far off (Tukey's far fences), so that an impossible one does not press all others flat. */
export function usual(values: number[]): number[] {
  if (values.length < 8) return values;
  const sorted = [...values].sort((a, b) => a - b);
  const at = (share: number) => sorted[Math.round(share * (sorted.length - 1))] as number;
  const reach = 3 * Math.max(at(0.75) - at(0.25), 4);
  return values.filter((v) => v >= at(0.25) - reach && v <= at(0.75) + reach);
}

interface Drawing {
  context: CanvasRenderingContext2D;
  width: number;
  x: (s: number) => number;
  right: number;
}

/** Draws everything over one clock: activity, pressures with their limits, pulse, failed tries. */
export function drawChart(
  canvas: HTMLCanvasElement | null,
  chart: Chart,
  scale: Scale,
  dragged: Scale | null,
  cursorS: number | null,
) {
  const context = cleared(canvas);
  if (!canvas || !context) return;
  const width = canvas.clientWidth;
  const [from, to] = chart.span;
  const right = width - RIGHT;
  const x = (s: number) => LEFT + ((s - from) / (to - from)) * (right - LEFT);
  const drawing: Drawing = { context, width, x, right };
  const bottom = HEIGHT - AXIS;
  grid(drawing, chart, scale, bottom);
  context.save();
  context.beginPath();
  context.rect(LEFT - PAD, 0, right - LEFT + 2 * PAD, bottom);
  context.clip();
  context.fillStyle = token("--act-soft");
  context.globalAlpha = 0.6;
  for (const [a, b] of chart.asleep) context.fillRect(x(a), 0, x(b) - x(a), bottom);
  context.globalAlpha = 1;
  activity(drawing, chart.activity);
  limits(drawing, chart.levels, scale);
  context.strokeStyle = token("--ink");
  context.lineWidth = 1.8;
  for (const { value, startS, endS } of chart.means ?? [])
    line(context, x(startS), yOf(value, scale), x(endS), yOf(value, scale));
  for (const r of chart.readings) reading(drawing, r, scale, r.key === chart.chosen);
  for (const q of chart.quiet) quiet(drawing, q);
  for (const s of chart.leftOut) hatch(context, x(s.startS), ACTIVITY + GAP, x(s.endS) - x(s.startS), PRESSURE);
  context.strokeStyle = token("--action");
  context.lineWidth = 1;
  context.setLineDash([3, 3]);
  for (const { startS } of chart.doubted) context.strokeRect(x(startS) - 7, PRESSURE_TOP - 1, 14, PRESSURE + 1);
  context.setLineDash([]);
  for (const mark of chart.marks) event(drawing, mark);
  handles(drawing, chart.edges, bottom);
  if (dragged) {
    context.fillStyle = token("--act");
    context.globalAlpha = 0.16;
    context.fillRect(x(Math.min(...dragged)), 0, Math.abs(x(dragged[1]) - x(dragged[0])), bottom);
    context.globalAlpha = 1;
  }
  const chosen = chart.readings.find((r) => r.key === chart.chosen);
  for (const [at, dash] of [[cursorS, [2, 2]] as const, [chosen?.atS ?? null, [1, 3]] as const]) {
    if (at === null) continue;
    context.strokeStyle = token("--act");
    context.setLineDash([...dash]);
    line(context, x(at), 0, x(at), bottom);
    context.setLineDash([]);
  }
  context.restore();
}

function line(context: CanvasRenderingContext2D, x1: number, y1: number, x2: number, y2: number) {
  context.beginPath();
  context.moveTo(x1, y1);
  context.lineTo(x2, y2);
  context.stroke();
}

const PRESSURE_TOP = ACTIVITY + GAP;
const PULSE_TOP = PRESSURE_TOP + PRESSURE;
const FAILED_TOP = PULSE_TOP + PULSE;

/** Where a pressure stands, and which pressure stands there. */
export const yOf = (value: number, [low, high]: Scale) =>
  PRESSURE_TOP + PRESSURE - 4 - ((value - low) / (high - low)) * (PRESSURE - 12);
export const pressureAt = (y: number, [low, high]: Scale) =>
  Math.min(Math.max(low + ((PRESSURE_TOP + PRESSURE - 4 - y) / (PRESSURE - 12)) * (high - low), low), high);

/** Pulses from 40 to 120 have their place; others lie at the edge. */
const pulseY = (value: number) =>
  PULSE_TOP + PULSE - 5 - ((Math.min(Math.max(value, 40), 120) - 40) / 80) * (PULSE - 10);

function grid({ context, x, right, width }: Drawing, chart: Chart, scale: Scale, bottom: number) {
  context.lineWidth = 1;
  context.font = font(11.5, 400);
  context.textBaseline = "middle";
  context.textAlign = "right";
  for (let value = scale[0]; value <= scale[1]; value += 20) {
    context.strokeStyle = token("--hair");
    line(context, LEFT, yOf(value, scale), right, yOf(value, scale));
    context.fillStyle = token("--soft");
    context.fillText(String(value), LEFT - 5, yOf(value, scale));
  }
  for (const value of [50, 90]) context.fillText(String(value), LEFT - 5, pulseY(value));
  context.strokeStyle = token("--line");
  for (const y of [PULSE_TOP, FAILED_TOP, bottom]) line(context, LEFT, y + 0.5, right, y + 0.5);
  const [from, to] = chart.span;
  context.textAlign = "center";
  context.fillStyle = token("--soft");
  for (const s of clockSplits(from, to, right - LEFT, chart.clock)) {
    context.strokeStyle = token("--hair");
    line(context, Math.round(x(s)) + 0.5, ACTIVITY + GAP, Math.round(x(s)) + 0.5, bottom);
    context.fillText(chart.axis(s, to - from < 600), Math.min(Math.max(x(s), LEFT + 14), width - 16), bottom + 11);
  }
  context.textAlign = "left";
  const shown = new Set<number>();
  for (const { value, startS, endS } of chart.levels) {
    if (shown.has(value) || endS < to - (to - from) * 0.02 || startS > to) continue;
    shown.add(value);
    context.fillText(String(value), right + 5, yOf(value, scale));
  }
}

const TALL = { moving: ACTIVITY - 4, resting: 14, still: 5, "no data": ACTIVITY - 4 } as Record<string, number>;

function activity({ context, x }: Drawing, spans: Span[]) {
  context.fillStyle = token("--lane-5");
  context.strokeStyle = token("--lane-5");
  for (const { startS, endS, text } of spans) {
    const [a, size] = [x(startS), Math.max(x(endS) - x(startS), 0.6)];
    const tall = TALL[text] ?? 0;
    if (text === "no data") {
      if (size > 3) hatch(context, a, 3, size, tall);
      continue;
    }
    if (text === "resting") {
      // Told apart by its pattern as well: lines in place of a filled field.
      for (let y = ACTIVITY - tall; y < ACTIVITY; y += 4) line(context, a, y + 0.5, a + size, y + 0.5);
      continue;
    }
    context.globalAlpha = text === "moving" ? 0.85 : 1;
    context.fillRect(a, ACTIVITY - tall, size, tall);
    context.globalAlpha = 1;
  }
}

function limits({ context, x, right }: Drawing, levels: Level[], scale: Scale) {
  context.strokeStyle = token("--ink");
  context.lineWidth = 1.1;
  context.setLineDash([5, 3]);
  for (const { value, startS, endS } of levels) line(context, x(startS), yOf(value, scale), x(endS), yOf(value, scale));
  context.setLineDash([]);
  context.font = font(11.5, 400);
  context.fillStyle = token("--ink");
  context.textAlign = "center";
  const atTheRight = new Set(levels.filter((l) => x(l.endS) >= right - 2).map((l) => l.value));
  for (const { value, startS, endS } of levels)
    if (x(endS) - x(startS) > 60 && x(endS) < right - 2 && !atTheRight.has(value))
      context.fillText(String(value), x((startS + endS) / 2), yOf(value, scale) + 9);
}

function reading({ context, x }: Drawing, r: Reading, scale: Scale, chosen: boolean) {
  const at = x(r.atS);
  if (!isValid(r)) {
    context.strokeStyle = token("--ink");
    context.lineWidth = 1.6;
    const y = FAILED_TOP + FAILED / 2;
    line(context, at - 3.5, y - 3.5, at + 3.5, y + 3.5);
    line(context, at - 3.5, y + 3.5, at + 3.5, y - 3.5);
    return;
  }
  const top = yOf(Math.min(r.systolic as number, scale[1]), scale);
  const low = yOf(Math.max(r.diastolic as number, scale[0]), scale);
  const out = r.state !== "";
  context.globalAlpha = out ? 0.45 : 1;
  context.strokeStyle = token("--lane-1");
  context.lineWidth = chosen ? 4 : 2.4;
  if (out) context.setLineDash([2, 2]);
  context.globalAlpha = out ? 0.45 : 0.62;
  line(context, at, top, at, low);
  context.setLineDash([]);
  context.globalAlpha = out ? 0.5 : 1;
  if ((r.systolic as number) > scale[1]) beyond(context, at, PRESSURE_TOP + 2, true);
  if ((r.diastolic as number) < scale[0]) beyond(context, at, PRESSURE_TOP + PRESSURE - 2, false);
  const high = (which: "systolic" | "diastolic") => !out && (r.reaches === "both" || r.reaches === which);
  if ((r.systolic as number) <= scale[1]) end(context, at, top, high("systolic"), chosen);
  if ((r.diastolic as number) >= scale[0]) end(context, at, low, high("diastolic"), chosen);
  if (r.pulse !== null) {
    context.fillStyle = token("--lane-3");
    context.beginPath();
    context.arc(at, pulseY(r.pulse), chosen ? 3.6 : 2.2, 0, 2 * Math.PI);
    context.fill();
  }
  context.globalAlpha = 1;
}

/** A value that lies beyond the scale: an arrow at its edge. */
function beyond(context: CanvasRenderingContext2D, x: number, edge: number, upwards: boolean) {
  const back = upwards ? 8 : -8;
  context.fillStyle = token("--action");
  context.beginPath();
  context.moveTo(x, edge);
  context.lineTo(x - 5, edge + back);
  context.lineTo(x + 5, edge + back);
  context.closePath();
  context.fill();
}

/** A square end reaches the limit, a round open one does not. */
function end(context: CanvasRenderingContext2D, x: number, y: number, high: boolean, chosen: boolean) {
  const size = chosen ? 4.5 : 3.2;
  if (high) {
    context.fillStyle = token("--above");
    context.fillRect(x - size, y - size, 2 * size, 2 * size);
    return;
  }
  context.fillStyle = token("--panel");
  context.strokeStyle = token("--lane-1");
  context.lineWidth = 1.5;
  context.beginPath();
  context.arc(x, y, size - 0.4, 0, 2 * Math.PI);
  context.fill();
  context.stroke();
}

function quiet({ context, x }: Drawing, { startS, endS }: Span) {
  const [a, size] = [x(startS), x(endS) - x(startS)];
  hatch(context, a, FAILED_TOP + 4, size, FAILED - 8);
  context.strokeStyle = token("--line");
  context.lineWidth = 1;
  context.strokeRect(a, FAILED_TOP + 4, size, FAILED - 8);
  context.font = font(11, 400);
  context.textAlign = "center";
  context.textBaseline = "middle";
  const words = "quiet";
  if (size < context.measureText(words).width + 6) return;
  context.fillStyle = token("--panel");
  context.fillRect(a + size / 2 - 13, FAILED_TOP + 4, 26, FAILED - 8);
  context.fillStyle = token("--soft");
  context.fillText(words, a + size / 2, FAILED_TOP + FAILED / 2);
}

/** A press of the button (triangle) or a medicine (pill), with its words. */
function event({ context, x, right }: Drawing, { atS, text, look }: Mark) {
  const [at, y] = [x(atS), ACTIVITY + 9];
  if (look === "medicine") {
    context.fillStyle = token("--lane-4");
    context.beginPath();
    context.roundRect(at - 6, y - 3.5, 12, 7, 3.5);
    context.fill();
    context.fillStyle = token("--panel");
    context.fillRect(at - 0.6, y - 3.5, 1.2, 7);
  } else {
    context.strokeStyle = token("--action");
    context.lineWidth = 1;
    context.setLineDash([1, 3]);
    line(context, at, y, at, FAILED_TOP);
    context.setLineDash([]);
    context.fillStyle = token("--action");
    context.beginPath();
    context.moveTo(at - 5, y - 4);
    context.lineTo(at + 5, y - 4);
    context.lineTo(at, y + 4);
    context.fill();
  }
  context.font = font(11.5, 400);
  context.textBaseline = "middle";
  context.fillStyle = token("--ink");
  const words = text.length > 34 ? `${text.slice(0, 33)}…` : text;
  const fits = at + 9 + context.measureText(words).width < right;
  context.textAlign = fits ? "left" : "right";
  context.fillText(words, fits ? at + 9 : at - 9, y);
}

function handles({ context, x }: Drawing, edges: Edge[], bottom: number) {
  for (const edge of edges) {
    const at = x(edge.atS);
    context.fillStyle = token("--act");
    context.fillRect(at - 1, 0, 2, bottom);
    context.beginPath();
    context.roundRect(at - 4.5, 8, 9, 20, 3);
    context.fill();
    context.strokeStyle = token("--panel");
    context.lineWidth = 1;
    for (const by of [-1.5, 1.5]) line(context, at + by, 13, at + by, 23);
  }
}

import type { WallClock } from "@/ui/format";
import { cleared, clockSplits, font, hatch, token } from "../drawing";
import type { Dragged } from "../lanes/across";
import { LEFT } from "../lanes/measures";
import { type LimitPlace, samePlace } from "../limitLine";

/** Pixels above the bars and below them, and to their right for the names of the limits. */
const TOP = 18;
const AXIS = 28;
export const LABELS = 128;

/** Values in equal bins; null where nothing was measured. */
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

/** What is drawn. */
export interface BarPicture {
  bars: Bars;
  lines: Line[];
  bands: Band[];
  /** The span shown, in seconds from the start. */
  span: [number, number];
  clock: WallClock;
  /** As the clock, in words for the axis: midnight may be the day that begins. */
  axis: WallClock;
  height: number;
  /** The lines can be dragged. */
  grips: boolean;
}

/** Whole tens of dB below the lowest bar, and some above the highest bar or line. */
export function rangeOf({ bars, lines }: Pick<BarPicture, "bars" | "lines">): [number, number] {
  let low = Number.POSITIVE_INFINITY;
  let high = Number.NEGATIVE_INFINITY;
  for (const v of bars.values) {
    if (v === null) continue;
    if (v < low) low = v;
    if (v > high) high = v;
  }
  if (!Number.isFinite(low)) [low, high] = [50, 90];
  for (const line of lines) high = Math.max(high, line.value);
  return [Math.max(Math.floor(low / 10) * 10, 30), high + 4];
}

/** Where a value stands in a picture of a height, and which value stands there. */
export function scaleOf(height: number, [low, high]: [number, number]) {
  const bottom = height - AXIS;
  const size = bottom - TOP;
  return {
    y: (value: number) => bottom - ((value - low) / (high - low)) * size,
    value: (y: number) => low + ((bottom - y) / size) * (high - low),
  };
}

interface Drawing {
  context: CanvasRenderingContext2D;
  right: number;
  bottom: number;
  x: (s: number) => number;
  y: (value: number) => number;
  rising: Line[];
}

/** Draws bars, limits and marked stretches; what is being dragged and the cursor above them. */
export function drawBars(
  canvas: HTMLCanvasElement | null,
  picture: BarPicture,
  drag: Dragged | null,
  dragged: [number, number] | null,
  cursorS: number | null,
) {
  const context = cleared(canvas);
  if (!canvas || !context) return;
  const range = drag?.range ?? rangeOf(picture);
  const { y } = scaleOf(picture.height, range);
  const [from, to] = picture.span;
  const right = canvas.clientWidth - LABELS;
  const lines = drag
    ? picture.lines.map((line) => (samePlace(line.limit, drag.limit) ? { ...line, value: drag.value } : line))
    : picture.lines;
  const drawing: Drawing = {
    context,
    right,
    bottom: picture.height - AXIS,
    x: (s) => LEFT + ((s - from) / (to - from)) * (right - LEFT),
    y,
    rising: [...lines].sort((a, b) => a.value - b.value),
  };
  scale(drawing, range);
  context.save();
  context.beginPath();
  context.rect(LEFT, TOP, right - LEFT, drawing.bottom - TOP);
  context.clip();
  bars(drawing, picture);
  for (const band of picture.bands) stretch(drawing, band);
  for (const line of drawing.rising) limit(drawing, line, picture.grips);
  if (dragged) marked(drawing, dragged);
  if (cursorS !== null) cursor(drawing, cursorS);
  context.restore();
  names(drawing);
  clockAxis(drawing, picture);
}

/** Lines at every 5, 10 or 20 dB, as far apart as can be read. */
function scale({ context, right, bottom, y }: Drawing, [low, high]: [number, number]) {
  const step = [5, 10, 20].find((s) => (s / (high - low)) * (bottom - TOP) >= 30) ?? 50;
  context.font = font(12, 400);
  context.fillStyle = token("--soft");
  context.strokeStyle = token("--hair");
  context.lineWidth = 1;
  context.textAlign = "right";
  context.textBaseline = "middle";
  for (let value = Math.ceil(low / step) * step; value <= high; value += step) {
    const at = Math.round(y(value)) + 0.5;
    context.beginPath();
    context.moveTo(LEFT, at);
    context.lineTo(right, at);
    context.stroke();
    context.fillText(String(value), LEFT - 6, at);
  }
}

/** Each bar in the colour of the highest limit that it reaches; those of one colour together. */
function bars({ context, right, bottom, x, y, rising }: Drawing, { bars: { startS, binS, values } }: BarPicture) {
  const colour = (v: number) => rising.findLast((line) => v >= line.value)?.colour ?? "act";
  const step = x(startS + binS) - x(startS);
  const thick = Math.max(step > 3 ? step - 1 : step * 0.9, 0.6);
  const first = Math.max(Math.floor((LEFT - thick - x(startS)) / step), 0);
  const last = Math.min(Math.ceil((right - x(startS)) / step) + 1, values.length);
  for (const name of ["act", "action", "above"] as const) {
    context.fillStyle = token(`--${name}`);
    for (let i = first; i < last; i++) {
      const v = values[i];
      if (v === null || v === undefined || colour(v) !== name) continue;
      context.fillRect(x(startS + i * binS), y(v), thick, Math.max(bottom - y(v), 0));
    }
  }
}

function stretch({ context, bottom, x }: Drawing, band: Band) {
  const from = x(band.startS);
  const size = Math.max(x(band.endS) - from, 2);
  if (band.look === "left out") hatch(context, from, TOP, size, bottom - TOP);
  else if (band.look === "task") {
    context.fillStyle = token("--brass");
    context.fillRect(from, TOP, size, 4);
    if (size <= 40) return;
    context.font = font(11.5);
    context.textAlign = "left";
    context.textBaseline = "alphabetic";
    context.fillStyle = token("--soft");
    context.fillText(band.text, Math.max(from, LEFT) + 4, TOP + 16, size - 8);
  } else {
    context.strokeStyle = token("--action");
    context.lineWidth = 1;
    context.setLineDash([3, 3]);
    context.strokeRect(from - 1, TOP + 1, size + 2, bottom - TOP - 2);
    context.setLineDash([]);
  }
}

function limit({ context, right, y }: Drawing, line: Line, grips: boolean) {
  context.strokeStyle = token("--ink");
  context.lineWidth = 1;
  context.setLineDash([6, 3]);
  context.beginPath();
  context.moveTo(LEFT, y(line.value));
  context.lineTo(right, y(line.value));
  context.stroke();
  context.setLineDash([]);
  if (!grips || !line.limit) return;
  context.fillStyle = token("--act");
  context.beginPath();
  context.roundRect(right - 26, y(line.value) - 3.5, 20, 7, 3);
  context.fill();
}

function marked({ context, bottom, x }: Drawing, [a, b]: [number, number]) {
  context.fillStyle = token("--act");
  context.globalAlpha = 0.18;
  context.fillRect(x(Math.min(a, b)), TOP, Math.abs(x(b) - x(a)), bottom - TOP);
  context.globalAlpha = 1;
}

function cursor({ context, bottom, x }: Drawing, atS: number) {
  context.strokeStyle = token("--act");
  context.lineWidth = 1;
  context.setLineDash([2, 2]);
  context.beginPath();
  context.moveTo(x(atS), TOP);
  context.lineTo(x(atS), bottom);
  context.stroke();
  context.setLineDash([]);
}

/** The names of the limits stand beside the bars, on the plain ground, never two on each other. */
function names({ context, right, bottom, y, rising }: Drawing) {
  context.textAlign = "left";
  context.textBaseline = "middle";
  context.font = font(11.5);
  context.fillStyle = token("--ink");
  let last = Number.POSITIVE_INFINITY;
  for (const line of rising) {
    const at = Math.min(y(line.value), last - 12);
    if (at < TOP - 6 || y(line.value) > bottom) continue;
    context.fillText(`${line.value} ${line.text}`, right + 6, at, LABELS - 10);
    last = at;
  }
}

function clockAxis({ context, right, bottom, x }: Drawing, { span: [from, to], clock, axis }: BarPicture) {
  context.font = font(12, 400);
  context.fillStyle = token("--soft");
  context.strokeStyle = token("--line");
  context.lineWidth = 1;
  context.textAlign = "center";
  context.textBaseline = "middle";
  for (const s of clockSplits(from, to, right - LEFT, clock)) {
    const at = Math.round(x(s)) + 0.5;
    context.beginPath();
    context.moveTo(at, bottom);
    context.lineTo(at, bottom + 5);
    context.stroke();
    context.fillText(axis(s), Math.max(at, LEFT + 10), bottom + 15);
  }
}

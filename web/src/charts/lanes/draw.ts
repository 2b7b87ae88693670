import { cleared, clockSplits, font, hatch, LANE_COLOURS, niceRange, token } from "../drawing";
import { samePlace } from "../limitLine";
import { AXIS, heights, LEFT, ROW, SLIM } from "./measures";
import { LONG_PX, type Stack, stacksOf } from "./stacks";
import type { Binned, Lane, LineDrag, Point, LanesProps as Props } from "./types";

export function rangeOf(lane: Lane): [number, number] {
  let low = Number.POSITIVE_INFINITY;
  let high = Number.NEGATIVE_INFINITY;
  const take = (v: number | null | undefined) => {
    if (v === null || v === undefined) return;
    if (v < low) low = v;
    if (v > high) high = v;
  };
  for (const v of lane.bins?.low ?? []) take(v);
  for (const v of lane.bins?.high ?? []) take(v);
  const [floor, ceiling] = usual(lane.points ?? []);
  for (const p of lane.points ?? []) {
    take(Math.min(p.value, ceiling));
    if (p.low !== undefined) take(Math.max(p.low, floor));
    else take(Math.max(p.value, floor));
  }
  if (!Number.isFinite(low)) return [0, 1];
  if (lane.look === "flag") return [0, 1];
  // How far it was from the first alarm is what is read: that stands in the picture, however small the values were.
  const values = lane.lines.map((line) => line.value);
  const [above, below] = [values.filter((v) => v > high), values.filter((v) => v < low)];
  const [reach, first, last] = [high - low, Math.min(...above), Math.max(...below)];
  for (const value of values) if (value <= high + reach && value >= low - reach) take(value);
  if (lane.reaches && above.length > 0) take(first);
  if (lane.reaches && below.length > 0) take(last);
  return niceRange(low, high);
}

/**
 * Between which values readings lie but for one far off (Tukey's far fences: three times the middle half beyond it), so that an
 * impossible one does not press all others flat.
 */
function usual(points: Point[]): [number, number] {
  if (points.length < 8) return [Number.NEGATIVE_INFINITY, Number.POSITIVE_INFINITY];
  const quarters = (values: number[]) => {
    values.sort((a, b) => a - b);
    const at = (share: number) => values[Math.round(share * (values.length - 1))] as number;
    return [at(0.25), at(0.75)] as const;
  };
  const [low, high] = [quarters(points.map((p) => p.low ?? p.value)), quarters(points.map((p) => p.value))];
  const reach = 3 * Math.max(low[1] - low[0], high[1] - high[0], 1e-9);
  return [low[0] - reach, high[1] + reach];
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

/** A canvas made ready: sized to its place, cleared, with the lines of the clock, and what turns seconds into pixels. */
function begin(canvas: HTMLCanvasElement | null, props: Props): Drawing | null {
  const context = cleared(canvas);
  if (!canvas || !context) return null;
  const [width, height] = [canvas.clientWidth, canvas.clientHeight];
  const [from, to] = props.span;
  const plot = width - LEFT - 2;
  return { context, width, height, plot, from, to, x: (s) => LEFT + ((s - from) / (to - from)) * plot };
}

/** Where the lines of the axis stand. */
function splitsOf({ span: [from, to], steps, clock }: Props, plot: number): number[] {
  if (!steps) return clockSplits(from, to, plot, clock);
  const step = steps.find((s) => ((to - from) / s) * 70 <= plot) ?? steps.at(-1) ?? 1;
  const found: number[] = [];
  for (let at = Math.ceil(from / step) * step; at <= to; at += step) found.push(at);
  return found;
}

function clockLines({ context, height, plot, x }: Drawing, props: Props) {
  context.strokeStyle = token("--hair");
  context.lineWidth = 1;
  for (const s of splitsOf(props, plot)) {
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
  for (const edge of props.edges ?? []) {
    if (edge.atS < from || edge.atS > to) continue;
    context.fillStyle = token("--act");
    context.fillRect(x(edge.atS) - 0.75, 0, 1.5, height);
    context.beginPath();
    context.roundRect(x(edge.atS) - 3.5, height / 2 - 10, 7, 20, 3);
    context.fill();
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
  const { from, to, plot } = drawing;
  const pxPerS = plot / (to - from);
  props.rows.forEach((row, i) => {
    const seen = row.items.filter((item) => item.endS >= from && item.startS <= to);
    const stacks = stacksOf(seen, pxPerS);
    const most = Math.max(...stacks.map((stack) => stack.items.length), 1);
    for (const stack of stacks) {
      const [only, second] = stack.items;
      if (only && !second) drawMark(drawing, props, only, i * ROW + ROW / 2);
      else drawStack(drawing, props, stack, i * ROW, most);
    }
  });
}

/** As high as it holds marks, of the most that one of its row holds; filled as far as they count. */
function drawStack({ context, x }: Drawing, props: Props, stack: Stack, top: number, most: number) {
  const kept = stack.items.filter((item) => item.kept).length;
  const chosen = stack.items.some((item) => item.key === props.chosen);
  const [at, low] = [x(stack.fromS) - 3, top + ROW - 1];
  const wide = Math.max(x(stack.toS) - at, 9);
  const tall = (count: number) => 4 + ((ROW - 6) * count) / most;
  context.fillStyle = context.strokeStyle = chosen ? token("--brass") : token("--ink");
  if (kept > 0) context.fillRect(at, low - tall(kept), wide, tall(kept));
  if (kept === stack.items.length) return;
  const high = tall(stack.items.length);
  context.strokeStyle = token("--none");
  context.strokeRect(at + 0.5, low - high + 0.5, wide - 1, high - 1);
}

function drawMark({ context, x }: Drawing, props: Props, item: Props["rows"][number]["items"][number], middle: number) {
  const at = x(item.startS);
  context.fillStyle = item.key === props.chosen ? token("--brass") : item.kept ? token("--ink") : token("--none");
  context.strokeStyle = context.fillStyle;
  const long = x(item.endS) - at;
  if (long > LONG_PX) {
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
  if (item.kept) return;
  context.beginPath();
  context.moveTo(at - 5, middle + 5);
  context.lineTo(Math.max(at + long, at + 5), middle - 5);
  context.stroke();
}

function drawAxis({ context, width, plot, from, to, x }: Drawing, props: Props) {
  context.font = font(12, 400);
  context.textBaseline = "middle";
  context.textAlign = "center";
  context.fillStyle = token("--soft");
  for (const s of splitsOf(props, plot)) {
    const words = props.axis(s, to - from < 600);
    const half = context.measureText(words).width / 2 + 1;
    context.fillText(words, Math.min(Math.max(x(s), LEFT + 14), width - half), AXIS / 2 + 1);
  }
}

export interface Canvases {
  marks: HTMLCanvasElement | null;
  lanes: HTMLCanvasElement | null;
  axis: HTMLCanvasElement | null;
}

export function draw(
  canvases: Canvases,
  props: Props,
  dragged: [number, number] | null,
  cursorS: number | null,
  line: LineDrag | null,
) {
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
    heights(props.lanes, props.tall).forEach((height, index) => {
      const lane = props.lanes[index];
      const own = line?.lane === lane?.key ? line : null;
      if (lane) drawLane(lanes.context, lane, { ...lanes, top, height, index, grips: Boolean(props.onLine) }, own);
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
  /** Its lines can be dragged. */
  grips: boolean;
}

/** Where a value of a lane stands, and which value stands there. */
export function scaleOf(height: number, top: number, [low, high]: [number, number]) {
  const room = height <= SLIM ? 3 : 5;
  const size = height - 2 * room;
  return {
    y: (value: number) => top + height - room - ((value - low) / (high - low || 1)) * size,
    value: (y: number) => low + ((top + height - room - y) / size) * (high - low),
  };
}

function drawLane(context: CanvasRenderingContext2D, lane: Lane, place: Place, drag: LineDrag | null) {
  const { top, height, from, to, x, plot } = place;
  const slim = height <= SLIM;
  const room = slim ? 3 : 5;
  const range = drag?.range ?? rangeOf(lane);
  const [low, high] = range;
  const { y } = scaleOf(height, top, range);
  const lines = drag
    ? lane.lines.map((line) => (samePlace(line.limit, drag.limit) ? { ...line, value: drag.value } : line))
    : lane.lines;
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
  const words = lane.words ?? ((v: number) => String(Number(v.toPrecision(4))));
  if (lane.look !== "flag") {
    context.fillText(words(high), LEFT - 5, top + (slim ? 7 : 9));
    context.fillText(words(low), LEFT - 5, top + height - (slim ? 6 : 8));
  }
  // The lines' values stand on the scale, as far as there is room between its ends.
  if (!slim) {
    const taken = [top + 9, top + height - 8];
    for (const { value } of lines) {
      if (value < low || value > high || taken.some((at) => Math.abs(at - y(value)) < 11)) continue;
      taken.push(y(value));
      context.fillText(words(value), LEFT - 5, y(value));
    }
  }
  context.save();
  context.beginPath();
  context.rect(LEFT, top, plot, height);
  context.clip();
  for (const line of lines) {
    if (line.value < low || line.value > high || line.startS > to || line.endS < from) continue;
    const begins = Math.max(x(line.startS), LEFT);
    context.strokeStyle = token("--ink");
    context.setLineDash([5, 3]);
    context.beginPath();
    context.moveTo(begins, y(line.value));
    context.lineTo(x(line.endS), y(line.value));
    context.stroke();
    context.setLineDash([]);
    if (!place.grips || !line.limit) continue;
    context.fillStyle = token("--act");
    context.beginPath();
    context.roundRect(Math.min(x(line.endS), LEFT + plot) - 26, y(line.value) - 3.5, 20, 7, 3);
    context.fill();
  }
  const colour = token(LANE_COLOURS[place.index % LANE_COLOURS.length] ?? "--act");
  context.strokeStyle = colour;
  context.fillStyle = colour;
  if (lane.waits) {
    context.font = font(12, 400);
    context.fillStyle = token("--soft");
    context.textAlign = "left";
    context.fillText("reading …", LEFT + 10, top + height / 2);
    context.fillStyle = colour;
  }
  for (const shade of lane.shades ?? []) {
    if (shade.endS < from || shade.startS > to) continue;
    context.fillStyle = token(`--${shade.colour}`);
    context.globalAlpha = 0.22;
    context.fillRect(x(shade.startS), top + 1, Math.max(x(shade.endS) - x(shade.startS), 2), height - 1);
    context.globalAlpha = 1;
  }
  if (lane.bins) drawBins(context, lane, lane.bins, { ...place, y, colour });
  if (lane.bins && lane.falls) drawFalls(context, lane.bins, lane.falls, { ...place, y });
  if (lane.also) drawAlso(context, lane.also, { ...place, y });
  if (lane.bracket) drawBracket(context, lane.bracket, place);
  if (lane.says) drawSaid(context, lane.says, place, !lane.bins && !lane.waits);
  for (const p of lane.points ?? []) {
    if (p.atS < from || p.atS > to) continue;
    if (p.value > high || (p.low ?? p.value) < low)
      drawBeyond(context, x(p.atS), p.value > high ? top + room : top + height - room, p.value > high);
    if (p.low !== undefined) {
      drawBar(context, x(p.atS), y(p.low), y(p.value), p.kept);
      continue;
    }
    context.beginPath();
    context.arc(x(p.atS), y(p.value), 3, 0, 2 * Math.PI);
    if (p.kept) context.fill();
    else context.stroke();
  }
  context.restore();
}

/** From where each fall began down to what was measured; those that do not count only as an outline. */
function drawFalls(
  context: CanvasRenderingContext2D,
  bins: Binned,
  falls: NonNullable<Lane["falls"]>,
  { from, to, x, y }: Place & { y: (v: number) => number },
) {
  context.fillStyle = context.strokeStyle = token("--above");
  for (const fall of falls) {
    if (fall.endS < from || fall.startS > to) continue;
    const first = Math.max(Math.floor((fall.startS - bins.startS) / bins.binS), 0);
    const last = Math.min(Math.ceil((fall.endS - bins.startS) / bins.binS), bins.mean.length);
    context.globalAlpha = fall.kept ? 0.45 : 0.9;
    if (x(fall.endS) - x(fall.startS) < 4) {
      // Of a whole night a fall is a hair: as a bar it is seen how many there are, and how deep.
      const lows = bins.low.slice(first, last).filter((v): v is number => v !== null);
      const deep = y(Math.min(...lows, fall.from)) - y(fall.from);
      if (fall.kept) context.fillRect(x(fall.startS) - 1.5, y(fall.from), 4, deep);
      else context.strokeRect(x(fall.startS) - 1.5, y(fall.from), 4, deep);
      context.globalAlpha = 1;
      continue;
    }
    context.beginPath();
    context.moveTo(x(fall.startS), y(fall.from));
    for (let i = first; i < last; i++) {
      const low = bins.low[i];
      if (low != null) context.lineTo(x(bins.startS + (i + 0.5) * bins.binS), y(Math.min(low, fall.from)));
    }
    context.lineTo(Math.max(x(fall.endS), x(fall.startS) + 1.5), y(fall.from));
    context.closePath();
    if (fall.kept) context.fill();
    else context.stroke();
    context.globalAlpha = 1;
  }
}

/** A second line over the first one. */
function drawAlso(
  context: CanvasRenderingContext2D,
  bins: Binned,
  { from, to, x, y }: Place & { y: (v: number) => number },
) {
  context.strokeStyle = token("--ink");
  context.lineWidth = 1.2;
  context.setLineDash([2, 2]);
  context.beginPath();
  let drawing = false;
  bins.mean.forEach((value, i) => {
    const at = bins.startS + (i + 0.5) * bins.binS;
    if (value === null || at < from - bins.binS || at > to + bins.binS) {
      drawing = false;
      return;
    }
    if (drawing) context.lineTo(x(at), y(value));
    else context.moveTo(x(at), y(value));
    drawing = true;
  });
  context.stroke();
  context.setLineDash([]);
  context.lineWidth = 1;
}

/** The stretch that a figure is of: a bracket along the top, with its name where there is room. */
function drawBracket(
  context: CanvasRenderingContext2D,
  { startS, endS, text }: NonNullable<Lane["bracket"]>,
  { top, from, to, x }: Place,
) {
  if (endS < from || startS > to) return;
  const [a, b] = [x(startS), Math.max(x(endS), x(startS) + 4)];
  context.strokeStyle = context.fillStyle = token("--ink");
  context.lineWidth = 1.4;
  context.beginPath();
  context.moveTo(a, top + 8);
  context.lineTo(a, top + 3);
  context.lineTo(b, top + 3);
  context.lineTo(b, top + 8);
  context.stroke();
  context.lineWidth = 1;
  context.font = font(10.5, 600);
  context.textAlign = "left";
  context.textBaseline = "top";
  context.fillText(text, b + 4, top + 2);
}

/** Words across a lane; hatched where it holds nothing else. */
function drawSaid(context: CanvasRenderingContext2D, words: string, { top, height, plot }: Place, empty: boolean) {
  if (empty) hatch(context, LEFT, top + 1, plot, height - 1);
  context.font = font(11.5, 500);
  const wide = context.measureText(words).width + 14;
  const [at, middle] = [LEFT + plot * 0.14, top + height / 2];
  context.fillStyle = token("--panel");
  context.fillRect(at, middle - 8, wide, 16);
  context.fillStyle = token("--soft");
  context.textAlign = "left";
  context.textBaseline = "middle";
  context.fillText(words, at + 7, middle);
}

/** A reading that lies beyond the scale: an arrow at its edge. */
function drawBeyond(context: CanvasRenderingContext2D, x: number, edge: number, upwards: boolean) {
  const back = upwards ? 6 : -6;
  context.beginPath();
  context.moveTo(x, edge - (upwards ? 3 : -3));
  context.lineTo(x - 4, edge + back);
  context.lineTo(x + 4, edge + back);
  context.closePath();
  context.fill();
}

/** A reading with two ends, such as a pressure; one that does not count is dashed. */
function drawBar(context: CanvasRenderingContext2D, x: number, low: number, high: number, kept: boolean) {
  context.setLineDash(kept ? [] : [2, 2]);
  context.lineWidth = 2;
  context.beginPath();
  context.moveTo(x, low);
  context.lineTo(x, high);
  context.stroke();
  context.setLineDash([]);
  context.lineWidth = 1;
  context.beginPath();
  for (const y of [low, high]) {
    context.moveTo(x - 3, y);
    context.lineTo(x + 3, y);
  }
  context.stroke();
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

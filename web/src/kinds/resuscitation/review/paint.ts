import { cleared, font, hatch, token } from "@/charts/drawing";
import type { Binned } from "@/charts/Lanes";
import { number, type WallClock } from "@/ui/format";
import { type Case, DEPTH, MM_PER_MV, MM_PER_S } from "./case";

export const [TOP, HIGH_MM, FOOT, LANE] = [34, 40, 18, 66];
/** How deep the lane of compressions reaches, mm of the chest. */
const DEEPEST = 70;

export interface Strip {
  /** Seconds at the left end. */
  fromS: number;
  pxPerMm: number;
  gain: number;
  ecg: Binned | undefined;
  about: Case;
  clock: WallClock;
  lengthS: number;
  leftOut: [number, number][];
}

export const heightOf = (pxPerMm: number) => TOP + HIGH_MM * pxPerMm + FOOT + LANE;

/** The strip on its grid, what was said over it, every compression under it. */
export function paint(canvas: HTMLCanvasElement | null, strip: Strip) {
  const context = cleared(canvas);
  if (!canvas || !context) return;
  const wide = canvas.clientWidth;
  const { pxPerMm, fromS, lengthS } = strip;
  const high = HIGH_MM * pxPerMm;
  const x = (atS: number) => (atS - fromS) * MM_PER_S * pxPerMm;
  const toS = fromS + wide / (MM_PER_S * pxPerMm);
  grid(context, wide, high, pxPerMm, x(Math.floor(fromS)));
  if (toS > lengthS) hatch(context, x(lengthS), TOP, wide - x(lengthS), high);
  for (const [a, b] of strip.leftOut) if (b > fromS && a < toS) hatch(context, x(a), TOP, x(b) - x(a), high);
  wave(context, strip, x, wide, high);
  pulse(context, pxPerMm, strip.gain, high);
  seconds(context, strip, x, toS, high);
  said(context, strip, x, toS, high);
  pressed(context, strip, x, toS, wide, TOP + high + FOOT);
}

function grid(context: CanvasRenderingContext2D, wide: number, high: number, pxPerMm: number, zero: number) {
  for (const [step, look, width] of [
    [1, "--grid-fine", 0.5],
    [5, "--grid-coarse", 0.9],
  ] as const) {
    context.strokeStyle = token(look) || token("--hair");
    context.lineWidth = width;
    context.beginPath();
    const px = step * pxPerMm;
    for (let at = zero; at <= wide; at += px) {
      context.moveTo(at, TOP);
      context.lineTo(at, TOP + high);
    }
    for (let at = 0; at <= high + 0.01; at += px) {
      context.moveTo(0, TOP + at);
      context.lineTo(wide, TOP + at);
    }
    context.stroke();
  }
}

/** About the middle of what is seen, so that a drifting base line does not leave the picture; from lowest to highest of each bin. */
function wave(
  context: CanvasRenderingContext2D,
  { ecg, gain, pxPerMm, fromS }: Strip,
  x: (atS: number) => number,
  wide: number,
  high: number,
) {
  if (!ecg) return;
  const perS = 1 / ecg.binS;
  const first = Math.max(Math.floor((fromS - ecg.startS) * perS), 0);
  const last = Math.min(Math.ceil((fromS + wide / (MM_PER_S * pxPerMm) - ecg.startS) * perS), ecg.mean.length);
  const seen = ecg.mean.slice(first, last).filter((v): v is number => v !== null);
  const middle = seen.sort((a, b) => a - b)[Math.floor(seen.length / 2)] ?? 0;
  const y = (mv: number) => TOP + high / 2 - (mv - middle) * gain * pxPerMm;
  context.save();
  context.beginPath();
  context.rect(0, TOP, wide, high);
  context.clip();
  context.strokeStyle = token("--ink");
  context.lineWidth = 1.3;
  context.beginPath();
  let drawing = false;
  let gap = -1;
  for (let i = first; i <= last; i++) {
    const [low, top] = [ecg.low[i] ?? null, ecg.high[i] ?? null];
    const at = x(ecg.startS + (i + 0.5) * ecg.binS);
    if (i === last || low === null || top === null) {
      if (drawing) gap = at;
      if (i < last && gap < 0) gap = at;
      drawing = false;
      continue;
    }
    if (gap >= 0 && at - gap > 4) hatch(context, gap, TOP, at - gap, high);
    gap = -1;
    if (drawing) context.lineTo(at, y(top));
    else context.moveTo(at, y(top));
    if (top !== low) context.lineTo(at, y(low));
    drawing = true;
  }
  context.stroke();
  context.restore();
}

/** A millivolt high, a fifth of a second long: what the strip is read by. */
function pulse(context: CanvasRenderingContext2D, pxPerMm: number, gain: number, high: number) {
  const [long, tall, foot] = [5 * pxPerMm, gain * pxPerMm, TOP + high - 5];
  context.strokeStyle = token("--act");
  context.lineWidth = 1.6;
  context.beginPath();
  context.moveTo(4, foot);
  context.lineTo(8, foot);
  context.lineTo(8, foot - tall);
  context.lineTo(8 + long, foot - tall);
  context.lineTo(8 + long, foot);
  context.lineTo(12 + long, foot);
  context.stroke();
  label(context, `1 mV, 0.2 s${gain === MM_PER_MV ? "" : `, ${gain} mm/mV`}`, 16 + long, foot - 4);
}

/** Words that stay readable over the grid. */
function label(context: CanvasRenderingContext2D, words: string, x: number, y: number, colour = "--ink", weight = 500) {
  context.font = font(12, weight);
  context.textAlign = "left";
  context.textBaseline = "alphabetic";
  const wide = context.measureText(words).width;
  context.fillStyle = token("--panel");
  context.globalAlpha = 0.8;
  context.fillRect(x - 2, y - 11, wide + 4, 14);
  context.globalAlpha = 1;
  context.fillStyle = token(colour);
  context.fillText(words, x, y);
}

function seconds(
  context: CanvasRenderingContext2D,
  { fromS, clock, lengthS }: Strip,
  x: (s: number) => number,
  toS: number,
  high: number,
) {
  context.font = font(11.5, 500);
  context.textAlign = "center";
  context.textBaseline = "top";
  context.fillStyle = token("--soft");
  context.strokeStyle = token("--soft");
  context.lineWidth = 1;
  context.beginPath();
  for (let at = Math.ceil(fromS); at <= Math.min(toS, lengthS); at++) {
    context.moveTo(x(at), TOP + high);
    context.lineTo(x(at), TOP + high + 4);
    if (x(at) > 24) context.fillText(clock(at, true), x(at), TOP + high + 4);
  }
  context.stroke();
}

const LOOKS: Record<string, string> = { shock: "--above", prompt: "--act", button: "--action" };

function said(
  context: CanvasRenderingContext2D,
  { about, fromS }: Strip,
  x: (s: number) => number,
  toS: number,
  high: number,
) {
  let free = [0, 0];
  for (const { atS, code, text } of about.said) {
    if (atS < fromS - 4 || atS > toS) continue;
    const colour = LOOKS[code] ?? "--soft";
    context.strokeStyle = token(colour);
    context.lineWidth = code === "shock" ? 2.4 : 1.2;
    context.setLineDash(code === "shock" ? [] : [2, 3]);
    context.beginPath();
    context.moveTo(x(atS), 20);
    context.lineTo(x(atS), TOP + high + (code === "shock" ? FOOT + LANE : 0));
    context.stroke();
    context.setLineDash([]);
    context.font = font(12, 600);
    const words = code === "shock" ? text : code === "prompt" ? `“${text}”` : text;
    const wide = context.measureText(words).width;
    const at = Math.max(x(atS) + 3, 2);
    // Two rows, so that a prompt and the shock after it both stay readable.
    const row = at >= (free[0] ?? 0) ? 0 : at >= (free[1] ?? 0) ? 1 : -1;
    if (row < 0) continue;
    free = row === 0 ? [at + wide + 8, free[1] ?? 0] : [free[0] ?? 0, at + wide + 8];
    label(context, words, at, 13 + row * 15, colour, 600);
  }
}

/** Every compression as deep as it was, the target as a band, pauses with how long they are; those around a shock in two parts. */
function pressed(
  context: CanvasRenderingContext2D,
  { about, fromS }: Strip,
  x: (s: number) => number,
  toS: number,
  wide: number,
  top: number,
) {
  const deep = (mm: number) => top + 2 + (Math.min(mm, DEEPEST) / DEEPEST) * (LANE - 6);
  context.fillStyle = token("--within");
  context.globalAlpha = 0.14;
  context.fillRect(0, deep(DEPTH[0]), wide, deep(DEPTH[1]) - deep(DEPTH[0]));
  context.globalAlpha = 1;
  context.strokeStyle = token("--line");
  context.lineWidth = 1;
  context.beginPath();
  context.moveTo(0, top + 2);
  context.lineTo(wide, top + 2);
  context.stroke();
  const near = about.compressions.filter((each) => each.atS >= fromS - 1 && each.atS <= toS + 1);
  const half = 0.22;
  for (const each of near) {
    const mm = each.depth ?? 30;
    context.beginPath();
    context.moveTo(x(each.atS - half), top + 2);
    context.bezierCurveTo(x(each.atS - half / 2), top + 2, x(each.atS - half / 2), deep(mm), x(each.atS), deep(mm));
    context.bezierCurveTo(
      x(each.atS + half / 2),
      deep(mm),
      x(each.atS + half / 2),
      top + 2,
      x(each.atS + half),
      top + 2,
    );
    context.strokeStyle = token(each.counts ? "--act" : "--none");
    context.setLineDash(each.depth === null || !each.counts ? [2, 2] : []);
    context.lineWidth = 1.4;
    context.stroke();
    context.setLineDash([]);
    if (!each.counts || each.depth === null) continue;
    context.fillStyle = token("--act");
    context.globalAlpha = 0.18;
    context.fill();
    context.globalAlpha = 1;
    context.font = font(11.5, 500);
    context.textAlign = "center";
    context.textBaseline = "middle";
    context.fillStyle = token("--ink");
    context.fillText(number(each.depth, 0), x(each.atS), deep(Math.min(mm, 56) / 1.7));
  }
  for (const pause of about.pauses) {
    if (pause.endS < fromS || pause.startS > toS) continue;
    const parts: [number, number, string][] =
      pause.beforeS === null || pause.afterS === null
        ? [[pause.startS, pause.endS, `${number(pause.endS - pause.startS, 1)} s without compressions`]]
        : [
            [pause.startS, pause.startS + pause.beforeS, `${number(pause.beforeS, 1)} s before the shock`],
            [pause.endS - pause.afterS, pause.endS, `${number(pause.afterS, 1)} s after`],
          ];
    for (const [a, b, words] of parts) measured(context, Math.max(x(a), 4), Math.min(x(b), wide - 4), top + 34, words);
  }
}

/** A length between two ends, with its words over it. */
function measured(context: CanvasRenderingContext2D, a: number, b: number, y: number, words: string) {
  if (b - a < 3) return;
  context.strokeStyle = token("--ink");
  context.lineWidth = 1.2;
  context.beginPath();
  for (const end of [a, b]) {
    context.moveTo(end, y - 5);
    context.lineTo(end, y + 5);
  }
  context.moveTo(a, y);
  context.lineTo(b, y);
  context.stroke();
  context.font = font(12, 600);
  context.textAlign = "center";
  context.textBaseline = "alphabetic";
  if (context.measureText(words).width + 6 > b - a) return;
  context.fillStyle = token("--ink");
  context.fillText(words, (a + b) / 2, y - 7);
}

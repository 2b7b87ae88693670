import type { WallClock } from "@/ui/format";

const tokens = new Map<string, string>();
const forget = () => tokens.clear();
// Asking the document for a colour makes it lay itself out: a picture that asks four hundred times while it is drawn would wait for that.
// This stands before every `onLook`: what is drawn again then asks anew.
new MutationObserver(forget).observe(document.documentElement, { attributes: true, attributeFilter: ["data-theme"] });
for (const query of ["(forced-colors: active)", "(prefers-contrast: more)"])
  window.matchMedia(query).addEventListener("change", forget);

/** The value of a colour of the look. */
export function token(name: string): string {
  const known = tokens.get(name);
  if (known) return known;
  const found = getComputedStyle(document.documentElement).getPropertyValue(name).trim();
  tokens.set(name, found);
  return found;
}

/** Draws again when the look of the screen is changed: what is painted on a canvas keeps the colours it was painted with. */
export function onLook(redraw: () => void): () => void {
  const watch = new MutationObserver(redraw);
  watch.observe(document.documentElement, { attributes: true, attributeFilter: ["data-theme"] });
  return () => watch.disconnect();
}

/** Colours of lanes in order, told apart also by those who see few colours. */
export const LANE_COLOURS = ["--lane-1", "--lane-2", "--lane-3", "--lane-4", "--lane-5", "--lane-6"];

/** A canvas sized to its place on this screen and cleared, to be drawn on in pixels of the window; null while there is none. */
export function cleared(canvas: HTMLCanvasElement | null): CanvasRenderingContext2D | null {
  const context = canvas?.getContext("2d");
  if (!canvas || !context) return null;
  const ratio = devicePixelRatio || 1;
  const [width, height] = [Math.round(canvas.clientWidth * ratio), Math.round(canvas.clientHeight * ratio)];
  if (canvas.width !== width || canvas.height !== height) [canvas.width, canvas.height] = [width, height];
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  context.clearRect(0, 0, canvas.clientWidth, canvas.clientHeight);
  return context;
}

/** Letters in a picture. */
export const font = (size: number, weight = 500) => `${weight} ${size}px "Barlow Semi Condensed"`;

/** A hatched field: left out, or not measured. */
export function hatch(context: CanvasRenderingContext2D, x: number, y: number, width: number, height: number) {
  context.save();
  context.beginPath();
  context.rect(x, y, width, height);
  context.clip();
  context.fillStyle = token("--salt");
  context.fillRect(x, y, width, height);
  context.strokeStyle = token("--none");
  context.lineWidth = 1;
  context.beginPath();
  const step = 7;
  for (let at = Math.floor((x - height) / step) * step; at < x + width; at += step) {
    context.moveTo(at, y + height);
    context.lineTo(at + height, y);
  }
  context.stroke();
  context.restore();
}

/** A range around values whose ends are round numbers. */
export function niceRange(low: number, high: number): [number, number] {
  const size = high - low || Math.abs(high) || 1;
  const step = 10 ** Math.floor(Math.log10(size / 2));
  const round = [1, 2, 5, 10].map((f) => f * step).find((s) => size / s <= 8) ?? step;
  return [Math.floor(low / round) * round, Math.ceil(high / round) * round];
}

const DAY_S = 86_400;
/** Steps between the lines of a clock, from a second to a week. */
export const STEPS_S = [
  ...[1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14400, 21600, 43200],
  ...[DAY_S, 2 * DAY_S, 7 * DAY_S],
];

/** Seconds since midnight of an "HH:MM" or "HH:MM:SS". */
export function clockOffset(text: string): number {
  const [h = 0, m = 0, s = 0] = text.split(":").map(Number);
  return h * 3600 + m * 60 + s;
}

/** Round times of day in a span, at least about 70 px apart. */
export function clockSplits(from: number, to: number, width: number, clock: WallClock): number[] {
  const step = STEPS_S.find((s) => ((to - from) / s) * 70 <= width) ?? 7 * DAY_S;
  const offset = clockOffset(clock(0, true));
  const found: number[] = [];
  for (let s = Math.ceil((from + offset) / step) * step - offset; s <= to; s += step) found.push(s);
  return found;
}

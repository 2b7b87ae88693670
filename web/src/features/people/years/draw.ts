import type { Schemas } from "@/api/client";
import { cleared, font, hatch, niceRange, token } from "@/charts/drawing";
import { LEFT } from "@/charts/lanes/measures";

export type Lane = Schemas["YearsLane"];
export type Mark = Schemas["Mark"];
export type Changed = Schemas["Changed"];

/** Heights of what lies beneath each other, in pixels, and the room right of the axis for the names of limits. */
export const HEAD = 22;
export const CHANGES = 46;
/** Few lanes share the room that many would take. */
export const laneHeight = (count: number) => (count <= 1 ? 230 : count === 2 ? 180 : 132);
const FORCE = 17;
export const RIGHT = 104;
const DAY_S = 86_400;

/** Something that was changed or a medicine, as a mark through all lanes. */
export interface Event {
  key: string;
  atS: number;
  words: string;
  medicine: boolean;
}

export interface Picture {
  lanes: Lane[];
  events: Event[];
  span: [number, number];
  nowS: number;
  /** The sessions that are compared, by number: A, then B. */
  chosen: number[];
  /** The session that the keys lead to. */
  looked: number | null;
}

export const secondsOf = (iso: string) => Date.parse(iso) / 1000;
export const heightOf = (lanes: Lane[]) => HEAD + CHANGES + lanes.length * laneHeight(lanes.length);

interface Drawing {
  context: CanvasRenderingContext2D;
  width: number;
  right: number;
  x: (s: number) => number;
}

/** The range of a lane: its values, and the limits that are not far from them. */
export function rangeOf(lane: Lane): [number, number] {
  const values = [
    ...lane.marks.flatMap((mark) => [mark.value, mark.low]),
    ...lane.curves.flatMap((curve) => curve.values),
    ...lane.weeks.map((week) => week.value),
  ].filter((value) => value !== null);
  if (values.length === 0) return [0, 1];
  let [low, high] = [Math.min(...values), Math.max(...values)];
  const reach = Math.max(high - low, Math.abs(high) * 0.15, 1e-6);
  const [first, last] = [low - reach, high + reach];
  for (const { value } of lane.in_force.flatMap((each) => each.steps))
    if (value >= first && value <= last) [low, high] = [Math.min(low, value), Math.max(high, value)];
  return niceRange(low, high);
}

/** Where a value of the lane of a number stands. */
export function yOf(index: number, tall: number, [low, high]: [number, number]) {
  const top = HEAD + CHANGES + index * tall + 10;
  const size = tall - FORCE - 22;
  return (value: number) => top + size - ((value - low) / (high - low || 1)) * size;
}

export function drawYears(
  canvas: HTMLCanvasElement | null,
  picture: Picture,
  dragged: [number, number] | null,
  cursorS: number | null,
) {
  const context = cleared(canvas);
  if (!canvas || !context) return;
  const width = canvas.clientWidth;
  const right = width - RIGHT;
  const [from, to] = picture.span;
  const x = (s: number) => LEFT + ((s - from) / (to - from)) * (right - LEFT);
  const drawing: Drawing = { context, width, right, x };
  const height = heightOf(picture.lanes);
  years(drawing, picture, height);
  context.save();
  context.beginPath();
  context.rect(LEFT, 0, right - LEFT, height);
  context.clip();
  for (const event of picture.events) through(drawing, event, height);
  const now = x(picture.nowS);
  context.fillStyle = token("--brass");
  context.fillRect(now - 0.75, HEAD, 1.5, height - HEAD);
  context.restore();
  words(drawing, picture);
  for (const [index, lane] of picture.lanes.entries()) drawLane(drawing, lane, index, picture);
  if (dragged) {
    context.fillStyle = token("--act");
    context.globalAlpha = 0.16;
    context.fillRect(x(Math.min(...dragged)), HEAD, Math.abs(x(dragged[1]) - x(dragged[0])), height - HEAD);
    context.globalAlpha = 1;
  }
  if (cursorS !== null && cursorS >= from && cursorS <= to) {
    context.strokeStyle = token("--act");
    context.setLineDash([2, 2]);
    context.beginPath();
    context.moveTo(x(cursorS), HEAD);
    context.lineTo(x(cursorS), height);
    context.stroke();
    context.setLineDash([]);
  }
}

/** The beginnings of years, quarters, months or days in a span, as far apart as their names need. */
export function dates(from: number, to: number, width: number): { atS: number; text: string }[] {
  const perDay = (width / (to - from)) * DAY_S;
  const months = [1, 3, 6, 12].find((each) => each * 30.4 * perDay >= 58);
  const found: { atS: number; text: string }[] = [];
  if (perDay >= 4 || months === undefined) {
    const step = [1, 2, 7, 14].find((each) => each * perDay >= 58) ?? 14;
    const first = new Date(from * 1000);
    first.setHours(0, 0, 0, 0);
    for (const at = first; at.getTime() / 1000 <= to && found.length < 400; at.setDate(at.getDate() + step))
      found.push({
        atS: at.getTime() / 1000,
        text: at.toLocaleDateString("en-GB", { day: "numeric", month: "short" }),
      });
    return found;
  }
  const first = new Date(from * 1000);
  const at = new Date(first.getFullYear(), Math.floor(first.getMonth() / months) * months, 1);
  for (; at.getTime() / 1000 <= to && found.length < 400; at.setMonth(at.getMonth() + months)) {
    const january = at.getMonth() === 0;
    const text = january ? String(at.getFullYear()) : at.toLocaleDateString("en-GB", { month: "short" });
    found.push({ atS: at.getTime() / 1000, text });
  }
  return found;
}

function years({ context, right, x }: Drawing, { span: [from, to] }: Picture, height: number) {
  context.font = font(12.5);
  context.textAlign = "left";
  context.textBaseline = "middle";
  context.lineWidth = 1;
  for (const { atS, text } of dates(from, to, right - LEFT)) {
    const at = Math.round(x(atS)) + 0.5;
    if (at < LEFT - 1 || at > right) continue;
    context.strokeStyle = token("--hair");
    context.beginPath();
    context.moveTo(at, HEAD - 4);
    context.lineTo(at, height);
    context.stroke();
    context.fillStyle = token("--ink");
    if (at < right - 24) context.fillText(text, at + 3, 10);
  }
}

function through({ context, x }: Drawing, event: Event, height: number) {
  context.strokeStyle = event.medicine ? token("--lane-4") : token("--soft");
  context.lineWidth = 1;
  context.setLineDash([2, 3]);
  context.beginPath();
  context.moveTo(x(event.atS), HEAD + 8);
  context.lineTo(x(event.atS), height);
  context.stroke();
  context.setLineDash([]);
}

/** Squares for what was changed, diamonds for medicines; their words in two rows, as far as there is room. */
function words({ context, right, x }: Drawing, { events }: Picture) {
  context.font = font(12);
  context.textBaseline = "middle";
  context.textAlign = "left";
  const ends = [LEFT, LEFT];
  for (const event of [...events].sort((a, b) => a.atS - b.atS)) {
    const at = x(event.atS);
    if (at < LEFT || at > right) continue;
    const wide = context.measureText(event.words).width + 14;
    const row = ends.findIndex((end) => at >= end);
    const y = HEAD + 12 + Math.max(row, 0) * 20;
    context.fillStyle = event.medicine ? token("--lane-4") : token("--soft");
    context.beginPath();
    if (event.medicine) {
      context.moveTo(at, y - 5);
      context.lineTo(at + 5, y);
      context.lineTo(at, y + 5);
      context.lineTo(at - 5, y);
    } else context.rect(at - 4.5, y - 4.5, 9, 9);
    context.fill();
    if (row < 0) continue;
    ends[row] = at + wide + 8;
    context.fillStyle = token("--ink");
    context.fillText(event.words, at + 9, y, Math.max(right + RIGHT - at - 12, 20));
  }
}

/** Round values between the ends of a lane, as many as can be read. */
function ticks(low: number, high: number, tall: number): number[] {
  const rough = (high - low) / Math.max(Math.floor(tall / 36), 2);
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 5, 10].map((each) => each * power).find((each) => each >= rough) ?? rough;
  const found: number[] = [];
  for (let value = Math.ceil(low / step - 1e-9) * step; value <= high + step * 1e-6; value += step) found.push(value);
  return found;
}

function drawLane(drawing: Drawing, lane: Lane, index: number, picture: Picture) {
  const { context, right, x } = drawing;
  const tall = laneHeight(picture.lanes.length);
  const top = HEAD + CHANGES + index * tall;
  const range = rangeOf(lane);
  const y = yOf(index, tall, range);
  context.strokeStyle = token("--line");
  context.lineWidth = 1;
  context.beginPath();
  context.moveTo(0, top + 0.5);
  context.lineTo(right + RIGHT, top + 0.5);
  context.stroke();
  context.font = font(11, 400);
  context.fillStyle = token("--soft");
  context.textAlign = "right";
  context.textBaseline = "middle";
  const [low, high] = range;
  for (const value of ticks(low, high, tall)) {
    context.fillText(String(Number(value.toPrecision(6))), LEFT - 6, y(value));
    context.strokeStyle = token("--hair");
    context.beginPath();
    context.moveTo(LEFT, Math.round(y(value)) + 0.5);
    context.lineTo(right, Math.round(y(value)) + 0.5);
    context.stroke();
  }
  context.save();
  context.beginPath();
  context.rect(LEFT - 8, top, right - LEFT + 16, tall);
  context.clip();
  force(drawing, lane, picture, top + tall, y, range);
  curves(drawing, lane, y);
  weeks(drawing, lane, y);
  for (const mark of lane.marks)
    drawMark(
      context,
      mark,
      x(secondsOf(mark.started_at)),
      placeOf(mark, y, range),
      mark.low === null ? null : y(mark.low),
      picture,
    );
  context.restore();
  limitNames(drawing, lane, y, range);
}

const dayS = (day: string) => secondsOf(`${day}T12:00`);

/** What somebody was used to and had lately, as lines: broken where it is not known. */
function curves({ context, x }: Drawing, lane: Lane, y: (value: number) => number) {
  lane.curves.forEach((curve, n) => {
    const first = dayS(curve.first);
    context.strokeStyle = token(n ? "--brass" : "--act");
    context.lineWidth = n ? 2 : 1.4;
    context.beginPath();
    let pen = false;
    curve.values.forEach((value, at) => {
      if (value === null) {
        pen = false;
        return;
      }
      const place: [number, number] = [x(first + at * DAY_S), y(value)];
      if (pen) context.lineTo(...place);
      else context.moveTo(...place);
      pen = true;
    });
    context.stroke();
  });
}

/** Weeks of which every working day was measured, as bars over their days. */
function weeks({ context, x }: Drawing, lane: Lane, y: (value: number) => number) {
  context.strokeStyle = token("--brass");
  context.lineWidth = 4;
  for (const week of lane.weeks) {
    if (week.value === null) continue;
    const from = dayS(week.monday);
    context.beginPath();
    context.moveTo(x(from - DAY_S / 2), y(week.value));
    context.lineTo(x(from + 4.5 * DAY_S), y(week.value));
    context.stroke();
  }
}

/** A session without a value stands at the foot of its lane. */
export const placeOf = (mark: Mark, y: (value: number) => number, range: [number, number]) =>
  y(mark.value === null ? range[0] : mark.value);

/** Lines of limits while they were in force, and under them which set it was. */
function force(
  { context, right, x }: Drawing,
  lane: Lane,
  { nowS, span }: Picture,
  bottom: number,
  y: (value: number) => number,
  [low, high]: [number, number],
) {
  const ends = [...lane.in_force.slice(1).map((each) => secondsOf(each.since)), Math.max(nowS, span[1])];
  lane.in_force.forEach((each, i) => {
    const [from, to] = [Math.max(x(secondsOf(each.since)), LEFT), Math.min(x(ends[i] ?? nowS), right)];
    if (to <= from) return;
    context.fillStyle = i % 2 ? token("--act-soft") : token("--hair");
    context.fillRect(from, bottom - FORCE, to - from - 1, FORCE - 4);
    context.fillStyle = token("--soft");
    context.font = font(11, 400);
    context.textAlign = "left";
    context.textBaseline = "middle";
    if (to - from > 60) context.fillText(each.name, from + 4, bottom - FORCE / 2 - 1.5, to - from - 8);
    context.strokeStyle = token("--ink");
    context.lineWidth = 1;
    context.setLineDash([5, 3]);
    for (const step of each.steps) {
      if (step.value < low || step.value > high) continue;
      context.beginPath();
      context.moveTo(from, y(step.value));
      context.lineTo(to, y(step.value));
      context.stroke();
    }
    context.setLineDash([]);
  });
}

/** The limits in force now are named at the right. */
function limitNames(
  { context, right }: Drawing,
  lane: Lane,
  y: (value: number) => number,
  [low, high]: [number, number],
) {
  context.font = font(11.5);
  context.textAlign = "left";
  context.textBaseline = "middle";
  context.fillStyle = token("--ink");
  let last = Number.POSITIVE_INFINITY;
  for (const step of [...(lane.in_force.at(-1)?.steps ?? [])].sort((a, b) => a.value - b.value)) {
    if (step.value < low || step.value > high) continue;
    const at = Math.min(y(step.value), last - 12);
    context.fillText(`${step.value} ${step.name}`, right + 5, at, RIGHT - 8);
    last = at;
  }
}

const COLOUR: Record<string, string> = {
  "above limit": "--above",
  "action level reached": "--action",
  within: "--within",
};

/** The shape of its verdict, on a bar down to its lower end where it has one: filled once it was reviewed and signed, an outline until then; hatched where it cannot be assessed. */
function drawMark(
  context: CanvasRenderingContext2D,
  mark: Mark,
  x: number,
  y: number,
  low: number | null,
  { chosen, looked }: Picture,
) {
  if (low !== null && mark.value !== null) {
    context.fillStyle = token("--lane-4");
    context.globalAlpha = mark.signed ? 1 : 0.45;
    context.fillRect(x - 1.75, y + 6, 3.5, Math.max(low - y - 6, 2));
    context.globalAlpha = 1;
  }
  const colour = token(COLOUR[mark.verdict] ?? "--none");
  context.fillStyle = context.strokeStyle = colour;
  context.lineWidth = mark.signed ? 1.8 : 1.3;
  context.setLineDash(mark.signed ? [] : [2, 1.5]);
  context.beginPath();
  if (mark.verdict === "not assessable" || mark.value === null) {
    hatch(context, x - 4.5, y - 4.5, 9, 9);
    context.beginPath();
    context.rect(x - 4.5, y - 4.5, 9, 9);
  } else if (mark.verdict === "above limit") {
    context.rect(x - 4, y - 4, 8, 8);
    if (mark.signed) context.fill();
  } else if (mark.verdict === "action level reached") {
    context.arc(x, y, 4.3, 0, 2 * Math.PI);
    context.stroke();
    context.setLineDash([]);
    context.beginPath();
    context.arc(x, y, 4.3, Math.PI / 2, 1.5 * Math.PI);
    if (mark.signed) context.fill();
  } else context.arc(x, y, 4.3, 0, 2 * Math.PI);
  context.stroke();
  context.setLineDash([]);
  const letter = chosen.indexOf(mark.session_id);
  if (letter < 0 && looked !== mark.session_id) return;
  context.strokeStyle = token("--act");
  context.lineWidth = 2;
  context.beginPath();
  context.arc(x, y, 9, 0, 2 * Math.PI);
  context.stroke();
  if (letter < 0) return;
  context.fillStyle = token("--act");
  context.beginPath();
  context.arc(x + 14, y - 10, 8, 0, 2 * Math.PI);
  context.fill();
  context.fillStyle = token("--panel");
  context.font = font(11, 700);
  context.textAlign = "center";
  context.textBaseline = "middle";
  context.fillText("AB"[letter] ?? "", x + 14, y - 9.5);
}

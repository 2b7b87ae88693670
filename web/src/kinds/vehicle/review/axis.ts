import { quantity } from "@/ui/format";
import type { Course, LapSheet, Span } from "./laps";

/** What the lanes stand over: metres of the course, or seconds since the start line. */
export type Over = "distance" | "time";
/** A lap that is drawn: the reference, the compared one, or a further one by its place in the list. */
export type Drawn = "reference" | "lap" | number;

export const LEFT = 38;
export const READOUT = 92;

/** The horizontal axis of the lanes. A place is always one of the compared lap, in metres. */
export interface Axis {
  over: Over;
  right: number;
  /** Where a lap's curve is drawn at a place of its own. */
  xOf: (lap: Drawn) => (m: number) => number;
  /** Where the compared lap's is. */
  x: (m: number) => number;
  /** The place of the compared lap there. */
  m: (x: number) => number;
  /** The stretch of a lap that can be seen. */
  seen: (lap: Drawn) => Span;
  /** Where a lap is when the compared one is at a place: there, too, or wherever it was as long after the start line. */
  placeOf: (lap: Drawn, m: number) => number;
  /** A place so many steps (metres, or tenths of a second) further on. */
  moved: (m: number, steps: number) => number;
  /** How far the axis reaches, in words: "952 m". */
  end: string;
}

/** When a lap is at a place; linear between the values, which stand `stepM` apart. */
export function timeAt(clock: readonly number[], stepM: number, m: number): number {
  const last = clock.length - 1;
  const at = Math.min(Math.max(m / stepM, 0), last);
  const i = Math.min(Math.floor(at), last - 1);
  const [a = 0, b = 0] = [clock[i], clock[i + 1]];
  return a + (at - i) * (b - a);
}

/** Where a lap is at a time: the other way round. */
export function placeAt(clock: readonly number[], stepM: number, time: number): number {
  let [low, high] = [0, clock.length - 1];
  if (time <= (clock[low] ?? 0)) return 0;
  if (time >= (clock[high] ?? 0)) return high * stepM;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if ((clock[middle] ?? 0) <= time) low = middle;
    else high = middle;
  }
  const [a = 0, b = 0] = [clock[low], clock[high]];
  return (low + (b > a ? (time - a) / (b - a) : 0)) * stepM;
}

const clockOf = ({ clock }: LapSheet, lap: Drawn): readonly number[] =>
  typeof lap === "number" ? (clock.also[lap] ?? []) : clock[lap];

export function axisOf(sheet: LapSheet, course: Course, over: Over, span: Span, width: number): Axis {
  const right = width - READOUT;
  const scale = (from: number, to: number) => ({
    x: (v: number) => LEFT + ((v - from) / (to - from || 1)) * (right - LEFT),
    back: (x: number) => from + ((x - LEFT) / (right - LEFT)) * (to - from),
  });
  const length = course.length_m;
  if (over === "distance") {
    const { x, back } = scale(span[0], span[1]);
    return {
      over,
      right,
      xOf: () => x,
      x,
      m: (at) => Math.min(Math.max(back(at), 0), length),
      seen: () => span,
      placeOf: (_, m) => m,
      moved: (m, steps) => Math.min(Math.max(m + steps, 0), length),
      end: quantity(length, "m"),
    };
  }
  const step = course.step_m;
  const mine = clockOf(sheet, "lap");
  const whole = span[1] >= length - step;
  const ends = [sheet.clock.reference, sheet.clock.lap, ...sheet.clock.also].map((clock) => clock.at(-1) ?? 0);
  const to = whole ? Math.max(...ends) : timeAt(mine, step, span[1]);
  const { x, back } = scale(timeAt(mine, step, span[0]), to);
  const xOf = (lap: Drawn) => {
    const clock = clockOf(sheet, lap);
    return (m: number) => x(timeAt(clock, step, m));
  };
  const m = (at: number) => placeAt(mine, step, back(at));
  return {
    over,
    right,
    xOf,
    x: xOf("lap"),
    m,
    seen: (lap) => {
      const clock = clockOf(sheet, lap);
      return [placeAt(clock, step, back(LEFT)), placeAt(clock, step, to)];
    },
    placeOf: (lap, at) => placeAt(clockOf(sheet, lap), step, timeAt(mine, step, at)),
    moved: (at, steps) => placeAt(mine, step, timeAt(mine, step, at) + steps / 10),
    end: `${to.toFixed(1)} s`,
  };
}

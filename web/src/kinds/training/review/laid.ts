import { number } from "@/ui/format";
import { paceWords, scaleOf, type Way } from "./way";

export type Over = "distance" | "time";

/** One quantity of several sessions over the same axis. */
export interface Quantity {
  name: string;
  unit: string;
  words: (value: number) => string;
  /** The value of a session at a place of the axis; null where it is not known. */
  at: (session: number, place: number) => number | null;
  /** Values at the places of `places`, by session. */
  lines: (number | null)[][];
  low: number;
  high: number;
}

export interface Laid {
  /** The end of the axis, m or s. */
  whole: number;
  places: number[];
  quantities: Quantity[];
}

const POINTS = 500;
const SLOWEST_S = 900;

const signed = (value: number) =>
  `${value > 0 ? "+" : value < 0 ? "−" : ""}${number(Math.abs(value), 0)}`.replace(/^[+−]0$/, "0");

/** Sessions laid over one another, over the way or the time: by how much each lies behind the first, pace, heart rate, height. */
export function laidOver(ways: (Way | null)[], over: Over): Laid {
  const scales = ways.map((way) => (way ? scaleOf(way) : null));
  const ends = ways.map((way, k) => {
    const endS = way ? way.startS + way.stepS * way.along.length : 0;
    return over === "time" ? endS : (scales[k]?.of(endS) ?? 0);
  });
  const whole = Math.max(...ends, 1);
  const places = Array.from({ length: POINTS + 1 }, (_, i) => (i / POINTS) * whole);
  const momentAt = (k: number, place: number) =>
    place > (ends[k] ?? 0) ? null : over === "time" ? place : (scales[k]?.at(place) ?? null);
  const sample =
    (of: (way: Way, i: number) => number | null) =>
    (k: number, place: number): number | null => {
      const [way, atS] = [ways[k], momentAt(k, place)];
      if (!way || atS === null) return null;
      const i = Math.floor((atS - way.startS) / way.stepS);
      return i >= 0 && i < way.along.length ? of(way, i) : null;
    };
  const pace = sample((way, i) => {
    const speed = way.speed[i] ?? null;
    return speed === null || speed < 1000 / SLOWEST_S ? null : -1000 / speed;
  });
  const behind = (k: number, place: number) => {
    const [mine, first] = [momentAt(k, place), momentAt(0, place)];
    return mine === null || first === null ? null : mine - first;
  };
  const wanted: Omit<Quantity, "lines" | "low" | "high">[] = [
    ...(over === "distance" ? [{ name: "Behind", unit: "s", words: signed, at: behind }] : []),
    { name: "Pace", unit: "min/km", words: (value: number) => paceWords(-value), at: pace },
    {
      name: "Heart rate",
      unit: "bpm",
      words: (value: number) => number(value, 0),
      at: sample((way, i) => way.rate[i] ?? null),
    },
    {
      name: "Height",
      unit: "m",
      words: (value: number) => number(value, 0),
      at: sample((way, i) => way.height[i] ?? null),
    },
  ];
  const quantities = wanted.flatMap((quantity): Quantity[] => {
    const lines = ways.map((_, k) => places.map((place) => quantity.at(k, place)));
    const known = lines.flat().filter((value): value is number => value !== null);
    return known.length === 0 ? [] : [{ ...quantity, lines, low: Math.min(...known), high: Math.max(...known) }];
  });
  return { whole, places, quantities };
}

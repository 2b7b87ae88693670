import type { Schemas } from "@/api/client";
import type { Assessment } from "@/sheet/assessed";

type Cell = Schemas["Table"]["rows"][number][number];
type Row = Record<string, Cell | undefined>;

/** Which of its own limits a reading reaches. */
export type Reaches = "" | "systolic" | "diastolic" | "both";
export type Period = "awake" | "asleep";

/** A try of the cuff; values are null where it failed. */
export interface Reading {
  key: string;
  atS: number;
  period: Period;
  systolic: number | null;
  diastolic: number | null;
  map: number | null;
  pulse: number | null;
  pulsePressure: number | null;
  reaches: Reaches;
  byHand: boolean;
  /** Why it does not count: "left out", or why the try failed. */
  state: string;
}

const numberIn = (value: Cell | undefined) => (typeof value === "number" ? value : null);

/** The rows of a table by the names of its columns; none where there is no such table. */
export function rowsOf(assessment: Assessment, key: string): Row[] {
  const table = assessment.tables.find((t) => t.key === key);
  if (!table) return [];
  return table.rows.map((row) => Object.fromEntries(table.columns.map((column, i) => [column.name, row[i]])));
}

/** What a reading reaches, of results from before they said so: held against the lines of its own time. */
function reachedThen(assessment: Assessment, row: Row): Reaches {
  const atS = Number(row.Time);
  const high = (name: "Systolic" | "Diastolic") =>
    (assessment.levels ?? []).some(
      (l) =>
        l.name.startsWith(name.toLowerCase()) && l.start_s <= atS && atS < l.end_s && Number(row[name] ?? 0) >= l.value,
    );
  const [systolic, diastolic] = [high("Systolic"), high("Diastolic")];
  return systolic && diastolic ? "both" : systolic ? "systolic" : diastolic ? "diastolic" : "";
}

/** How many readings are of each class, for each period; results from before they were counted have shares. */
export function classesOf(assessment: Assessment) {
  const table = assessment.tables.find((t) => t.key === "classes");
  const shares = table?.columns.some((c) => c.unit === "%") ?? false;
  return rowsOf(assessment, "classes").map((row) => {
    const n = Number(row.Readings ?? 0);
    const count = (name: string) => {
      const value = Number(row[name] ?? 0);
      return shares ? Math.round((value * n) / 100) : value;
    };
    return {
      name: String(row.Period),
      period: row.Period === "24 h" ? null : (String(row.Period).toLowerCase() as Period),
      neither: count("Below both"),
      one: count("Only systolic") + count("Only diastolic"),
      both: count("Both"),
      words: String(row["In words"] ?? ""),
    };
  });
}

export function readingsOf(assessment: Assessment): Reading[] {
  return rowsOf(assessment, "readings").map((row) => ({
    key: String(row.Key),
    atS: Number(row.Time),
    period: row.Period === "asleep" ? "asleep" : "awake",
    systolic: numberIn(row.Systolic),
    diastolic: numberIn(row.Diastolic),
    map: numberIn(row["Mean arterial"]),
    pulse: numberIn(row.Pulse),
    pulsePressure: numberIn(row["Pulse pressure"]),
    reaches: (row["Reaches its limit"] as Reaches | undefined) ?? reachedThen(assessment, row),
    byHand: row.Taken === "by hand",
    state: String(row.State ?? ""),
  }));
}

export const isValid = (r: Reading) => r.systolic !== null && r.diastolic !== null;
export const counts = (r: Reading) => isValid(r) && r.state === "";

/** The class of a reading: neither limit reached, one, or both. */
export type Class = "neither" | "one" | "both";
export const classOf = (r: Reading): Class => (r.reaches === "" ? "neither" : r.reaches === "both" ? "both" : "one");

export interface Span {
  startS: number;
  endS: number;
  text: string;
}

const spansOf = (assessment: Assessment, key: string, words: string): Span[] =>
  rowsOf(assessment, key).map((row) => ({
    startS: Number(row.From),
    endS: Number(row.To),
    text: String(row[words] ?? ""),
  }));

/** What the wearer did, stretch by stretch: moving, resting, still, no data. */
export const activityOf = (assessment: Assessment) => spansOf(assessment, "activity", "State");

/** Windows without a reading, with their reason. */
export const quietOf = (assessment: Assessment) => spansOf(assessment, "quiet", "Because of");

export const QUANTITIES = {
  systolic: "Systolic",
  diastolic: "Diastolic",
  map: "Mean arterial",
  pulse: "Pulse",
} as const;
export type Quantity = keyof typeof QUANTITIES;
const each = <T>(made: (quantity: Quantity, name: string) => T) =>
  Object.fromEntries(Object.entries(QUANTITIES).map(([q, name]) => [q, made(q as Quantity, name)])) as Record<
    Quantity,
    T
  >;

/** Means of an hour, and the lowest and highest reading that counts in it; null where nothing was measured. */
export interface Hour {
  atS: number;
  means: Record<Quantity, number | null>;
  ranges: Record<Quantity, [number, number] | null>;
}

export function hoursOf(assessment: Assessment, readings: Reading[]): Hour[] {
  const counted = readings.filter(counts);
  return rowsOf(assessment, "hours").map((row) => {
    const atS = Number(row.From);
    const mine = counted.filter((r) => r.atS >= atS && r.atS < atS + 3600);
    return {
      atS,
      means: each((_, name) => numberIn(row[name])),
      ranges: each((q) => {
        const values = mine.map((r) => r[q]).filter((v) => v !== null);
        return values.length > 0 ? [Math.min(...values), Math.max(...values)] : null;
      }),
    };
  });
}

/** How many readings lie in a ten of mmHg or beats a minute; results from before all were counted know the pressures alone. */
export interface Bin {
  from: number;
  counts: Record<Quantity, number>;
}

export const binsOf = (assessment: Assessment): Bin[] =>
  rowsOf(assessment, "spread").map((row) => ({
    from: Number(row.From),
    counts: each((_, name) => Number(row[name] ?? 0)),
  }));

import type { Schemas } from "@/api/client";
import type { Assessment } from "@/sheet/assessed";

/** A part of a session: the whole, an interval, a split. What is not known is null. */
export interface Part {
  name: string;
  level: number;
  fromS: number;
  toS: number;
  km: number | null;
  seconds: number | null;
  pace: number | null;
  rate: number | null;
  known: number | null;
  highest: number | null;
  strokes: number | null;
  perStroke: number | null;
  /** Whether it has parts of its own, and which part it belongs to. */
  isDivided: boolean;
  of: number | null;
}

const NAMES = {
  level: "Level",
  fromS: "From",
  toS: "To",
  km: "Distance",
  seconds: "Time",
  pace: "Pace",
  rate: "Heart rate",
  known: "Known",
  highest: "Highest",
  strokes: "Strokes",
  perStroke: "Per stroke",
} as const;

export function partsOf(shown: Assessment): Part[] {
  const table = shown.tables.find((each) => each.key === "levels");
  if (!table) return [];
  const at = Object.fromEntries(
    Object.entries(NAMES).map(([key, name]) => [key, table.columns.findIndex((column) => column.name === name)]),
  ) as Record<keyof typeof NAMES, number>;
  const numberOf = (row: Schemas["Table"]["rows"][number], key: keyof typeof NAMES) => {
    const value = row[at[key]];
    return typeof value === "number" ? value : null;
  };
  const open: number[] = [];
  const parts = table.rows.map((row, i): Part => {
    const level = numberOf(row, "level") ?? 0;
    while (open.length > 0 && (partLevel(table, open.at(-1) ?? 0, at.level) ?? 0) >= level) open.pop();
    const of = open.at(-1) ?? null;
    open.push(i);
    return {
      name: String(row[0]),
      level,
      fromS: numberOf(row, "fromS") ?? 0,
      toS: numberOf(row, "toS") ?? 0,
      km: numberOf(row, "km"),
      seconds: numberOf(row, "seconds"),
      pace: numberOf(row, "pace"),
      rate: numberOf(row, "rate"),
      known: numberOf(row, "known"),
      highest: numberOf(row, "highest"),
      strokes: numberOf(row, "strokes"),
      perStroke: numberOf(row, "perStroke"),
      isDivided: false,
      of,
    };
  });
  for (const part of parts) if (part.of !== null) (parts[part.of] as Part).isDivided = true;
  return parts;
}

const partLevel = (table: Schemas["Table"], i: number, at: number) => {
  const value = table.rows[i]?.[at];
  return typeof value === "number" ? value : null;
};

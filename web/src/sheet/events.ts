import type { Schemas } from "@/api/client";
import { number, unitWords } from "@/ui/format";
import type { Assessed, Decision, Kind } from "./assessed";

/** Something that happened: found by the assessment, or a row of a table that a decision can name (a reading, a lap). */
export interface Happening {
  key: string;
  code: string;
  group: string;
  atS: number;
  endS: number;
  text: string;
  kept: boolean;
  word: Kind["events"][number] | undefined;
  decision: Decision | undefined;
}

const KEY = "Key";

export function wordOf(kind: Kind, code: string): Kind["events"][number] | undefined {
  return kind.events.find((w) => code === w.code || code.startsWith(`${w.code}.`) || code.endsWith(`.${w.code}`));
}

/** What a decision is about: of an event whose type may change, its group and time. */
export function placeOf(kind: Kind, key: string): string {
  const [code = "", place = ""] = key.split("@");
  const word = wordOf(kind, code);
  return word && word.types.length > 0 ? `${word.code}@${Number.parseFloat(place).toFixed(3)}` : key;
}

function keyedRows(table: Schemas["Table"]): { key: string; text: string; state: string }[] {
  const at = table.columns.findIndex((c) => c.name === KEY);
  if (at < 0) return [];
  const values = table.columns
    .map((column, i) => ({ column, i }))
    .filter(({ column, i }) => i !== at && column.unit !== "clock" && column.decimals !== null && column.unit !== "");
  const state = table.columns.findIndex((c) => c.name === "State");
  return table.rows
    .map((row) => ({
      key: String(row[at] ?? ""),
      text: values
        .slice(0, 4)
        .map(({ column, i }) => {
          const value = row[i];
          return typeof value === "number" ? `${number(value, column.decimals ?? 0)} ${unitWords(column.unit)}` : "";
        })
        .filter(Boolean)
        .join(", "),
      state: String(row[state] ?? ""),
    }))
    .filter((row) => row.key.includes("@"));
}

/** All happenings of a session in order of time, with what was decided about each. */
export function happeningsOf(review: Assessed, kind: Kind): Happening[] {
  const decided = new Map(
    review.decisions.filter((d) => d.what === "dropped" || d.what === "kept").map((d) => [placeOf(kind, d.key), d]),
  );
  const found: Happening[] = [];
  for (const event of review.reviewed.events ?? []) {
    const word = wordOf(kind, event.code);
    found.push({
      key: event.key,
      code: event.code,
      group: word?.many ?? event.code.replaceAll(/[._-]/g, " "),
      atS: event.at_s,
      endS: event.end_s,
      text: event.text,
      kept: event.kept,
      word,
      decision: decided.get(placeOf(kind, event.key)),
    });
  }
  for (const mark of review.marks)
    found.push({
      key: `mark@${mark.at_s}`,
      code: "mark",
      group: "marks of the wall",
      atS: mark.at_s,
      endS: mark.at_s,
      text: mark.by ? `${mark.text} (${mark.by})` : mark.text,
      kept: true,
      word: undefined,
      decision: undefined,
    });
  for (const table of review.reviewed.tables)
    for (const row of keyedRows(table)) {
      const [code = "", place = ""] = row.key.split("@");
      const word = wordOf(kind, code);
      const atS = Number.parseFloat(place);
      const decision = decided.get(placeOf(kind, row.key));
      found.push({
        key: row.key,
        code,
        group: word?.many ?? table.title.toLowerCase(),
        atS,
        endS: atS,
        text: [word?.one, row.text, row.state].filter(Boolean).join(", "),
        kept: decision ? decision.what === "kept" : !/left out|dropped|does not count|not/.test(row.state),
        word,
        decision,
      });
    }
  return found.sort((a, b) => a.atS - b.atS);
}

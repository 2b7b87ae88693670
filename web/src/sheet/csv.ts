import type { Schemas } from "@/api/client";
import { unitWords, type WallClock } from "@/ui/format";

type Table = Schemas["Table"];

const CLOCK = "clock";
const KEY = "Key";

export const headWords = (column: Table["columns"][number]) =>
  column.unit && column.unit !== CLOCK ? `${column.name}, ${unitWords(column.unit)}` : column.name;

/** Words from a recording are words: a spreadsheet would reckon with what begins like a formula. */
const asWords = (words: string) => (/^[=+\-@\t\r]/.test(words) ? `'${words}` : words);
const quoted = (words: string) => (/[",\n\r]/.test(words) ? `"${words.replaceAll('"', '""')}"` : words);

/** A table as a file: numbers with a point and as exact as they came, moments by the wall clock, heads with their units. */
export function saveCsv(table: Table, clock: WallClock) {
  const shown = table.columns.map((column, i) => ({ column, i })).filter(({ column }) => column.name !== KEY);
  const cell = (value: Table["rows"][number][number] | undefined, unit: string) => {
    if (value === null || value === undefined) return "";
    if (typeof value === "string") return asWords(value);
    return unit === CLOCK ? clock(value, true) : String(value);
  };
  const lines = [
    shown.map(({ column }) => headWords(column)),
    ...table.rows.map((row) => shown.map(({ column, i }) => cell(row[i], column.unit))),
  ];
  const text = `${lines.map((cells) => cells.map(quoted).join(",")).join("\r\n")}\r\n`;
  const link = document.createElement("a");
  // The mark at its start tells a spreadsheet that it is UTF-8.
  link.href = URL.createObjectURL(new Blob(["\ufeff", text], { type: "text/csv" }));
  link.download = `${table.title}.csv`;
  link.click();
  URL.revokeObjectURL(link.href);
}

/** How a cell above the target is called, and one below: by what it means for a mixture. */
export const offWords = (sheet: BinSheet): [string, string] =>
  sheet.quantity.key === "mixture" ? ["too lean", "too rich"] : ["too high", "too low"];

import type { Schemas } from "@/api/client";
import { number } from "@/ui/format";

export type BinSheet = Schemas["BinSheet"];

export interface Cell {
  row: number;
  column: number;
}

export const targetOf = ({ low, high }: BinSheet): readonly [number, number] | null =>
  low === null || high === null ? null : [low, high];

/** Decimals that tell the values apart: small ranges have more. */
export function decimalsOf(sheet: BinSheet): number {
  const known = sheet.mean.flat().filter((v) => v !== null);
  const size = Math.max(...known, 0) - Math.min(...known, 0);
  const largest = Math.max(...known.map(Math.abs), 0);
  if (largest < 20) return 2;
  return size < 200 ? 1 : 0;
}

const shortNumber = (value: number) => value.toLocaleString("en", { maximumFractionDigits: 3 });

/** "13,000 to 14,000 rpm". */
export const rangeWords = (edges: number[], at: number, unit: string) =>
  `${shortNumber(edges[at] ?? 0)} to ${shortNumber(edges[at + 1] ?? 0)}${unit ? ` ${unit}` : ""}`;

/** Everything of a cell in a line. */
export function cellWords(sheet: BinSheet, { row, column }: Cell, decimals: number): string {
  const where = `${rangeWords(sheet.edges, column, sheet.over.unit)}, ${rangeWords(sheet.and_edges, row, sheet.and_over.unit)}`;
  const count = sheet.count[row]?.[column] ?? 0;
  if (count === 0) return `${where}: nothing recorded`;
  const say = (values: BinSheet["mean"]) => number(values[row]?.[column] ?? null, decimals);
  return `${where}: mean ${say(sheet.mean)}, lowest ${say(sheet.lowest)}, highest ${say(sheet.highest)}, ${count.toLocaleString("en")} readings, ${(count * sheet.interval_s).toFixed(1)} s`;
}

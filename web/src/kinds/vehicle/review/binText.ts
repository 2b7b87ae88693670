import { fixed } from "@/ui/format";
import { type BinSheet, rangeWords } from "./bins";

/** The cells in the shape of the map: the heads across, then a row a line, the highest first as on the screen. */
export function asMap(sheet: BinSheet, decimals: number, shares: boolean): string {
  const head = (points: number[], edges: number[], i: number) => String(points[i] ?? rangeWords(edges, i, ""));
  const cells = shares ? sheet.share : sheet.mean;
  const heads = sheet.edges.slice(1).map((_, j) => head(sheet.points, sheet.edges, j));
  return [
    ["", ...heads].join("\t"),
    ...[...cells.keys()].reverse().map((i) =>
      [
        head(sheet.and_points, sheet.and_edges, i),
        ...heads.map((_, j) => {
          const value = cells[i]?.[j] ?? null;
          return value === null ? "" : fixed(value, shares ? 1 : decimals);
        }),
      ].join("\t"),
    ),
  ].join("\n");
}

/** Means and counts with heads and units, for a spreadsheet. */
export function asText(sheet: BinSheet, decimals: number): string {
  const heads = sheet.edges.slice(1).map((_, j) => rangeWords(sheet.edges, j, sheet.over.unit));
  const block = (name: string, value: (row: number, column: number) => string) => [
    [name, ...heads].join("\t"),
    ...[...sheet.mean.keys()]
      .reverse()
      .map((i) =>
        [rangeWords(sheet.and_edges, i, sheet.and_over.unit), ...heads.map((_, j) => value(i, j))].join("\t"),
      ),
  ];
  const unit = sheet.quantity.unit ? `, ${sheet.quantity.unit}` : "";
  return [
    ...block(`Mean ${sheet.quantity.name}${unit}`, (i, j) => {
      const mean = sheet.mean[i]?.[j];
      return mean === null || mean === undefined ? "" : fixed(mean, decimals);
    }),
    "",
    ...block("Readings", (i, j) => String(sheet.count[i]?.[j] ?? 0)),
  ].join("\n");
}

import type { Span } from "./laps";

/** Values along the course, one every step; null where nothing was measured. */
export type Values = (number | null)[];

/** The values of a span as a path; it breaks where nothing was measured. */
export function path(
  values: Values,
  stepM: number,
  x: (m: number) => number,
  y: (v: number) => number,
  span: Span,
): string {
  const first = Math.max(Math.floor(span[0] / stepM) - 1, 0);
  const last = Math.min(Math.ceil(span[1] / stepM) + 1, values.length - 1);
  let text = "";
  let pen = false;
  for (let i = first; i <= last; i++) {
    const value = values[i];
    if (value === null || value === undefined) {
      pen = false;
      continue;
    }
    text += `${pen ? "L" : "M"}${x(i * stepM).toFixed(1)} ${y(value).toFixed(1)}`;
    pen = true;
  }
  return text;
}

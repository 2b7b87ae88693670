export type By = "highest" | "reserve" | "typed";

export interface Rates {
  highest: number | undefined;
  resting: number | undefined;
}

const tenth = (value: number) => Math.round(value * 10) / 10;

/** An edge in beats per minute as a setting keeps it: percent of the highest rate, percent of the reserve, or beats. */
export function edgeFrom(bpm: number, by: By, { highest, resting }: Rates): number | undefined {
  if (by === "typed") return Math.round(bpm);
  if (highest === undefined) return undefined;
  if (by === "highest") return tenth((100 * bpm) / highest);
  return resting === undefined ? undefined : tenth((100 * (bpm - resting)) / (highest - resting));
}

/** A kept edge in beats per minute; undefined where a rate is missing. */
export function bpmOf(edge: number, by: By, { highest, resting }: Rates): number | undefined {
  if (by === "typed") return edge;
  if (highest === undefined) return undefined;
  if (by === "highest") return (edge / 100) * highest;
  return resting === undefined ? undefined : resting + (edge / 100) * (highest - resting);
}

/** The share of the time in the highest zone; null where nothing was measured or an edge is not known. */
export function shareAbove(spread: { values: number[]; seconds: number[] }, edge: number | undefined): number | null {
  const all = spread.seconds.reduce((sum, s) => sum + s, 0);
  if (!all || edge === undefined) return null;
  const above = spread.seconds.reduce((sum, s, i) => sum + ((spread.values[i] ?? 0) >= edge ? s : 0), 0);
  return above / all;
}

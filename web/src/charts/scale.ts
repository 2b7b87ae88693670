import type { Binned, Edge, Lane, LaneBand, MarkRow } from "./lanes/types";

/** Something else than time to draw over, such as the way: it never falls while time goes on. */
export interface Scale {
  /** Where it stands at a moment (s after the start), and at which moment it first stood there. */
  of: (atS: number) => number;
  at: (value: number) => number;
  words: (value: number) => string;
  unit: string;
  /** Steps between the lines of the axis, rising. */
  steps: number[];
  /** The shortest span that a closer look leads to. */
  shortest: number;
}

const BINS = 900;

/** Bins of equal length on a scale, of those of equal time: what is known of any that lies in them. */
function rebinned(bins: Binned, scale: Scale): Binned {
  const count = bins.mean.length;
  const edge = (i: number) => scale.of(bins.startS + i * bins.binS);
  const [from, to] = [edge(0), edge(count)];
  const size = (to - from) / BINS || 1;
  const low: (number | null)[] = new Array(BINS).fill(null);
  const high: (number | null)[] = new Array(BINS).fill(null);
  const sums = new Float64Array(BINS);
  const weights = new Float64Array(BINS);
  let begin = from;
  for (let i = 0; i < count; i++) {
    const end = edge(i + 1);
    const [mean, l, h] = [bins.mean[i] ?? null, bins.low[i] ?? null, bins.high[i] ?? null];
    if (mean !== null && l !== null && h !== null) {
      const first = Math.min(Math.max(Math.floor((begin - from) / size), 0), BINS - 1);
      const last = Math.min(Math.max(Math.ceil((end - from) / size) - 1, first), BINS - 1);
      for (let k = first; k <= last; k++) {
        low[k] = Math.min(low[k] ?? l, l);
        high[k] = Math.max(high[k] ?? h, h);
        sums[k] = (sums[k] ?? 0) + mean;
        weights[k] = (weights[k] ?? 0) + 1;
      }
    }
    begin = end;
  }
  const mean = low.map((_, k) => (weights[k] ? (sums[k] ?? 0) / (weights[k] ?? 1) : null));
  return { startS: from, binS: size, low, high, mean };
}

/** A lane over a scale. */
export function laneOver(lane: Lane, scale: Scale): Lane {
  const { of } = scale;
  return {
    ...lane,
    bins: lane.bins && rebinned(lane.bins, scale),
    also: lane.also && rebinned(lane.also, scale),
    points: lane.points?.map((point) => ({ ...point, atS: of(point.atS) })),
    lines: lane.lines.map((line) => ({ ...line, startS: of(line.startS), endS: of(line.endS) })),
    shades: lane.shades?.map((shade) => ({ ...shade, startS: of(shade.startS), endS: of(shade.endS) })),
    bracket: lane.bracket && { ...lane.bracket, startS: of(lane.bracket.startS), endS: of(lane.bracket.endS) },
  };
}

export const rowOver = (row: MarkRow, { of }: Scale): MarkRow => ({
  ...row,
  items: row.items.map((item) => ({ ...item, startS: of(item.startS), endS: of(item.endS) })),
});

export const bandOver = (band: LaneBand, { of }: Scale): LaneBand => ({
  ...band,
  startS: of(band.startS),
  endS: of(band.endS),
});

export const edgeOver = (edge: Edge, { of }: Scale): Edge => ({ ...edge, atS: of(edge.atS) });

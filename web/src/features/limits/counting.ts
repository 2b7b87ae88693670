/** Sessions and people on the scale of a figure, counted from distinct values: a limit that is dragged is counted in the same frame. */

export interface Edge {
  value: number;
  beyond: boolean;
  below: boolean;
}
/** A value, and how many have it. */
export type Counted = readonly number[];

export function reached(step: Edge, value: number): boolean {
  if (step.below) return step.beyond ? value < step.value : value <= step.value;
  return step.beyond ? value > step.value : value >= step.value;
}

/** How many steps a value reaches: 0 is within all of them. */
export const stateOf = (steps: Edge[], value: number): number => steps.filter((step) => reached(step, value)).length;

/** How many have reached a step, whatever else they reached. */
export const beyondStep = (counted: Counted[], step: Edge): number =>
  counted.reduce((sum, [value = Number.NaN, count = 0]) => sum + (reached(step, value) ? count : 0), 0);

/** How many are in each state, within first. */
export function byState(counted: Counted[], steps: Edge[]): number[] {
  const found = Array.from({ length: steps.length + 1 }, () => 0);
  for (const [value = Number.NaN, count = 0] of counted) {
    const state = stateOf(steps, value);
    found[state] = (found[state] ?? 0) + count;
  }
  return found;
}

/** Part of a column: what state it is in, whether that is another one than before. */
export interface Part {
  state: number;
  changed: boolean;
  count: number;
}
export interface Column {
  from: number;
  to: number;
  parts: Part[];
}

const COLUMNS = 48;
const ROUND = [1, 2, 5, 10];

/** A round width of which at most so many cover a span. */
export function roundStep(span: number, most: number): number {
  const least = Math.max(span, 1e-9) / most;
  const power = 10 ** Math.floor(Math.log10(least));
  return (ROUND.find((each) => each * power >= least * (1 - 1e-9)) ?? 10) * power;
}

/** From the least to the most that is drawn: what was measured and the steps, with some room; from nothing, where that is near. */
export function rangeOf(counted: Counted[], steps: Edge[]): [number, number] {
  const all = [...counted.map(([value = Number.NaN]) => value), ...steps.map((step) => step.value)].filter(
    Number.isFinite,
  );
  if (all.length === 0) return [0, 1];
  const [least, most] = [Math.min(...all), Math.max(...all)];
  const around = least === most ? Math.abs(most) / 2 || 1 : 0;
  const [low, high] = [least - around, most + around];
  const span = high - low;
  const width = roundStep(span * 1.12, COLUMNS);
  const first = low >= 0 && low < span ? 0 : low - span * 0.06;
  return [Math.floor(first / width) * width, Math.ceil((high + span * 0.08) / width) * width];
}

/** Columns of a round width over a range; each is split where a step goes through it. */
export function columnsOf(counted: Counted[], [low, high]: [number, number], now: Edge[], then: Edge[]): Column[] {
  const width = roundStep(high - low, COLUMNS);
  const found = new Map<number, Map<string, Part>>();
  for (const [value = Number.NaN, count = 0] of counted) {
    const at = Math.min(Math.max(Math.floor((value - low) / width + 1e-9), 0), Math.round((high - low) / width));
    const [before, state] = [stateOf(now, value), stateOf(then, value)];
    const parts = found.get(at) ?? new Map<string, Part>();
    const key = `${state} ${before !== state}`;
    const part = parts.get(key) ?? { state, changed: before !== state, count: 0 };
    parts.set(key, { ...part, count: part.count + count });
    found.set(at, parts);
  }
  return [...found].map(([at, parts]) => ({
    from: low + at * width,
    to: low + (at + 1) * width,
    parts: [...parts.values()].sort((a, b) => a.state - b.state || Number(a.changed) - Number(b.changed)),
  }));
}

/** Round values to read a scale by. */
export function ticksOf([low, high]: [number, number], most = 7): number[] {
  const step = roundStep(high - low, most);
  const first = Math.ceil(low / step - 1e-9);
  return Array.from({ length: Math.floor(high / step + 1e-9) - first + 1 }, (_, i) =>
    Number(((first + i) * step).toPrecision(8)),
  );
}

/** The step of a scale by keys and by dragging: as fine as its values are stated, as coarse as a hand aims; typed values may be finer. */
export function fineness(counted: Counted[], steps: Edge[], [low, high]: [number, number]): number {
  const stated = [...counted.map(([value = 0]) => value), ...steps.map((s) => s.value)];
  const decimals = Math.max(counted.length ? 0 : 1, ...stated.map((v) => String(v).split(".")[1]?.length ?? 0));
  return Math.max(10 ** -decimals, roundStep(high - low, 400));
}

/** The step of a rule that a line in a picture stands for. */
export interface LimitPlace {
  figure: string;
  /** How its figure is counted, as text: rules about one figure may differ in that. */
  parameters: string;
  step: number;
}

/** Limits that are tried: what each step would be, and a line of it being dragged. */
export interface Tried {
  valueOf: (place: LimitPlace) => number | undefined;
  move: (place: LimitPlace, value: number) => void;
}

export const samePlace = (a: LimitPlace | undefined, b: LimitPlace | undefined) =>
  a !== undefined && b !== undefined && a.figure === b.figure && a.parameters === b.parameters && a.step === b.step;

const REACH_PX = { mouse: 5, touch: 14 };

/** The line under the pointer, of those that may be dragged. */
export function lineAt<L extends { value: number; limit?: LimitPlace | undefined }>(
  lines: L[],
  yOf: (value: number) => number,
  y: number,
  pointer: string,
): (L & { limit: LimitPlace }) | undefined {
  const reach = pointer === "touch" ? REACH_PX.touch : REACH_PX.mouse;
  return lines
    .filter((line): line is L & { limit: LimitPlace } => line.limit !== undefined)
    .filter((line) => Math.abs(yOf(line.value) - y) <= reach)
    .sort((a, b) => Math.abs(yOf(a.value) - y) - Math.abs(yOf(b.value) - y))[0];
}

/** A dragged value in steps that a hand can aim at: a hundredth of the scale, as a round number. */
export function stepped(value: number, [low, high]: [number, number]): number {
  const step = 10 ** Math.floor(Math.log10((high - low) / 40));
  return Number((Math.round(value / step) * step).toPrecision(6));
}

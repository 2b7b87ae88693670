/** A day on a bar: minutes after midnight against minutes after the start of the recording. */

export const DAY_MIN = 1440;
export const STEP_MIN = 5;

export const clockMin = (text: unknown): number => {
  const [hours = 0, minutes = 0] = String(text).split(":").map(Number);
  return hours * 60 + minutes;
};

export const clockText = (minutes: number): string => {
  const whole = ((Math.round(minutes) % DAY_MIN) + DAY_MIN) % DAY_MIN;
  return `${String(Math.floor(whole / 60)).padStart(2, "0")}:${String(whole % 60).padStart(2, "0")}`;
};

/** Every moment of a recording at which the clock shows a time of day, in minutes after its start. */
export function momentsOf(wallMin: number, startsMin: number, lengthMin: number): number[] {
  const first = (((wallMin - startsMin) % DAY_MIN) + DAY_MIN) % DAY_MIN;
  const found: number[] = [];
  for (let at = first; at < lengthMin; at += DAY_MIN) found.push(at);
  return found;
}

/** Every stretch of a recording between two times of day, in minutes after its start. */
export function stretchesOf(fromMin: number, toMin: number, startsMin: number, lengthMin: number): [number, number][] {
  const length = (((toMin - fromMin) % DAY_MIN) + DAY_MIN) % DAY_MIN;
  const found: [number, number][] = [];
  const first = (momentsOf(fromMin, startsMin, DAY_MIN)[0] ?? 0) - DAY_MIN;
  for (let start = first; start < lengthMin; start += DAY_MIN) {
    const [a, b] = [Math.max(start, 0), Math.min(start + length, lengthMin)];
    if (b > a) found.push([a, b]);
  }
  return found;
}

import type { Lane } from "./types";

export const ROW = 16;
export const AXIS = 24;
export const LEFT = 40;
export const MOST_TALL = 7;
export const SLIM = 26;

export const TALL = 200;

/** Heights of the lanes: up to seven share the room by weight, more are slim. */
export function heights(lanes: Lane[], tall: string | null = null): number[] {
  if (lanes.some((lane) => lane.key === tall)) return lanes.map((lane) => (lane.key === tall ? TALL : SLIM));
  if (lanes.length > MOST_TALL) return lanes.map(() => SLIM);
  const weight = (lane: Lane) => {
    if (lane.look === "flag") return 0.45;
    const bars = lane.points?.some((p) => p.low !== undefined);
    if (lane.lines.length > 0) return bars ? 2.6 : 1.8;
    return bars ? 1.8 : 1;
  };
  const total = lanes.reduce((sum, lane) => sum + weight(lane), 0);
  const room = Math.min(236, 84 * total);
  return lanes.map((lane) => lane.high ?? Math.max(Math.round((room * weight(lane)) / total), SLIM));
}

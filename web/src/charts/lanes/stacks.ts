import type { MarkRow } from "./types";

type Mark = MarkRow["items"][number];

/** Marks that stand on the same few pixels: shown as one column as high as they are many, and opened by a closer look. */
export interface Stack {
  items: Mark[];
  fromS: number;
  toS: number;
}

const CELL_PX = 12;
/** A mark this long is seen as what it is. */
export const LONG_PX = 8;

/**
 * The marks of a row as they are seen at a scale: those in one cell of a dozen pixels as a stack, others alone. Cells are tied to the time and
 * not to the edge of the picture, so that nothing jumps while it is moved.
 */
export function stacksOf(items: Mark[], pxPerS: number): Stack[] {
  const cellS = CELL_PX / pxPerS;
  const stacks = new Map<string, Stack>();
  for (const item of items) {
    const long = (item.endS - item.startS) * pxPerS > LONG_PX;
    const cell = long ? item.key : String(Math.floor(item.startS / cellS));
    const found = stacks.get(cell);
    if (found) {
      found.items.push(item);
      found.toS = Math.max(found.toS, item.endS);
    } else stacks.set(cell, { items: [item], fromS: item.startS, toS: item.endS });
  }
  return [...stacks.values()];
}

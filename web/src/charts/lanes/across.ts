import type { RefObject } from "react";
import { type LimitPlace, stepped } from "../limitLine";
import type { Across } from "./gestures";

/** A line of a limit that is being dragged: the scale that it stands on stands still meanwhile. */
export interface Dragged {
  limit: LimitPlace;
  value: number;
  range: [number, number];
}

/** The line under a pointer, and what value stood at a height of the window when it was taken: a picture that moves meanwhile moves no limit. */
export interface LineUnder<D extends Dragged> {
  drag: D;
  valueAt: (clientY: number) => number;
}

/** Drags the line of a limit up and down: what is being dragged stands in `held`, each new value is told. */
export function draggedAcross<D extends Dragged>(
  under: (event: PointerEvent) => LineUnder<D> | null,
  held: RefObject<D | null>,
  tell: (limit: LimitPlace, value: number) => void,
): Across {
  let valueAt = (_: number) => 0;
  return {
    over: (event) => under(event) !== null,
    down: (event) => {
      const found = under(event);
      if (!found) return false;
      held.current = found.drag;
      valueAt = found.valueAt;
      return true;
    },
    move: (event) => {
      const drag = held.current;
      if (!drag) return;
      const [low, high] = drag.range;
      const value = stepped(Math.min(Math.max(valueAt(event.clientY), low), high), drag.range);
      if (value === drag.value) return;
      drag.value = value;
      tell(drag.limit, value);
    },
    up: () => {
      held.current = null;
    },
  };
}

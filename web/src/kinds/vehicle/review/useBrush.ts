import { type PointerEvent, useState } from "react";

export type Range = readonly [number, number];
type Point = readonly [number, number];

/** Less than this is a click, no drag. */
const LEAST_PX = 4;

/** A rectangle dragged over a picture, in the units of its view box. `onPick` gets it at the end; a mere click gives nothing. */
export function useBrush(width: number, height: number, onPick: (x: Range | null, y: Range | null) => void) {
  const [drag, setDrag] = useState<{ from: Point; to: Point } | null>(null);
  const at = (e: PointerEvent<SVGSVGElement>): Point => {
    const box = e.currentTarget.getBoundingClientRect();
    return [((e.clientX - box.left) / box.width) * width, ((e.clientY - box.top) / box.height) * height];
  };
  const range = (i: 0 | 1): Range | null =>
    drag && [Math.min(drag.from[i], drag.to[i]), Math.max(drag.from[i], drag.to[i])];
  return {
    x: range(0),
    y: range(1),
    handlers: {
      onPointerDown: (e: PointerEvent<SVGSVGElement>) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        setDrag({ from: at(e), to: at(e) });
      },
      onPointerMove: (e: PointerEvent<SVGSVGElement>) => drag && setDrag({ from: drag.from, to: at(e) }),
      onPointerUp: () => {
        const [x, y] = [range(0), range(1)];
        setDrag(null);
        if (!x || !y) return;
        const far = Math.max(x[1] - x[0], y[1] - y[0]) >= LEAST_PX;
        onPick(far ? x : null, far ? y : null);
      },
      onPointerCancel: () => setDrag(null),
    },
  };
}

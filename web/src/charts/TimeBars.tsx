import { useRef } from "react";
import { type BarPicture, type Bars, drawBars, LABELS, rangeOf, scaleOf } from "./bars/draw";
import { type Dragged, draggedAcross, type LineUnder } from "./lanes/across";
import { type Across, useGestures } from "./lanes/gestures";
import { timeKeys, usePainted } from "./lanes/painted";
import type { TimeGestures } from "./lanes/types";
import { type LimitPlace, lineAt } from "./limitLine";

export type { Band, Bars, Line } from "./bars/draw";

interface Props extends Omit<BarPicture, "grips"> {
  whole: [number, number];
  onSpan: (span: [number, number]) => void;
  onSelect: (startS: number, endS: number) => void;
  onCursor: (at: { atS: number; value: number } | null) => void;
  /** Where a line of a limit is dragged to; without it lines stay where they are. */
  onLine?: ((limit: LimitPlace, value: number) => void) | undefined;
  label: string;
}

/** The bar at a moment. */
function barAt({ startS, binS, values }: Bars, atS: number) {
  const index = Math.floor((atS - startS) / binS);
  const value = values[index];
  return value === null || value === undefined ? null : { atS: startS + index * binS, value };
}

/** The line of a limit under a pointer. */
function lineUnder(canvas: HTMLCanvasElement | null, props: Props, event: PointerEvent): LineUnder<Dragged> | null {
  if (!canvas || !props.onLine) return null;
  const place = canvas.getBoundingClientRect();
  const range = rangeOf(props);
  const scale = scaleOf(props.height, range);
  const line = lineAt(props.lines, scale.y, event.clientY - place.top, event.pointerType);
  if (!line) return null;
  return {
    drag: { limit: line.limit, value: line.value, range },
    valueAt: (clientY) => scale.value(clientY - place.top),
  };
}

/** A quantity over time as coloured bars, with limit lines and marked stretches. */
export function TimeBars(props: Props) {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<{ marks: null; lanes: HTMLCanvasElement | null }>({ marks: null, lanes: null });
  const latest = useRef(props);
  latest.current = props;
  const gestures: TimeGestures = {
    rows: [],
    span: props.span,
    whole: props.whole,
    right: LABELS,
    onSpan: props.onSpan,
    onSelect: props.onSelect,
    onCursor: (atS) => props.onCursor(atS === null ? null : barAt(latest.current.bars, atS)),
    onMark: () => {},
  };
  const latestGestures = useRef(gestures);
  latestGestures.current = gestures;
  const dragged = useRef<[number, number] | null>(null);
  const cursor = useRef<number | null>(null);
  const line = useRef<Dragged | null>(null);
  const across = useRef<Across | null>(null);
  across.current ??= draggedAcross(
    (event) => lineUnder(canvas.current.lanes, latest.current, event),
    line,
    (limit, value) => latest.current.onLine?.(limit, value),
  );
  const repaint = usePainted(box, () => {
    const picture = { ...latest.current, grips: Boolean(latest.current.onLine) };
    drawBars(canvas.current.lanes, picture, line.current, dragged.current, cursor.current);
  });
  useGestures(box, canvas, latestGestures, dragged, cursor, repaint, across);
  return (
    <div
      ref={box}
      role="application"
      aria-label={props.label}
      // biome-ignore lint/a11y/noNoninteractiveTabindex: zoom and pan by keyboard need the focus
      tabIndex={0}
      className="w-full touch-pan-y"
      style={{ height: props.height }}
      onKeyDown={timeKeys(props)}
    >
      <canvas
        ref={(element) => {
          canvas.current.lanes = element;
        }}
        className="block h-full w-full"
      />
    </div>
  );
}

import { useRef } from "react";
import { draggedAcross, type LineUnder } from "./lanes/across";
import { type Canvases, draw, rangeOf, scaleOf } from "./lanes/draw";
import { type Across, useGestures } from "./lanes/gestures";
import { AXIS, heights, ROW, SLIM } from "./lanes/measures";
import { timeKeys, usePainted } from "./lanes/painted";
import type { Lane, LanesProps, LineDrag } from "./lanes/types";
import { lineAt } from "./limitLine";

export type { Binned, Edge, Lane, LaneBand, MarkRow, Point } from "./lanes/types";

const lineWords = (lane: Lane) => lane.lines.filter((line) => line.text).map((line) => `${line.value} ${line.text}`);

/** What the lines of a lane are, as far as there is room under its name: each by its words, else their values alone. */
function linesSaid(lane: Lane, tall: number): string[] {
  const words = lineWords(lane);
  const room = Math.floor((tall - 22 - (lane.name.length > 14 ? 16 : 0)) / 13);
  if (words.length <= room) return words;
  const values = lane.lines.filter((line) => line.text).map((line) => line.value);
  if (room < 1) return [];
  const all = `lines at ${values.slice(0, -1).join(", ")} and ${values.at(-1)}`;
  // Two rows hold what one does not.
  const half = all.length > 22 && room > 1 ? all.lastIndexOf(" ", all.length * 0.7) : -1;
  return half > 0 ? [all.slice(0, half), all.slice(half + 1)] : [all];
}

function titleOf(lane: Lane): string {
  const unit = lane.unit && lane.unit !== "flag" ? `, ${lane.unit}` : "";
  const lines = lineWords(lane);
  return `${lane.name}${unit}${lines.length > 0 ? `; lines: ${lines.join("; ")}` : ""}: tall, or as before`;
}

/** The line of a limit under a pointer, with the scale of its lane. */
function lineUnder(
  canvas: HTMLCanvasElement | null,
  props: LanesProps,
  event: PointerEvent,
): LineUnder<LineDrag> | null {
  if (!canvas || !props.onLine) return null;
  const place = canvas.getBoundingClientRect();
  const y = event.clientY - place.top;
  let top = 0;
  for (const [i, height] of heights(props.lanes, props.tall).entries()) {
    const lane = props.lanes[i];
    if (lane && y >= top && y < top + height) {
      const range = rangeOf(lane);
      const scale = scaleOf(height, top, range);
      const line = lineAt(lane.lines, scale.y, y, event.pointerType);
      if (!line) return null;
      return {
        drag: { lane: lane.key, limit: line.limit, value: line.value, range },
        valueAt: (clientY) => scale.value(clientY - place.top),
      };
    }
    top += height;
  }
  return null;
}

/** How many count, and of how many where some do not. */
function counted(items: { kept: boolean }[]): string {
  const kept = items.filter((item) => item.kept).length;
  return kept === items.length ? String(kept) : `${kept} of ${items.length}`;
}

/** Lanes on one clock: a row of marks for each kind of event, then a lane a channel, each on its own scale. */
export function Lanes(props: LanesProps) {
  const box = useRef<HTMLDivElement>(null);
  const canvases = useRef<Canvases>({ marks: null, lanes: null, axis: null });
  const latest = useRef(props);
  latest.current = props;
  const dragged = useRef<[number, number] | null>(null);
  const cursor = useRef<number | null>(null);
  const line = useRef<LineDrag | null>(null);
  const across = useRef<Across | null>(null);
  across.current ??= draggedAcross(
    (event) => lineUnder(canvases.current.lanes, latest.current, event),
    line,
    (limit, value) => latest.current.onLine?.(limit, value),
  );
  const repaint = usePainted(box, () =>
    draw(canvases.current, latest.current, dragged.current, cursor.current, line.current),
  );
  useGestures(box, canvases, latest, dragged, cursor, repaint, across);

  const { lanes, rows } = props;
  const tall = heights(lanes, props.tall);
  const columns = "grid grid-cols-[112px_minmax(0,1fr)]";
  return (
    <div className="max-h-[440px] overflow-y-auto">
      <div
        ref={box}
        role="application"
        aria-label={props.label}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: zoom and pan by keyboard need the focus
        tabIndex={0}
        className="touch-pan-y"
        onKeyDown={timeKeys(props)}
      >
        {rows.length > 0 && (
          <div className={`${columns} sticky top-0 z-10 bg-panel pb-1`}>
            <div>
              {rows.map((row) => (
                <span
                  key={row.label}
                  className="flex justify-between gap-1 text-soft text-[12px]"
                  style={{ height: ROW, lineHeight: `${ROW}px` }}
                >
                  <span className="truncate" title={row.label}>
                    {row.label}
                  </span>
                  <span className="whitespace-nowrap pr-1">{counted(row.items)}</span>
                </span>
              ))}
            </div>
            <canvas
              ref={(element) => {
                canvases.current.marks = element;
              }}
              className="w-full"
              style={{ height: rows.length * ROW }}
            />
          </div>
        )}
        <div className={columns}>
          <div>
            {lanes.map((lane, i) => (
              <button
                type="button"
                key={lane.key}
                className="block w-full overflow-hidden pt-1 text-left align-top leading-4 hover:text-act"
                style={{ height: tall[i] }}
                title={titleOf(lane)}
                aria-pressed={props.tall === lane.key}
                onClick={() => props.onTall?.(lane.key)}
              >
                <span className={tall[i] === SLIM ? "block h-full truncate text-[12px]" : "block h-full text-[12.5px]"}>
                  <b className="font-narrow font-semibold">{lane.name}</b>{" "}
                  {lane.unit !== "flag" && <span className="text-soft">{lane.unit}</span>}
                  {linesSaid(lane, tall[i] ?? SLIM).map((words, _, all) => (
                    <span
                      key={words}
                      className={`block text-[11px] text-soft leading-[13px] ${all.length > 1 ? "truncate" : ""}`}
                    >
                      {words}
                    </span>
                  ))}
                </span>
              </button>
            ))}
          </div>
          <canvas
            ref={(element) => {
              canvases.current.lanes = element;
            }}
            className="w-full"
            style={{ height: tall.reduce((a, b) => a + b, 0) }}
          />
        </div>
        <div className={`${columns} sticky bottom-0 z-10 bg-panel`}>
          <span className="text-[12px] text-soft leading-6">{lanes.length > 1 ? "each on its own scale" : ""}</span>
          <canvas
            ref={(element) => {
              canvases.current.axis = element;
            }}
            className="w-full"
            style={{ height: AXIS }}
          />
        </div>
      </div>
    </div>
  );
}

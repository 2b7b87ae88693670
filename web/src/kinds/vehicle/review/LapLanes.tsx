import { memo, useLayoutEffect, useMemo, useRef, useState } from "react";
import { niceRange } from "@/charts/drawing";
import { quantity } from "@/ui/format";
import { type Axis, axisOf, LEFT, type Over } from "./axis";
import { path, type Values } from "./curve";
import { FurtherLane } from "./FurtherLane";
import { LaneCurves } from "./LaneCurves";
import { type Course, type LapSheet, placeWords, reading, type Span, signed, valueAt } from "./laps";
import { MovingLayer } from "./MovingLayer";

const HEIGHT = 262;
const LEAST_SPAN_M = 20;
const AXIS_Y = 240;
/** Top and bottom of each lane. */
const SPEED: [number, number] = [8, 116];
const LOST: [number, number] = [126, 172];
const PEDALS: [number, number] = [184, 232];

/** The lanes with a place of their own in the picture; others stand below it. */
const USUAL = ["speed", "throttle", "brake"];
const isUsual = (lane: LapSheet["lanes"][number]) => USUAL.includes(lane.key);

interface Scales {
  speed: (v: number) => number;
  lost: (v: number) => number;
  up: (v: number) => number;
  down: (v: number) => number;
  speedLines: number[];
  lostTop: number;
  lostLow: number;
}

function scalesOf(sheet: LapSheet): Scales {
  const scale =
    ([top, bottom]: [number, number], low: number, high: number) =>
    (v: number) =>
      bottom - ((v - low) / (high - low)) * (bottom - top);
  const speeds = sheet.lanes.find((l) => l.key === "speed");
  const known = [...(speeds?.reference ?? []), ...(speeds?.lap ?? [])].filter((v) => v !== null);
  const [low, high] = niceRange(Math.min(...known, 200), Math.max(...known, 10));
  const lostTop = Math.max(0.3, Math.ceil(Math.max(...sheet.behind_s, 0) * 5) / 5);
  const lostLow = Math.min(0, Math.floor(Math.min(...sheet.behind_s, 0) * 5) / 5);
  const middle = (PEDALS[0] + PEDALS[1]) / 2;
  const step = [10, 20, 25, 50, 100].find((s) => (high - low) / s <= 5) ?? 100;
  return {
    speed: scale(SPEED, low, high),
    lost: scale(LOST, lostLow, lostTop),
    up: (v) => middle - (v / 100) * (middle - PEDALS[0]),
    down: (v) => middle + (v / 100) * (PEDALS[1] - middle),
    speedLines: Array.from({ length: 6 }, (_, i) => Math.ceil(low / step) * step + i * step).filter((v) => v <= high),
    lostTop,
    lostLow,
  };
}

/** Where the positions of a lap were missing: hatched. */
function Gaps({ sheet, axis }: { sheet: LapSheet; axis: Axis }) {
  return sheet.gaps.map((gap) => {
    const at = axis.xOf(gap.of === "reference" ? "reference" : "lap");
    const [from, to] = [at(gap.from_m), at(gap.to_m)];
    return (
      <rect
        key={`${gap.of} ${gap.from_m}`}
        x={from}
        width={Math.max(to - from, 3)}
        y={4}
        height={AXIS_Y - 8}
        fill="url(#no-positions)"
      />
    );
  });
}

const Picture = memo(function Picture({
  sheet,
  course,
  axis,
  scales,
  chosen,
}: {
  sheet: LapSheet;
  course: Course;
  axis: Axis;
  scales: Scales;
  chosen: Span | null;
}) {
  const { x, seen, right } = axis;
  const span = seen("lap");
  const step = course.step_m;
  const { behind_s } = sheet;
  const grid = (y: number, words: string) => (
    <g key={`${y} ${words}`}>
      <line x1={LEFT} x2={right} y1={y} y2={y} className="stroke-hair" />
      <text x={LEFT - 6} y={y + 4} textAnchor="end" className="fill-soft text-[11.5px]">
        {words}
      </text>
    </g>
  );
  const areas = [];
  const stride = Math.max(Math.round((span[1] - span[0]) / (right - LEFT) / step) * 2, 1);
  const first = Math.max(Math.floor(span[0] / step), 0);
  const last = Math.min(Math.ceil(span[1] / step), behind_s.length - 1);
  for (let i = first; i < last; i += stride) {
    const j = Math.min(i + stride, last);
    const [a = 0, b = 0] = [behind_s[i], behind_s[j]];
    const grows = (b - a) / ((j - i) * step);
    areas.push(
      <path
        key={i}
        d={`M${x(i * step)} ${scales.lost(0)}L${x(i * step)} ${scales.lost(a)}L${x(j * step)} ${scales.lost(b)}L${x(j * step)} ${scales.lost(0)}Z`}
        className={grows > 0.0003 ? "fill-lost" : grows < -0.0003 ? "fill-gained" : ""}
        fillOpacity={0.55}
        fill={Math.abs(grows) <= 0.0003 ? "var(--line)" : undefined}
      />,
    );
  }
  const lanes = sheet.lanes.filter(isUsual).map((lane) => ({
    lane,
    y: lane.key === "speed" ? scales.speed : lane.key === "brake" ? scales.down : scales.up,
    wide: lane.key === "speed" ? 1.6 : 1.2,
  }));
  const pedals = sheet.lanes.some((l) => l.key === "throttle" || l.key === "brake");
  return (
    <>
      {chosen && (
        <rect
          x={Math.max(x(chosen[0]), LEFT)}
          width={Math.max(Math.min(x(chosen[1]), right) - Math.max(x(chosen[0]), LEFT), 0)}
          y={4}
          height={AXIS_Y - 8}
          className="fill-act-soft"
        />
      )}
      {scales.speedLines.map((v) => grid(scales.speed(v), v.toFixed(0)))}
      {[...new Set([scales.lostLow, 0, scales.lostTop])].map((v) => grid(scales.lost(v), signed(v, 1)))}
      {pedals && [grid(scales.up(100), "100"), grid(scales.up(0), "0"), grid(scales.down(100), "100")]}
      <pattern id="no-positions" width={6} height={6} patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <line x1={0} x2={0} y1={0} y2={6} stroke="var(--none)" strokeWidth={1.4} />
      </pattern>
      <clipPath id="lanes-clip">
        <rect x={LEFT} width={right - LEFT} y={0} height={HEIGHT} />
      </clipPath>
      <g clipPath="url(#lanes-clip)">
        <Gaps sheet={sheet} axis={axis} />
        {areas}
        <path d={path(behind_s, step, x, scales.lost, span)} fill="none" className="stroke-ink" strokeWidth={1.2} />
        {lanes.map(({ lane, y, wide }) => (
          <LaneCurves key={lane.key} lane={lane} axis={axis} y={y} stepM={step} wide={wide} />
        ))}
        <line x1={LEFT} x2={right} y1={AXIS_Y} y2={AXIS_Y} className="stroke-soft" />
        {course.corners.map((corner) => (
          <g key={corner.number}>
            <rect
              x={x(corner.begin_m)}
              width={Math.max(x(corner.end_m) - x(corner.begin_m), 1)}
              y={corner.right ? AXIS_Y - 4 : AXIS_Y}
              height={4}
              className="fill-ink"
            />
            <text
              x={x(corner.apex_m)}
              y={AXIS_Y + 17}
              textAnchor="middle"
              className="fill-ink font-narrow font-semibold text-[13px]"
            >
              {corner.number}
            </text>
          </g>
        ))}
        {course.lines.slice(1).map((each) => (
          <line
            key={each.name}
            x1={x(each.at_m)}
            x2={x(each.at_m)}
            y1={4}
            y2={AXIS_Y}
            strokeDasharray="2 3"
            stroke="var(--none)"
          />
        ))}
      </g>
    </>
  );
});

/** What both laps read at the cursor. */
function Readout({ sheet, stepM, atM, axis }: { sheet: LapSheet; stepM: number; atM: number | null; axis: Axis }) {
  const at = atM ?? 0;
  const there = axis.placeOf("reference", at);
  const left = axis.right + 12;
  const behind = valueAt(sheet.behind_s, stepM, at);
  const top: Record<string, number> = { speed: SPEED[0] + 16, throttle: PEDALS[0] - 2, brake: PEDALS[0] + 36 };
  return (
    <g className="text-[11.5px]">
      <text x={left} y={SPEED[0] + 2} className="fill-soft">
        lap {sheet.reference}
      </text>
      <text x={left + 46} y={SPEED[0] + 2} className="fill-soft">
        lap {sheet.lap}
      </text>
      {sheet.lanes.filter(isUsual).map((lane) => {
        const y = top[lane.key] ?? 0;
        const read = (values: Values, place: number) => {
          return reading(atM === null ? null : valueAt(values, stepM, place), lane.decimals);
        };
        return (
          <g key={lane.key}>
            <text x={left} y={y} className="fill-ink font-medium">
              {lane.name}, {lane.unit}
            </text>
            <text x={left} y={y + 16} className="fill-reference font-narrow font-semibold text-[14px]">
              {read(lane.reference, there)}
            </text>
            <text x={left + 46} y={y + 16} className="fill-compared font-narrow font-semibold text-[14px]">
              {read(lane.lap, at)}
            </text>
          </g>
        );
      })}
      <text x={left} y={LOST[0] + 8} className="fill-ink font-medium">
        Time lost, s
      </text>
      <text x={left} y={LOST[0] + 25} className="fill-ink font-narrow font-semibold text-[14px]">
        {atM === null || behind === undefined ? "–" : signed(behind)}
      </text>
    </g>
  );
}

/**
 * Both laps one below the other, over the course or over time; the cursor is shared, a drag zooms, a double click shows the
 * whole lap. What moves with the cursor is a layer of its own, so that the curves below it are not painted again.
 */
export function LapLanes({
  sheet,
  course,
  over,
  span,
  chosen,
  cursor,
  onCursor,
  onSpan,
}: {
  sheet: LapSheet;
  course: Course;
  over: Over;
  span: Span;
  chosen: Span | null;
  cursor: number | null;
  onCursor: (m: number | null) => void;
  onSpan: (span: Span | null) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(560);
  const [drag, setDrag] = useState<Span | null>(null);
  useLayoutEffect(() => {
    const element = box.current;
    if (!element) return;
    const measure = () => setWidth(Math.max(element.clientWidth, 320));
    measure();
    const watch = new ResizeObserver(measure);
    watch.observe(element);
    return () => watch.disconnect();
  }, []);
  const axis = useMemo(() => axisOf(sheet, course, over, span, width), [sheet, course, over, span, width]);
  const scales = useMemo(() => scalesOf(sheet), [sheet]);
  const end = course.length_m;
  const place = (clientX: number) => axis.m(clientX - (box.current?.getBoundingClientRect().left ?? 0));
  const move = (m: number) => onCursor(Math.min(Math.max(m, 0), end));
  const speed = sheet.lanes.find((l) => l.key === "speed");
  const [from, to] = axis.seen("lap");
  const shown = cursor !== null && cursor >= from && cursor <= to;
  const dragged = drag && Math.abs(drag[1] - drag[0]) >= LEAST_SPAN_M ? drag : null;
  return (
    <div
      ref={box}
      className="touch-pan-y select-none focus-visible:outline-2 focus-visible:outline-act"
      role="slider"
      tabIndex={0}
      aria-label="Place on the course"
      aria-valuemin={0}
      aria-valuemax={Math.round(end)}
      aria-valuenow={Math.round(cursor ?? 0)}
      aria-valuetext={`${quantity(cursor ?? 0, "m")}, ${placeWords(sheet, cursor ?? 0)}`}
      onKeyDown={(e) => {
        const step = e.shiftKey ? 10 : 1;
        if (e.key === "ArrowLeft") move(axis.moved(cursor ?? 0, -step));
        else if (e.key === "ArrowRight") move(axis.moved(cursor ?? 0, step));
        else if (e.key === "Home") move(0);
        else if (e.key === "End") move(end);
        else if (e.key === "Escape") onSpan(null);
        else return;
        e.preventDefault();
        e.stopPropagation();
      }}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        const m = place(e.clientX);
        move(m);
        setDrag([m, m]);
      }}
      onPointerMove={(e) => {
        const m = place(e.clientX);
        if (drag) setDrag([drag[0], m]);
        move(m);
      }}
      onPointerUp={() => {
        if (dragged) onSpan([Math.min(...dragged), Math.max(...dragged)]);
        setDrag(null);
      }}
      onPointerCancel={() => setDrag(null)}
      onDoubleClick={() => onSpan(null)}
    >
      <div className="relative">
        <svg width={width} height={HEIGHT} className="block" aria-hidden="true">
          <Picture sheet={sheet} course={course} axis={axis} scales={scales} chosen={chosen} />
          <text x={axis.right + 12} y={AXIS_Y + 17} className="fill-soft text-[11.5px]">
            {axis.end}
          </text>
        </svg>
        <MovingLayer width={width} height={HEIGHT}>
          {dragged && (
            <rect
              x={axis.x(Math.min(...dragged))}
              width={Math.abs(axis.x(dragged[1]) - axis.x(dragged[0]))}
              y={4}
              height={AXIS_Y - 8}
              className="fill-act"
              fillOpacity={0.16}
            />
          )}
          {shown && (
            <>
              <line x1={axis.x(cursor)} x2={axis.x(cursor)} y1={4} y2={AXIS_Y} className="stroke-ink" />
              {(["reference", "lap"] as const).map((which) => {
                const value = speed ? valueAt(speed[which], course.step_m, axis.placeOf(which, cursor)) : null;
                return value === null || value === undefined ? null : (
                  <circle
                    key={which}
                    cx={axis.x(cursor)}
                    cy={scales.speed(value)}
                    r={3.4}
                    className={`stroke-panel ${which === "lap" ? "fill-compared" : "fill-reference"}`}
                  />
                );
              })}
            </>
          )}
          <Readout sheet={sheet} stepM={course.step_m} atM={cursor} axis={axis} />
        </MovingLayer>
      </div>
      {sheet.lanes
        .filter((lane) => !isUsual(lane))
        .map((lane) => (
          <FurtherLane
            key={lane.key}
            lane={lane}
            axis={axis}
            stepM={course.step_m}
            width={width}
            cursor={shown ? cursor : null}
          />
        ))}
    </div>
  );
}

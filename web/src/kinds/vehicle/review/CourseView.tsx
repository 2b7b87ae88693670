import { memo, type PointerEvent, useMemo } from "react";
import { type Drawn, drawn, line } from "@/charts/course";
import { quantity } from "@/ui/format";
import { type Course, type LapSheet, type Span, valueAt } from "./laps";
import { MovingLayer } from "./MovingLayer";

const WIDTH = 272;
const HEIGHT = 262;
const EDGE = 26;
/** Room below for the scale and the north arrow. */
const FOOT = 34;
/** Pixels that a hundredth of a second lost in 16 m swells by, and the most. */
const SWELL_PX = 95;
const MOST_PX = 11;
const OVER_M = 8;

/** How fast time is being lost at each place, smoothed: seconds in 16 m. */
function losing(behind: number[], stepM: number): number[] {
  const over = Math.max(Math.round(OVER_M / stepM), 1);
  const last = behind.length - 1;
  return behind.map((_, i) => (behind[Math.min(i + over, last)] ?? 0) - (behind[Math.max(i - over, 0)] ?? 0));
}

const Picture = memo(function Picture({
  sheet,
  course,
  view,
  chosen,
  onCorner,
}: {
  sheet: LapSheet;
  course: Course;
  view: Drawn;
  chosen: Span | null;
  onCorner: (corner: number) => void;
}) {
  const { at, outside, scale } = view;
  const points = course.x.map((_, i) => at(i * course.step_m));
  const closing = course.closed ? "Z" : "";
  const speeds = useMemo(() => losing(sheet.behind_s, course.step_m), [sheet.behind_s, course.step_m]);
  const swells = [];
  const stride = Math.max(Math.round(4 / course.step_m), 1);
  for (let i = 0; i + stride < speeds.length; i += stride) {
    const speed = speeds[i] ?? 0;
    const size = Math.min(MOST_PX, Math.abs(speed) * SWELL_PX);
    if (size < 0.7) continue;
    const side = (speed > 0 ? 1 : -1) * outside;
    const [a, b] = [i * course.step_m, (i + stride) * course.step_m];
    swells.push(
      <path
        key={i}
        d={`M${line([at(a, side), at(b, side), at(b, side * (1 + size)), at(a, side * (1 + size))])}Z`}
        className={speed > 0 ? "fill-lost" : "fill-gained"}
      />,
    );
  }
  const bar = [20, 50, 100, 200, 500, 1000].find((m) => m * scale >= 30) ?? 2000;
  return (
    <>
      <path
        d={`M${line(points)}${closing}`}
        fill="none"
        className="stroke-hair"
        strokeWidth={11}
        strokeLinejoin="round"
      />
      {chosen && (
        <path
          d={`M${line(points.slice(Math.round(chosen[0] / course.step_m), Math.round(chosen[1] / course.step_m) + 1))}`}
          fill="none"
          className="stroke-act"
          strokeOpacity={0.3}
          strokeWidth={11}
        />
      )}
      {swells}
      <path
        d={`M${line(points)}${closing}`}
        fill="none"
        className="stroke-ink"
        strokeWidth={1.3}
        strokeLinejoin="round"
      />
      {sheet.gaps.map((gap) => (
        <path
          key={`${gap.of} ${gap.from_m}`}
          d={`M${line(points.slice(Math.floor(gap.from_m / course.step_m), Math.ceil(gap.to_m / course.step_m) + 1))}`}
          fill="none"
          className="stroke-panel"
          strokeWidth={2.4}
          strokeDasharray="3 4"
        />
      ))}
      {course.lines.map((each, i) => {
        const [x, y] = at(each.at_m, outside * 20);
        return (
          <g key={each.name}>
            <path
              d={`M${line([at(each.at_m, 8), at(each.at_m, -8)])}`}
              className="stroke-ink"
              strokeWidth={i === 0 ? 3 : 1.2}
            />
            <text x={x} y={y + 4} textAnchor="middle" className="fill-soft text-[11.5px]">
              {each.name}
            </text>
          </g>
        );
      })}
      {course.corners.map((corner) => {
        const [x, y] = at(corner.apex_m, -outside * 15);
        return (
          <text
            key={corner.number}
            x={x}
            y={y + 4.5}
            textAnchor="middle"
            className="cursor-pointer fill-ink font-narrow font-semibold text-[13px] hover:fill-act"
            onPointerDown={(e) => {
              e.stopPropagation();
              onCorner(corner.number);
            }}
          >
            {corner.number}
          </text>
        );
      })}
      <path
        d={`M8 ${HEIGHT - 12}h${bar * scale}M8 ${HEIGHT - 16}v8M${8 + bar * scale} ${HEIGHT - 16}v8`}
        fill="none"
        className="stroke-soft"
      />
      <text x={14 + bar * scale} y={HEIGHT - 8} className="fill-soft text-[11.5px]">
        {quantity(bar, "m")}
      </text>
      <path d={`M${WIDTH - 12} ${HEIGHT - 8}v-20m-4 6l4-7 4 7`} fill="none" className="stroke-soft" />
      <text x={WIDTH - 12} y={HEIGHT - 32} textAnchor="middle" className="fill-soft text-[11.5px]">
        N
      </text>
    </>
  );
});

/** The course from above: where time is lost (it swells outside) and gained (inside); a click or drag moves the cursor. */
export function CourseView({
  sheet,
  course,
  chosen,
  cursor,
  reference = null,
  onCursor,
  onCorner,
}: {
  sheet: LapSheet;
  course: Course;
  chosen: Span | null;
  cursor: number | null;
  /** Where the reference is at the same time, when that is asked. */
  reference?: number | null;
  onCursor: (m: number) => void;
  onCorner: (corner: number) => void;
}) {
  const view = useMemo(() => drawn(course, WIDTH, HEIGHT - FOOT, EDGE), [course]);
  const dot = cursor === null ? null : view.at(cursor);
  const behindDot = reference === null ? null : view.at(reference);
  const point = (e: PointerEvent<SVGSVGElement>) => {
    const box = e.currentTarget.getBoundingClientRect();
    const scale = WIDTH / box.width;
    onCursor(view.nearest((e.clientX - box.left) * scale, (e.clientY - box.top) * scale));
  };
  const behind = cursor === null ? undefined : valueAt(sheet.behind_s, course.step_m, cursor);
  // The dots are a layer of their own: the course below them is not painted again.
  return (
    <div className="relative">
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="block w-full touch-none select-none"
        role="img"
        aria-label={`Course ${course.name}, ${quantity(course.length_m, "m")}, ${course.corners.length} corners${behind === undefined ? "" : `; at the cursor ${behind.toFixed(2)} s lost`}`}
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId);
          point(e);
        }}
        onPointerMove={(e) => e.buttons > 0 && point(e)}
      >
        <Picture sheet={sheet} course={course} view={view} chosen={chosen} onCorner={onCorner} />
      </svg>
      <MovingLayer viewBox={`0 0 ${WIDTH} ${HEIGHT}`}>
        {behindDot && (
          <circle
            cx={behindDot[0]}
            cy={behindDot[1]}
            r={4.5}
            className="fill-reference stroke-panel"
            strokeWidth={1.5}
          />
        )}
        {dot && <circle cx={dot[0]} cy={dot[1]} r={5.5} className="fill-panel stroke-ink" strokeWidth={2.2} />}
      </MovingLayer>
    </div>
  );
}

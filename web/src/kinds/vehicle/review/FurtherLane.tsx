import { memo, useCallback, useMemo } from "react";
import { niceRange } from "@/charts/drawing";
import { unitWords } from "@/ui/format";
import { path } from "./curve";
import { type LapSheet, type Span, valueAt } from "./laps";

const HEIGHT = 62;
const TOP = 8;
const BOTTOM = 54;
const LEFT = 38;

const Curves = memo(function Curves({
  lane,
  x,
  y,
  span,
  stepM,
}: {
  lane: LapSheet["lanes"][number];
  x: (m: number) => number;
  y: (v: number) => number;
  span: Span;
  stepM: number;
}) {
  return (
    <g fill="none" strokeWidth={1.3} strokeLinejoin="round" clipPath="url(#lanes-clip)">
      {lane.also.map((values, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: laps keep their order
        <path key={i} d={path(values, stepM, x, y, span)} stroke="var(--none)" strokeWidth={0.8} />
      ))}
      <path d={path(lane.reference, stepM, x, y, span)} className="stroke-reference" />
      <path d={path(lane.lap, stepM, x, y, span)} className="stroke-compared" />
    </g>
  );
});

/** A channel that the user put beside speed and pedals, on a scale of its own. */
export function FurtherLane({
  lane,
  x,
  span,
  stepM,
  right,
  width,
  cursor,
}: {
  lane: LapSheet["lanes"][number];
  x: (m: number) => number;
  span: Span;
  stepM: number;
  right: number;
  width: number;
  cursor: number | null;
}) {
  const [low, high] = useMemo(() => {
    let [lowest, highest] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
    for (const values of [lane.reference, lane.lap])
      for (const v of values)
        if (v !== null) {
          lowest = Math.min(lowest, v);
          highest = Math.max(highest, v);
        }
    return lowest > highest ? [0, 1] : niceRange(lowest, highest);
  }, [lane]);
  const y = useCallback((v: number) => BOTTOM - ((v - low) / (high - low || 1)) * (BOTTOM - TOP), [low, high]);
  const read = (values: (number | null)[]) => {
    const value = cursor === null ? null : valueAt(values, stepM, cursor);
    return value === null || value === undefined ? "–" : value.toFixed(lane.decimals);
  };
  const words = (v: number) => (Math.abs(v) >= 1000 ? `${(v / 1000).toFixed(0)}k` : String(Number(v.toPrecision(3))));
  return (
    <svg width={width} height={HEIGHT} className="block border-hair border-t" aria-hidden="true">
      {[low, high].map((v) => (
        <g key={v}>
          <line x1={LEFT} x2={right} y1={y(v)} y2={y(v)} className="stroke-hair" />
          <text x={LEFT - 6} y={y(v) + 4} textAnchor="end" className="fill-soft text-[11.5px]">
            {words(v)}
          </text>
        </g>
      ))}
      <Curves lane={lane} x={x} y={y} span={span} stepM={stepM} />
      {cursor !== null && <line x1={x(cursor)} x2={x(cursor)} y1={0} y2={HEIGHT} className="stroke-ink" />}
      <g className="text-[11.5px]">
        <text x={right + 12} y={18} className="fill-ink font-medium">
          {lane.name.length > 16 ? `${lane.name.slice(0, 15)}…` : lane.name}
        </text>
        <text x={right + 12} y={31} className="fill-soft">
          {unitWords(lane.unit)}
        </text>
        <text x={right + 12} y={48} className="fill-reference font-narrow font-semibold text-[14px]">
          {read(lane.reference)}
        </text>
        <text x={right + 58} y={48} className="fill-compared font-narrow font-semibold text-[14px]">
          {read(lane.lap)}
        </text>
      </g>
    </svg>
  );
}

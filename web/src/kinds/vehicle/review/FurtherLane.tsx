import { useCallback, useMemo } from "react";
import { niceRange } from "@/charts/drawing";
import { unitWords } from "@/ui/format";
import { type Axis, LEFT } from "./axis";
import { LaneCurves } from "./LaneCurves";
import { type LapSheet, reading, valueAt } from "./laps";
import { MovingLayer } from "./MovingLayer";

const HEIGHT = 62;
const TOP = 8;
const BOTTOM = 54;

/** A channel that the user put beside speed and pedals, on a scale of its own. */
export function FurtherLane({
  lane,
  axis,
  stepM,
  width,
  cursor,
}: {
  lane: LapSheet["lanes"][number];
  axis: Axis;
  stepM: number;
  width: number;
  cursor: number | null;
}) {
  const { right } = axis;
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
  const read = (which: "reference" | "lap") => {
    return reading(cursor === null ? null : valueAt(lane[which], stepM, axis.placeOf(which, cursor)), lane.decimals);
  };
  const words = (v: number) => (Math.abs(v) >= 1000 ? `${(v / 1000).toFixed(0)}k` : String(Number(v.toPrecision(3))));
  return (
    <div className="relative border-hair border-t">
      <svg width={width} height={HEIGHT} className="block" aria-hidden="true">
        {[low, high].map((v) => (
          <g key={v}>
            <line x1={LEFT} x2={right} y1={y(v)} y2={y(v)} className="stroke-hair" />
            <text x={LEFT - 6} y={y(v) + 4} textAnchor="end" className="fill-soft text-[11.5px]">
              {words(v)}
            </text>
          </g>
        ))}
        <LaneCurves lane={lane} axis={axis} y={y} stepM={stepM} wide={1.3} />
        <text x={right + 12} y={18} className="fill-ink font-medium text-[11.5px]">
          {lane.name.length > 16 ? `${lane.name.slice(0, 15)}…` : lane.name}
        </text>
        <text x={right + 12} y={31} className="fill-soft text-[11.5px]">
          {unitWords(lane.unit)}
        </text>
      </svg>
      <MovingLayer width={width} height={HEIGHT}>
        {cursor !== null && <line x1={axis.x(cursor)} x2={axis.x(cursor)} y1={0} y2={HEIGHT} className="stroke-ink" />}
        <text x={right + 12} y={48} className="fill-reference font-narrow font-semibold text-[14px]">
          {read("reference")}
        </text>
        <text x={right + 58} y={48} className="fill-compared font-narrow font-semibold text-[14px]">
          {read("lap")}
        </text>
      </MovingLayer>
    </div>
  );
}

import { memo } from "react";
import type { Axis } from "./axis";
import { path } from "./curve";
import { type LapSheet, strokeOf } from "./laps";

/** A channel of all laps that are drawn: further ones below, then the reference, the compared lap above. */
export const LaneCurves = memo(function LaneCurves({
  lane,
  axis: { xOf, seen },
  y,
  stepM,
  wide,
}: {
  lane: LapSheet["lanes"][number];
  axis: Axis;
  y: (v: number) => number;
  stepM: number;
  wide: number;
}) {
  return (
    <g fill="none" strokeWidth={wide} strokeLinejoin="round" clipPath="url(#lanes-clip)">
      {lane.also.map((values, i) => (
        <path
          // biome-ignore lint/suspicious/noArrayIndexKey: laps keep their order
          key={i}
          d={path(values, stepM, xOf(i), y, seen(i))}
          stroke="var(--none)"
          strokeWidth={1}
          strokeDasharray={strokeOf(i)}
        />
      ))}
      <path d={path(lane.reference, stepM, xOf("reference"), y, seen("reference"))} className="stroke-reference" />
      <path d={path(lane.lap, stepM, xOf("lap"), y, seen("lap"))} className="stroke-compared" />
    </g>
  );
});

import { scaleLinear } from "d3-scale";
import { useState } from "react";
import { clockSplits } from "@/charts/drawing";
import type { WallClock } from "@/ui/format";
import { Segmented } from "@/ui/segmented";
import { type Scale, usual } from "./chart";
import type { Bin, Hour, Quantity } from "./readings";

const label = "fill-(--soft) font-narrow text-[11.5px]";
const PICTURES = [
  ["hour", "hours"],
  ["spread", "histogram"],
] as const;
const CHOICES = [
  ["both", "both"],
  ["systolic", "systolic"],
  ["diastolic", "diastolic"],
  ["map", "mean"],
  ["pulse", "pulse"],
] as const;
type Choice = (typeof CHOICES)[number][0];
const LOOK: Record<Quantity, string> = {
  systolic: "var(--lane-1)",
  diastolic: "var(--lane-2)",
  map: "var(--lane-3)",
  pulse: "var(--lane-4)",
};
const unitOf = (quantity: Quantity) => (quantity === "pulse" ? "bpm" : "mmHg");
const [LEFT, RIGHT, TOP, BOTTOM] = [28, 268, 8, 124];

/** One quantity over the hours of the recording, or how often it had which value. */
export function HourMeans({
  hours,
  bins,
  asleep,
  lengthS,
  axis,
  scale,
}: {
  hours: Hour[];
  bins: Bin[];
  asleep: [number, number][];
  lengthS: number;
  axis: WallClock;
  /** That of the pressures in the chart above. */
  scale: Scale;
}) {
  const [picture, setPicture] = useState<(typeof PICTURES)[number][0]>("hour");
  const [choice, setChoice] = useState<Choice>("both");
  const shown: Quantity[] = choice === "both" ? ["systolic", "diastolic"] : [choice];
  return (
    <section aria-label="By the hour" className="min-w-0 rounded-lg border border-line bg-panel px-3 py-2">
      <div className="flex flex-wrap items-center gap-2 text-[13px]">
        <Segmented label="Picture" value={picture} choices={PICTURES} onChange={setPicture} small />
        <select
          aria-label="Quantity"
          className="ml-auto min-h-6 rounded border border-line bg-panel px-1 text-[12px] [field-sizing:content]"
          value={choice}
          onChange={(e) => setChoice(e.target.value as Choice)}
        >
          {CHOICES.map(([key, words]) => (
            <option key={key} value={key}>
              {words}
            </option>
          ))}
        </select>
      </div>
      {picture === "hour" ? (
        <ByTheHour
          hours={hours}
          shown={shown}
          asleep={asleep}
          lengthS={lengthS}
          axis={axis}
          scale={choice === "pulse" ? scaleOf(hours, "pulse") : scale}
        />
      ) : (
        <Histogram bins={bins} shown={shown} />
      )}
    </section>
  );
}

function scaleOf(hours: Hour[], quantity: Quantity): Scale {
  const values = usual(hours.flatMap((h) => h.ranges[quantity] ?? []));
  return values.length > 0 ? [Math.min(...values) - 4, Math.max(...values) + 4] : [50, 100];
}

/** The mean of each hour as a stroke, from the lowest to the highest in it as a pale bar. */
function ByTheHour({
  hours,
  shown,
  asleep,
  lengthS,
  axis,
  scale,
}: {
  hours: Hour[];
  shown: Quantity[];
  asleep: [number, number][];
  lengthS: number;
  axis: WallClock;
  scale: Scale;
}) {
  const x = scaleLinear([0, Math.max(lengthS, 3600)], [LEFT, RIGHT]);
  const y = scaleLinear(scale, [BOTTOM, TOP]).clamp(true);
  return (
    <svg
      viewBox="0 0 272 144"
      className="w-full"
      role="img"
      aria-label="Mean of each hour with its lowest and highest reading"
    >
      {asleep.map(([a, b]) => (
        <rect
          key={a}
          x={x(a)}
          width={Math.max(x(b) - x(a), 0)}
          y={TOP}
          height={BOTTOM - TOP}
          fill="var(--act-soft)"
          opacity={0.7}
        />
      ))}
      {y.ticks(4).map((v) => (
        <g key={v}>
          <line x1={LEFT} x2={RIGHT} y1={y(v)} y2={y(v)} stroke="var(--hair)" />
          <text x={LEFT - 4} y={y(v) + 4} textAnchor="end" className={label}>
            {v}
          </text>
        </g>
      ))}
      {shown.flatMap((q) =>
        hours.map((h) => {
          const mean = h.means[q];
          const [low, high] = h.ranges[q] ?? [mean, mean];
          if (mean === null || low === null || high === null) return null;
          const [left, size] = [x(h.atS), Math.max(x(h.atS + 3600) - x(h.atS), 2)];
          return (
            <g key={`${q} ${h.atS}`}>
              <title>{`${axis(h.atS)}: ${q === "map" ? "mean arterial" : q} ${Math.round(mean)} ${unitOf(q)}, ${low} to ${high}`}</title>
              <rect
                x={left + size * 0.25}
                width={size * 0.5}
                y={y(high)}
                height={Math.max(y(low) - y(high), 1)}
                fill={LOOK[q]}
                opacity={0.28}
              />
              <rect x={left + 0.5} width={Math.max(size - 1, 1)} y={y(mean) - 1.2} height={2.4} fill={LOOK[q]} />
            </g>
          );
        }),
      )}
      {clockSplits(0, lengthS, 200, axis).map((s) => (
        <text key={s} x={Math.min(Math.max(x(s), 36), 254)} y={139} textAnchor="middle" className={label}>
          {axis(s)}
        </text>
      ))}
    </svg>
  );
}

/** How many readings lie in each ten: a bar a ten, side by side for two quantities. */
function Histogram({ bins, shown }: { bins: Bin[]; shown: Quantity[] }) {
  const there = bins.filter((bin) => shown.some((q) => bin.counts[q] > 0));
  const [first, last] = [there[0]?.from ?? 60, (there.at(-1)?.from ?? 60) + 10];
  const most = Math.max(1, ...there.flatMap((bin) => shown.map((q) => bin.counts[q])));
  const x = scaleLinear([first, last], [LEFT, RIGHT]);
  const y = scaleLinear([0, most], [BOTTOM, TOP]).nice();
  const wide = (x(first + 10) - x(first)) / shown.length - 1;
  const unit = [...new Set(shown.map(unitOf))].join(", ");
  return (
    <svg viewBox="0 0 272 144" className="w-full" role="img" aria-label={`How many readings lie in each 10 ${unit}`}>
      {y
        .ticks(4)
        .filter(Number.isInteger)
        .map((v) => (
          <g key={v}>
            <line x1={LEFT} x2={RIGHT} y1={y(v)} y2={y(v)} stroke="var(--hair)" />
            <text x={LEFT - 4} y={y(v) + 4} textAnchor="end" className={label}>
              {v}
            </text>
          </g>
        ))}
      {there.flatMap((bin) =>
        shown.map((q, i) => (
          <rect
            key={`${q} ${bin.from}`}
            x={x(bin.from) + i * (wide + 1)}
            width={wide}
            y={y(bin.counts[q])}
            height={BOTTOM - y(bin.counts[q])}
            fill={LOOK[q]}
          >
            <title>{`${q === "map" ? "mean arterial" : q}, ${bin.from} to under ${bin.from + 10} ${unitOf(q)}: ${bin.counts[q]} readings`}</title>
          </rect>
        )),
      )}
      {x.ticks(6).map((v) => (
        <text key={v} x={x(v)} y={139} textAnchor="middle" className={label}>
          {v}
        </text>
      ))}
      <text x={RIGHT} y={TOP + 4} textAnchor="end" className={label}>
        readings by {unit}
      </text>
    </svg>
  );
}

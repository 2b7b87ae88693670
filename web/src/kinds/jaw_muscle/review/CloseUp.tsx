import { type PointerEvent, useRef } from "react";
import type { Schemas } from "@/api/client";
import { number } from "@/ui/format";
import type { Episode, Side } from "./episodes";
import { SIDES } from "./episodes";
import { AFTER_S, BEFORE_S } from "./useClose";

const [WIDE, LEFT, RIGHT] = [760, 58, 6];
const [RAW, RMS, ECG, HEART] = [62, 58, 56, 62];
const LINK_S = 10;
const HEIGHTS: [string, number][] = [
  ["raw.left", RAW],
  ["rms.left", RMS],
  ["raw.right", RAW],
  ["rms.right", RMS],
  ["ecg", ECG],
  ["heart", HEART],
];
const TOP = 16;
const TALL = TOP + HEIGHTS.reduce((sum, [, height]) => sum + height, 0) + 22;

export interface Burst {
  fromS: number;
  toS: number;
}

/** Stretches of at least a quarter of a second above a threshold, as the figures find them; each ends below a share of it. */
export function burstsOf(curve: Schemas["Curve"] | undefined, threshold: number, endsAt: number): Burst[] {
  const found: Burst[] = [];
  if (!curve || !(threshold > 0)) return found;
  let begin = -1;
  const end = (i: number) => {
    if (begin >= 0 && (i - begin) * curve.step_s >= 0.25 - 1e-9)
      found.push({ fromS: curve.start_s + begin * curve.step_s, toS: curve.start_s + i * curve.step_s });
    begin = -1;
  };
  curve.values.forEach((value, i) => {
    if (value === null || value < threshold * endsAt) end(i);
    else if (begin < 0 && value >= threshold) begin = i;
  });
  end(curve.values.length);
  return found;
}

/** Means of the rates in the 10 s before and after the start, as the heart link has them: weighted by the intervals. */
export function ratesAround(beats: Schemas["Moments"] | undefined, atS: number): [number | null, number | null] {
  const mean = (from: number, to: number) => {
    const part = (beats?.at_s ?? []).flatMap((at, i) => {
      const rate = beats?.values[i] ?? null;
      return rate !== null && at >= from && at < to ? [rate] : [];
    });
    return part.length >= 3 ? (60 * part.length) / part.reduce((sum, rate) => sum + 60 / rate, 0) : null;
  };
  return [mean(atS - LINK_S, atS), mean(atS, atS + LINK_S)];
}

/** Raw signals over the RMS with its threshold, the ECG with its beats, the heart rate before and after; one axis around the start. */
export function CloseUp({
  episode,
  raw,
  close,
  thresholds,
  ends,
  notes,
  onThreshold,
  onBurst,
}: {
  episode: Episode;
  raw: Schemas["View"][] | undefined;
  close: Schemas["CloseUp"] | undefined;
  /** In microvolt; null where no clench was found. */
  thresholds: Record<Side, number | null>;
  /** Below which share of it a contraction ends. */
  ends: Record<Side, number>;
  /** A threshold is dragged: the same share of both clenches, as a factor of what it was. */
  onThreshold: (factor: number) => void;
  /** What the file says besides. */
  notes: { atS: number; endS: number; text: string }[];
  /** The number of a burst is pressed: an episode is to begin with it. */
  onBurst?: ((side: Side, atS: number) => void) | undefined;
}) {
  const svg = useRef<SVGSVGElement>(null);
  const held = useRef<{ value: number; scale: number; y: number } | null>(null);
  const zero = episode.atS;
  const x = (atS: number) => LEFT + ((atS - zero + BEFORE_S) / (BEFORE_S + AFTER_S)) * (WIDE - LEFT - RIGHT);
  const tops = new Map<string, number>();
  let sum = TOP;
  for (const [key, height] of HEIGHTS) {
    tops.set(key, sum);
    sum += height;
  }
  const top = (key: string) => tops.get(key) ?? 0;
  const viewOf = (key: string) => raw?.find((view) => view.key === key);
  const curveOf = (key: string) => close?.curves.find((curve) => curve.key === key);
  const beats = close?.moments.find((each) => each.key === "beats");
  const swing = Math.max(...SIDES.map((side) => swingOf(viewOf(`emg.${side}`))), 20);
  const highest = Math.max(
    ...SIDES.flatMap((side) => [thresholds[side] ?? 0, ...(curveOf(`rms.${side}`)?.values.map((v) => v ?? 0) ?? [])]),
    5,
  );
  const rmsY = (key: string, value: number) => top(key) + RMS - 6 - (value / highest) * (RMS - 12);
  const [before, after] = ratesAround(beats, zero);
  const rates = (beats?.values ?? []).filter((rate): rate is number => rate !== null);
  const [slow, fast] = [Math.min(...rates, 55) - 4, Math.max(...rates, 65) + 4];
  const beatY = (bpm: number) => top("heart") + HEART - 8 - ((bpm - slow) / (fast - slow)) * (HEART - 16);
  const grab = (value: number) => (event: PointerEvent<SVGElement>) => {
    const place = svg.current?.getBoundingClientRect();
    if (!place) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    held.current = { value, scale: (highest / (RMS - 12)) * (TALL / place.height), y: event.clientY };
  };
  const drag = (event: PointerEvent<SVGElement>) => {
    const { current } = held;
    if (!current) return;
    const wanted = Math.max(current.value + (current.y - event.clientY) * current.scale, current.value * 0.1);
    onThreshold(wanted / current.value);
  };
  return (
    <svg
      ref={svg}
      viewBox={`0 0 ${WIDE} ${TALL}`}
      className="w-full touch-none font-narrow text-[11px]"
      role="img"
      aria-label="Both muscles raw and as RMS with the threshold, the ECG with its beats, the heart rate, around the start of the episode"
    >
      <rect
        x={x(zero - LINK_S)}
        y={TOP}
        width={x(zero) - x(zero - LINK_S)}
        height={TALL - TOP - 22}
        className="fill-salt"
      />
      <rect
        x={x(zero)}
        y={TOP}
        width={x(zero + LINK_S) - x(zero)}
        height={TALL - TOP - 22}
        className="fill-act-soft"
        opacity={0.55}
      />
      <text x={x(zero - LINK_S / 2)} y={11} textAnchor="middle" className="fill-soft">
        10 s before
      </text>
      <text x={x(zero + LINK_S / 2)} y={11} textAnchor="middle" className="fill-soft">
        10 s after
      </text>
      {SIDES.map((side) => {
        const key = `rms.${side}`;
        const [curve, threshold] = [curveOf(key), thresholds[side]];
        const bursts = threshold === null ? [] : burstsOf(curve, threshold, ends[side]);
        const numbered = bursts.filter((burst) => burst.toS > zero - 1);
        return (
          <g key={side}>
            <text x={2} y={top(`raw.${side}`) + 16} className="fill-ink font-semibold">
              {side}
            </text>
            <text x={2} y={top(`raw.${side}`) + 28} className="fill-soft">
              raw, µV
            </text>
            <path
              d={rawPath(viewOf(`emg.${side}`), x, top(`raw.${side}`) + RAW / 2, (RAW / 2 - 3) / swing)}
              className="stroke-act"
              strokeWidth={0.9}
              fill="none"
            />
            <text x={LEFT - 4} y={top(`raw.${side}`) + 10} textAnchor="end" className="fill-soft">
              {number(swing, 0)}
            </text>
            <text x={2} y={top(key) + 16} className="fill-soft">
              RMS, µV
            </text>
            <path
              d={curvePath(curve, x, (value) => rmsY(key, value))}
              className="stroke-action"
              strokeWidth={1.5}
              fill="none"
            />
            {bursts.map((burst) => (
              <g key={burst.fromS}>
                <rect
                  x={x(burst.fromS)}
                  y={top(key) + RMS - 5}
                  width={Math.max(x(burst.toS) - x(burst.fromS), 2)}
                  height={4}
                  className="fill-action"
                />
                {burst.toS > zero - 1 && (
                  // biome-ignore lint/a11y/noStaticElementInteractions: the same is a button beneath the picture
                  <text
                    x={x((burst.fromS + burst.toS) / 2)}
                    y={top(key) + 8}
                    textAnchor="middle"
                    className={`fill-ink ${onBurst && burst !== numbered[0] ? "cursor-pointer hover:underline" : ""}`}
                    onClick={() => burst !== numbered[0] && onBurst?.(side, burst.fromS)}
                  >
                    {numbered.indexOf(burst) + 1}
                  </text>
                )}
              </g>
            ))}
            {threshold === null ? (
              <text x={LEFT + 8} y={top(key) + RMS / 2} className="fill-soft">
                no clench found on this side: no threshold
              </text>
            ) : (
              <g
                className="cursor-ns-resize"
                onPointerDown={grab(threshold)}
                onPointerMove={drag}
                onPointerUp={() => (held.current = null)}
                onPointerCancel={() => (held.current = null)}
              >
                <rect
                  x={LEFT}
                  y={rmsY(key, threshold) - 7}
                  width={WIDE - LEFT - RIGHT}
                  height={14}
                  fill="transparent"
                />
                <line
                  x1={LEFT}
                  x2={WIDE - RIGHT}
                  y1={rmsY(key, threshold)}
                  y2={rmsY(key, threshold)}
                  className="stroke-ink"
                  strokeDasharray="5 3"
                />
                <text x={WIDE - RIGHT} y={rmsY(key, threshold) - 4} textAnchor="end" className="fill-ink">
                  threshold {number(threshold, 0)} µV
                </text>
              </g>
            )}
          </g>
        );
      })}
      <text x={2} y={top("ecg") + 22} className="fill-ink font-semibold">
        ECG
      </text>
      <text x={2} y={top("ecg") + 34} className="fill-soft">
        raw, mV
      </text>
      <path
        d={rawPath(viewOf("ecg"), x, top("ecg") + ECG * 0.62, (ECG * 0.5) / Math.max(swingOf(viewOf("ecg")), 0.5))}
        className="stroke-lane-3"
        stroke="var(--lane-3)"
        strokeWidth={1}
        fill="none"
      />
      {(beats?.at_s ?? []).map((at) => (
        <path key={at} d={`M${x(at) - 3.5} ${top("ecg") + 2}h7l-3.5 5z`} className="fill-ink" />
      ))}
      <text x={2} y={top("heart") + 22} className="fill-ink font-semibold">
        heart
      </text>
      <text x={2} y={top("heart") + 34} className="fill-soft">
        bpm
      </text>
      {(beats?.at_s ?? []).map((at, i) => {
        const rate = beats?.values[i] ?? null;
        return rate === null ? null : <circle key={at} cx={x(at)} cy={beatY(rate)} r={3} className="fill-above" />;
      })}
      {[
        [before, zero - LINK_S, zero],
        [after, zero, zero + LINK_S],
      ].map(([rate, from, to]) =>
        rate == null || from == null || to == null ? null : (
          <g key={from}>
            <line x1={x(from)} x2={x(to)} y1={beatY(rate)} y2={beatY(rate)} className="stroke-ink" strokeWidth={2.2} />
            <text x={x((from + to) / 2)} y={beatY(rate) - 5} textAnchor="middle" className="fill-ink">
              mean {number(rate, 0)} bpm
            </text>
          </g>
        ),
      )}
      {notes
        .filter((note) => note.atS < zero + AFTER_S && note.endS >= zero - BEFORE_S)
        .map((note) => (
          <g key={`${note.atS} ${note.text}`}>
            <rect
              x={Math.max(x(note.atS), LEFT)}
              y={TALL - 22}
              width={Math.max(x(Math.min(note.endS, zero + AFTER_S)) - Math.max(x(note.atS), LEFT), 2)}
              height={4}
              className="fill-brass"
            />
            <text x={Math.max(x(note.atS), LEFT)} y={TALL - 25} className="fill-brass-ink">
              {note.text}
            </text>
          </g>
        ))}
      <line x1={x(zero)} x2={x(zero)} y1={4} y2={TALL - 20} className="stroke-brass" strokeWidth={1.6} />
      {[-10, -5, 0, 5, 10, 15].map((at) => (
        <text key={at} x={x(zero + at)} y={TALL - 6} textAnchor="middle" className="fill-soft">
          {at === 0 ? "0 s" : at > 0 ? `+${at}` : `−${-at}`}
        </text>
      ))}
    </svg>
  );
}

const swingOf = (view: Schemas["View"] | undefined) =>
  Math.max(...(view?.high ?? []).map((v) => Math.abs(v ?? 0)), ...(view?.low ?? []).map((v) => Math.abs(v ?? 0)), 0);

/** From the lowest to the highest of each bin: as dense as the signal is. */
function rawPath(view: Schemas["View"] | undefined, x: (atS: number) => number, zero: number, scale: number): string {
  if (!view) return "";
  let path = "";
  let drawing = false;
  view.low.forEach((low, i) => {
    const high = view.high[i] ?? null;
    if (low === null || high === null) {
      drawing = false;
      return;
    }
    const at = x(view.start_s + (i + 0.5) * view.bin_s).toFixed(1);
    path += `${drawing ? "L" : "M"}${at} ${(zero - high * scale).toFixed(1)}L${at} ${(zero - low * scale).toFixed(1)}`;
    drawing = true;
  });
  return path;
}

function curvePath(
  curve: Schemas["Curve"] | undefined,
  x: (atS: number) => number,
  y: (value: number) => number,
): string {
  let path = "";
  let drawing = false;
  for (let i = 0; i < (curve?.values.length ?? 0); i += 2) {
    const value = curve?.values[i] ?? null;
    if (!curve || value === null) {
      drawing = false;
      continue;
    }
    path += `${drawing ? "L" : "M"}${x(curve.start_s + i * curve.step_s).toFixed(1)} ${y(value).toFixed(1)}`;
    drawing = true;
  }
  return path;
}

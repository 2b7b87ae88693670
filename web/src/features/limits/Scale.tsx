import { useMemo, useRef } from "react";
import type { VerdictWord } from "@/ui/basics";
import { Verdict } from "@/ui/basics";
import { number, unitWords } from "@/ui/format";
import { useWidth } from "@/ui/width";
import {
  byState,
  type Column,
  type Counted,
  columnsOf,
  type Edge,
  fineness,
  rangeOf,
  stateOf,
  ticksOf,
} from "./counting";

export interface ScaleStep extends Edge {
  name: string;
  verdict: VerdictWord;
}

const [TOP, HIGH, BAR, FOOT] = [26, 70, 22, 18];
const BOTTOM = TOP + HIGH;
const INSET = 12;
const FILL: Record<string, string> = {
  within: "fill-within",
  "action level reached": "fill-action",
  "above limit": "fill-above",
  "not assessable": "fill-[var(--none)]",
};

/** Sessions as columns over a figure's scale, its steps as flags that are dragged or moved by arrows. */
export function Scale({
  title,
  unit,
  counted,
  unknown,
  now,
  then,
  withinWords = "within",
  onMove,
  onPress,
}: {
  title: string;
  unit: string;
  counted: Counted[];
  /** Sessions that could not be judged by this figure. */
  unknown: number;
  /** The steps as they are on record, and as they are being tried. */
  now: ScaleStep[];
  then: ScaleStep[];
  /** What a value is called that reaches no step. */
  withinWords?: string;
  onMove: (step: number, value: number) => void;
  onPress: (step: number) => void;
}) {
  const range = useMemo(() => rangeOf(counted, now), [counted, now]);
  const [low, high] = range;
  const { of: drawing, element, wide } = useWidth<SVGSVGElement>(680);
  const x = (value: number) =>
    INSET + ((Math.min(Math.max(value, low), high) - low) / (high - low || 1)) * (wide - 2 * INSET);
  const columns = columnsOf(counted, range, now, then);
  const tallest = Math.max(1, ...columns.map((c) => c.parts.reduce((sum, p) => sum + p.count, 0)));
  const words = (state: number): VerdictWord => (state === 0 ? "within" : (then[state - 1]?.verdict ?? "within"));
  const states = byState(counted, then);
  const fine = fineness(counted, now, range);
  const set = (step: number, wanted: number) => {
    const rounded = Number((Math.round(wanted / fine) * fine).toPrecision(8));
    const others = then.filter((_, i) => i !== step).map((s) => s.value);
    const before = others[step - 1];
    const after = others[step];
    const [least, most] = then[step]?.below ? [after, before] : [before, after];
    if (least !== undefined && rounded <= least) return;
    if (most !== undefined && rounded >= most) return;
    if (rounded >= low - (high - low) && rounded <= high + (high - low)) onMove(step, rounded);
  };
  return (
    <figure aria-label={`${title}: ${counted.reduce((sum, [, n = 0]) => sum + n, 0)} sessions on its scale`}>
      {/* biome-ignore lint/a11y/noSvgWithoutTitle: the figure around it has its name; a title would lie over the flags */}
      <svg
        ref={drawing}
        viewBox={`0 0 ${wide} ${BOTTOM + BAR + FOOT}`}
        height={BOTTOM + BAR + FOOT}
        className="block w-full touch-pan-y select-none"
      >
        <defs>
          <pattern id="changes" width={5} height={5} patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <rect width={5} height={5} className="fill-panel" />
            <rect width={2.4} height={5} className="fill-ink" />
          </pattern>
          <pattern id="unjudged" width={5} height={5} patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <rect width={1.6} height={5} className="fill-[var(--none)]" />
          </pattern>
        </defs>
        {columns.map((column) => (
          <Bars key={column.from} column={column} x={x} tallest={tallest} words={words} />
        ))}
        {counted.length === 0 && (
          <text x={wide / 2} y={BOTTOM - 20} textAnchor="middle" className="fill-soft text-[13px]">
            nothing measured yet: counts follow
          </text>
        )}
        <line x1={INSET} x2={wide - INSET} y1={BOTTOM} y2={BOTTOM} className="stroke-ink" />
        <Steps range={range} x={x} then={then} words={words} withinWords={withinWords} />
        {ticksOf(range).map((tick, i, all) => (
          <text
            key={tick}
            x={x(tick)}
            y={BOTTOM + BAR + 14}
            textAnchor={x(tick) > wide - 40 ? "end" : x(tick) < 20 ? "start" : "middle"}
            className="fill-soft font-narrow text-[12px]"
          >
            {number(tick, Math.min(String(tick).split(".")[1]?.length ?? 0, 3))}
            {i === all.length - 1 ? ` ${unitWords(unit)}` : ""}
          </text>
        ))}
        {now.map((step, i) =>
          then[i] && then[i].value !== step.value ? (
            <g key={`was ${step.name} ${step.value}`}>
              <line
                x1={x(step.value)}
                x2={x(step.value)}
                y1={TOP - 6}
                y2={BOTTOM + BAR}
                className="stroke-ink"
                strokeDasharray="4 3"
              />
              <text
                x={x(step.value) + (then[i].value > step.value ? -4 : 4)}
                y={TOP + 4}
                textAnchor={then[i].value > step.value ? "end" : "start"}
                className="fill-soft font-narrow text-[12px]"
              >
                until now {step.value}
              </text>
            </g>
          ) : null,
        )}
        {then.map(
          (step, i) =>
            Number.isFinite(step.value) && (
              <Flag
                // biome-ignore lint/suspicious/noArrayIndexKey: a step is known by its place alone
                key={i}
                label={`${title}, ${step.name || `step ${i + 1}`}`}
                step={step}
                unit={unit}
                moved={now[i]?.value !== step.value}
                x={x(step.value)}
                fine={fine}
                range={range}
                valueAt={(clientX) => {
                  const box = element?.getBoundingClientRect();
                  if (!box) return step.value;
                  const at = ((clientX - box.left) / box.width) * wide;
                  return low + ((at - INSET) / (wide - 2 * INSET)) * (high - low);
                }}
                onMove={(value) => set(i, value)}
                onPress={() => onPress(i)}
              />
            ),
        )}
      </svg>
      <p className="flex flex-wrap gap-x-4 text-[13px]">
        {states.map((count, state) => (
          <Verdict
            // biome-ignore lint/suspicious/noArrayIndexKey: a state is known by its place alone
            key={state}
            verdict={words(state)}
            words={`${count} ${state === 0 ? withinWords : (then[state - 1]?.name ?? "")}`}
          />
        ))}
        {unknown > 0 && <Verdict verdict="not assessable" words={`${unknown} not judged by it`} />}
      </p>
    </figure>
  );
}

function Bars({
  column,
  x,
  tallest,
  words,
}: {
  column: Column;
  x: (value: number) => number;
  tallest: number;
  words: (state: number) => VerdictWord;
}) {
  const [left, right] = [x(column.from), x(column.to)];
  let y = BOTTOM;
  return (
    <g>
      {column.parts.map((part) => {
        const height = Math.max((part.count / tallest) * (HIGH - 6), 1.5);
        y -= height;
        return (
          <rect
            key={`${part.state} ${part.changed}`}
            x={left + 0.5}
            y={y}
            width={Math.max(right - left - 1.5, 1)}
            height={height}
            className={part.changed ? "stroke-ink" : (FILL[words(part.state)] ?? "fill-[var(--none)]")}
            fill={part.changed ? "url(#changes)" : undefined}
            opacity={part.changed ? 1 : 0.62}
          />
        );
      })}
    </g>
  );
}

/** The bar beneath: which values are in which state, in shape and words where there is room. */
function Steps({
  range: [low, high],
  x,
  then,
  words,
  withinWords,
}: {
  range: [number, number];
  withinWords: string;
  x: (value: number) => number;
  then: ScaleStep[];
  words: (state: number) => VerdictWord;
}) {
  const known = then.filter((s) => Number.isFinite(s.value));
  const cuts = [low, ...known.map((s) => s.value).sort((a, b) => a - b), high];
  return (
    <g>
      {cuts.slice(1).map((to, i) => {
        const from = cuts[i] ?? low;
        const state = stateOf(known, (from + to) / 2);
        const [left, wide] = [x(from), x(to) - x(from)];
        const name = state === 0 ? withinWords : (known[state - 1]?.name ?? "");
        return (
          <g key={`${from} ${to}`}>
            <rect
              x={left}
              y={BOTTOM + 2}
              width={Math.max(wide, 0)}
              height={BAR - 4}
              className={FILL[words(state)] ?? "fill-[var(--none)]"}
              opacity={words(state) === "not assessable" ? 0.12 : 0.2}
            />
            {words(state) === "not assessable" && (
              <rect
                x={left}
                y={BOTTOM + 2}
                width={Math.max(wide, 0)}
                height={BAR - 4}
                fill="url(#unjudged)"
                opacity={0.5}
              />
            )}
            {wide > name.length * 6.2 + 8 && (
              <text
                x={left + wide / 2}
                y={BOTTOM + BAR / 2 + 4}
                textAnchor="middle"
                className="fill-ink font-narrow text-[12.5px]"
              >
                {name}
              </text>
            )}
          </g>
        );
      })}
    </g>
  );
}

function Flag({
  label,
  step,
  unit,
  moved,
  x,
  fine,
  range,
  valueAt,
  onMove,
  onPress,
}: {
  label: string;
  step: ScaleStep;
  unit: string;
  moved: boolean;
  x: number;
  fine: number;
  range: [number, number];
  valueAt: (clientX: number) => number;
  onMove: (value: number) => void;
  onPress: () => void;
}) {
  const from = useRef<number | null>(null);
  const dragged = useRef(false);
  const text = String(step.value);
  const wide = text.length * 7.4 + 16;
  const keys: Record<string, number> = {
    ArrowLeft: -1,
    ArrowDown: -1,
    ArrowRight: 1,
    ArrowUp: 1,
    PageDown: -10,
    PageUp: 10,
  };
  return (
    <g
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-valuenow={step.value}
      aria-valuemin={range[0]}
      aria-valuemax={range[1]}
      aria-valuetext={`${step.value} ${unitWords(unit)}`}
      className="group cursor-ew-resize touch-none focus-visible:outline-hidden"
      onKeyDown={(event) => {
        const turn = keys[event.key];
        if (event.key === "Enter") onPress();
        else if (turn) onMove(step.value + turn * fine);
        else return;
        event.preventDefault();
      }}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        [from.current, dragged.current] = [event.clientX, false];
      }}
      onPointerMove={(event) => {
        if (from.current === null) return;
        if (!dragged.current && Math.abs(event.clientX - from.current) < 3) return;
        dragged.current = true;
        onMove(valueAt(event.clientX));
      }}
      onPointerUp={() => {
        if (from.current !== null && !dragged.current) onPress();
        from.current = null;
      }}
      onPointerCancel={() => {
        from.current = null;
      }}
    >
      <rect x={x - 10} y={TOP - 6} width={20} height={HIGH + BAR + 6} className="fill-transparent" />
      <line x1={x} x2={x} y1={TOP - 6} y2={BOTTOM + BAR} className="stroke-ink" strokeWidth={moved ? 2.4 : 1.6} />
      <rect
        x={x - wide / 2}
        y={2}
        width={wide}
        height={19}
        rx={5}
        className={`group-focus-visible:stroke-brass group-focus-visible:[stroke-width:3px] ${moved ? "fill-act stroke-act" : "fill-panel stroke-soft"}`}
      />
      <text
        x={x}
        y={16}
        textAnchor="middle"
        className={`font-narrow font-semibold text-[13px] ${moved ? "fill-on-act" : "fill-ink"}`}
      >
        {text}
      </text>
    </g>
  );
}

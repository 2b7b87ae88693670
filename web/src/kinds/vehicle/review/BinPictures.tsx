import { memo } from "react";
import { niceRange } from "@/charts/drawing";
import { number } from "@/ui/format";
import { type BinSheet, type Cell, targetOf } from "./bins";
import { type Range, useBrush } from "./useBrush";

const WIDTH = 560;
const HEIGHT = 150;
const LEFT = 40;
const BOTTOM = 18;

/** What was picked of the readings: ranges of the quantity and of the one across; null: any. */
export interface Picking {
  value: Range | null;
  over: Range | null;
}

/** A dragged range in round numbers, as fine as a hundredth of itself. */
function rounded([low, high]: Range): Range {
  const unit = 10 ** Math.floor(Math.log10(Math.max(high - low, 1e-9) / 10));
  const round = (v: number) => Number((Math.round(v / unit) * unit).toPrecision(10));
  return [round(low), round(high)];
}

/** A part of the readings as dots, the target as a band; a drag picks those under it. */
export const Dots = memo(function Dots({
  sheet,
  decimals,
  cell,
  pick,
  onPick,
}: {
  sheet: BinSheet;
  decimals: number;
  cell: Cell | null;
  pick: Picking | null;
  onPick: (pick: Picking | null) => void;
}) {
  const brush = useBrush(WIDTH, HEIGHT, (across, up) =>
    onPick(
      across &&
        up && {
          over: rounded([backX(across[0]), backX(across[1])]),
          value: rounded([backY(up[1]), backY(up[0])]),
        },
    ),
  );
  const backX = (at: number) => left + ((at - LEFT) / (WIDTH - LEFT - 6)) * (right - left);
  const backY = (at: number) => high - ((at - 4) / (HEIGHT - BOTTOM - 8)) * (high - low);
  const xs = sheet.dots.map(([x = 0]) => x);
  const ys = sheet.dots.map(([, y = 0]) => y).sort((a, b) => a - b);
  const [left, right] = niceRange(xs.length ? Math.min(...xs) : 0, xs.length ? Math.max(...xs) : 1);
  const [low, high] = niceRange(ys[0] ?? 0, ys.at(-1) ?? 1);
  if (sheet.dots.length === 0) return <p className="py-4 text-[13px] text-soft">No reading.</p>;
  const x = (v: number) => LEFT + ((v - left) / (right - left)) * (WIDTH - LEFT - 6);
  const y = (v: number) => 4 + ((high - v) / (high - low)) * (HEIGHT - BOTTOM - 8);
  const column = cell ? [sheet.edges[cell.column] ?? 0, sheet.edges[cell.column + 1] ?? 0] : null;
  const target = targetOf(sheet);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="block w-full touch-pan-y select-none"
      role="img"
      aria-label={`${sheet.quantity.name} over ${sheet.over.name.toLowerCase()}, ${sheet.dots.length} readings`}
      {...brush.handlers}
    >
      {target && (
        <>
          <rect
            x={LEFT}
            width={WIDTH - LEFT - 6}
            y={Math.max(y(target[1]), 4)}
            height={Math.max(Math.min(y(target[0]), HEIGHT - BOTTOM) - Math.max(y(target[1]), 4), 0)}
            className="fill-act-soft"
          />
          {target.map((v) => (
            <line key={v} x1={LEFT} x2={WIDTH - 6} y1={y(v)} y2={y(v)} stroke="var(--soft)" strokeDasharray="5 4" />
          ))}
        </>
      )}
      {[low, (low + high) / 2, high].map((v) => (
        <text key={v} x={LEFT - 6} y={y(v) + 4} textAnchor="end" className="fill-soft text-[11px]">
          {number(v, decimals)}
        </text>
      ))}
      {[left, (left + right) / 2, right].map((v, i) => (
        <text
          key={v}
          x={x(v)}
          y={HEIGHT - 4}
          textAnchor={i === 0 ? "start" : i === 2 ? "end" : "middle"}
          className="fill-soft text-[11px]"
        >
          {v.toLocaleString("en", { maximumFractionDigits: 2 })}
          {i === 2 && sheet.over.unit ? ` ${sheet.over.unit}` : ""}
        </text>
      ))}
      {sheet.dots.map(([a = 0, b = 0], i) => (
        <circle
          // biome-ignore lint/suspicious/noArrayIndexKey: dots never change places
          key={i}
          cx={x(a)}
          cy={y(b)}
          r={1.3}
          className={column && a >= (column[0] ?? 0) && a < (column[1] ?? 0) ? "fill-ink" : "fill-act"}
          fillOpacity={0.45}
        />
      ))}
      {pick && (
        <Picked
          x={pick.over ? [x(pick.over[0]), x(pick.over[1])] : [LEFT, WIDTH - 6]}
          y={pick.value ? [y(pick.value[1]), y(pick.value[0])] : [4, HEIGHT - BOTTOM]}
        />
      )}
      {brush.x && brush.y && <Picked x={brush.x} y={brush.y} />}
    </svg>
  );
});

function Picked({ x, y }: { x: Range; y: Range }) {
  return (
    <rect
      x={x[0]}
      width={Math.max(x[1] - x[0], 1)}
      y={y[0]}
      height={Math.max(y[1] - y[0], 1)}
      className="fill-act stroke-act"
      fillOpacity={0.14}
    />
  );
}

const SPREAD_WIDTH = 270;

/** Seconds at each value: below, on and above the target by colour and side of its lines; a drag picks the values under it. */
export const Spread = memo(function Spread({
  sheet,
  decimals,
  pick,
  onPick,
}: {
  sheet: BinSheet;
  decimals: number;
  pick: Picking | null;
  onPick: (pick: Picking | null) => void;
}) {
  const { spread_edges: edges, spread_s: bars } = sheet;
  const target = targetOf(sheet);
  const width = SPREAD_WIDTH;
  const low = edges[0] ?? 0;
  const high = edges.at(-1) ?? 1;
  const back = (at: number) => low + ((at - 4) / (width - 8)) * (high - low);
  const brush = useBrush(width, HEIGHT, (across) =>
    onPick(across && { over: null, value: rounded([back(across[0]), back(across[1])]) }),
  );
  if (bars.length === 0) return <p className="py-4 text-[13px] text-soft">No reading.</p>;
  const most = Math.max(...bars, 1e-9);
  const x = (v: number) => 4 + ((v - low) / (high - low)) * (width - 8);
  return (
    <svg
      viewBox={`0 0 ${width} ${HEIGHT}`}
      className="block w-full touch-pan-y select-none"
      {...brush.handlers}
      role="img"
      aria-label={`Spread of ${sheet.quantity.name.toLowerCase()}`}
    >
      {bars.map((s, i) => {
        const [a = 0, b = 0] = [edges[i], edges[i + 1]];
        const middle = (a + b) / 2;
        const look =
          target && middle > target[1] ? "fill-lost" : target && middle < target[0] ? "fill-gained" : "fill-act";
        const tall = (s / most) * (HEIGHT - BOTTOM - 10);
        return (
          <rect
            key={a}
            x={x(a) + 0.5}
            width={Math.max(x(b) - x(a) - 1, 0.5)}
            y={HEIGHT - BOTTOM - tall}
            height={tall}
            className={look}
          />
        );
      })}
      {(target ?? []).map((v) => (
        <line key={v} x1={x(v)} x2={x(v)} y1={4} y2={HEIGHT - BOTTOM} stroke="var(--ink)" strokeDasharray="4 3" />
      ))}
      {[low, high].map((v, i) => (
        <text key={v} x={x(v)} y={HEIGHT - 4} textAnchor={i ? "end" : "start"} className="fill-soft text-[11px]">
          {number(v, decimals)}
        </text>
      ))}
      {pick?.value && <Picked x={[x(pick.value[0]), x(pick.value[1])]} y={[4, HEIGHT - BOTTOM]} />}
      {brush.x && <Picked x={brush.x} y={[4, HEIGHT - BOTTOM]} />}
    </svg>
  );
});

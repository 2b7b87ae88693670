import type { Schemas } from "@/api/client";
import { number } from "@/ui/format";
import { type LiveValues, useNow } from "./live";

const W = 330;
const H = 196;
const LEFT = 44;
const BOTTOM = 20;

/** Raw value across, true value up: captured points joined, the live value where it is now; beside them the bands where a wire is off. */
export function PointMap({
  sensor,
  points,
  live,
}: {
  sensor: Schemas["Sensor"];
  points: { words: string; raw: number | null; true: number }[];
  live: LiveValues;
}) {
  const now = useNow(live);
  const raw = now?.raw[sensor.key];
  const { within } = sensor;
  const trues = points.map((p) => p.true);
  const pad = 0.18 * (Math.max(...trues) - Math.min(...trues) || 1);
  const low = Math.min(...trues) - pad;
  const high = Math.max(...trues) + pad;
  const top = 5;
  const x = (v: number) => LEFT + (v / top) * (W - LEFT - 6);
  const y = (v: number) => 6 + ((high - v) / (high - low)) * (H - BOTTOM - 12);
  const done = points.filter((p): p is typeof p & { raw: number } => p.raw !== null).sort((a, b) => a.raw - b.raw);
  const open = points.find((p) => p.raw === null);
  const joined = done.map((p, i) => `${i ? "L" : "M"}${x(p.raw)} ${y(p.true)}`).join("");
  const nearest =
    raw === null || raw === undefined
      ? undefined
      : [...done].sort((a, b) => Math.abs(a.raw - raw) - Math.abs(b.raw - raw))[0];
  return (
    <svg
      viewBox={`0 0 ${W} ${H}`}
      className="w-full text-[11px]"
      role="img"
      aria-label="Raw value and true value of the points"
    >
      <rect x={x(0)} y={0} width={x(within.low) - x(0)} height={H - BOTTOM} fill="var(--hair)" />
      <rect x={x(within.high)} y={0} width={x(top) - x(within.high)} height={H - BOTTOM} fill="var(--hair)" />
      {points.map((p) => (
        <g key={p.words}>
          <line x1={LEFT} x2={W - 6} y1={y(p.true)} y2={y(p.true)} stroke="var(--hair)" />
          <text x={LEFT - 5} y={y(p.true) + 4} textAnchor="end" fill="var(--soft)">
            {p.true > 0 ? "+" : ""}
            {Number(p.true.toPrecision(4))}
            {sensor.unit === "°" || sensor.unit === "%" ? sensor.unit : ""}
          </text>
        </g>
      ))}
      {[0, 1, 2, 3, 4, 5].map((v) => (
        <text key={v} x={x(v)} y={H - 5} textAnchor={v === 5 ? "end" : "middle"} fill="var(--soft)">
          {v === 5 ? `5 ${within.unit}` : v}
        </text>
      ))}
      <path d={joined} fill="none" stroke="var(--act)" strokeWidth={1.8} />
      {open && nearest && raw !== null && raw !== undefined && (
        <path
          d={`M${x(nearest.raw)} ${y(nearest.true)}L${x(raw)} ${y(open.true)}`}
          stroke="var(--act)"
          strokeWidth={1.6}
          strokeDasharray="6 4"
        />
      )}
      {raw !== null && raw !== undefined && (
        <>
          <line x1={x(raw)} x2={x(raw)} y1={0} y2={H - BOTTOM} stroke="var(--ink)" />
          <text x={x(raw) + (raw > 3.6 ? -4 : 4)} y={12} textAnchor={raw > 3.6 ? "end" : "start"} fill="var(--ink)">
            raw now {number(raw, 3)} {within.unit}
          </text>
        </>
      )}
      {done.map((p) => (
        <circle key={p.words} cx={x(p.raw)} cy={y(p.true)} r={5} fill="var(--act)" />
      ))}
      {open && raw !== null && raw !== undefined && (
        <circle cx={x(raw)} cy={y(open.true)} r={5} fill="var(--panel)" stroke="var(--act)" strokeWidth={1.8} />
      )}
    </svg>
  );
}

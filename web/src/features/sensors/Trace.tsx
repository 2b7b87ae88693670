import { type LiveValues, SHOWN_S, useNow } from "./live";

const WIDTH = 400;
const HEIGHT = 78;
const LEFT = 34;

function path(points: [number, number][], x: (v: number) => number, y: (v: number) => number): string {
  return points.map(([a, b], i) => `${i ? "L" : "M"}${x(a).toFixed(1)} ${y(b).toFixed(1)}`).join("");
}

/** The raw value over the last six seconds, and the last second enlarged to its spread. */
export function Trace({
  live,
  channel,
  within,
}: {
  live: LiveValues;
  channel: string;
  within: { unit: string; steady: number };
}) {
  useNow(live);
  const trace = live.trace(channel).filter(([at]) => at >= -SHOWN_S);
  const values = trace.map(([, v]) => v);
  const low = Math.floor(Math.min(...values, 1));
  const high = Math.max(Math.ceil(Math.max(...values, 2)), low + 1);
  const x = (at: number) => LEFT + ((at + SHOWN_S) / SHOWN_S) * (WIDTH - LEFT);
  const y = (v: number) => HEIGHT - 6 - ((v - low) / (high - low)) * (HEIGHT - 12);
  const last = trace.filter(([at]) => at >= -1);
  const middle = last.reduce((a, [, v]) => a + v, 0) / Math.max(last.length, 1);
  const room = 2 * within.steady;
  const near = (v: number) => 34 - (Math.max(-room, Math.min(room, v - middle)) / room) * 28;
  return (
    <div className="flex items-start gap-3 px-3 py-1.5" aria-hidden>
      <svg viewBox={`0 0 ${WIDTH} ${HEIGHT + 14}`} className="min-w-0 flex-1 text-[11px]">
        <title>The raw value of the last six seconds</title>
        <rect x={x(-1)} y={0} width={x(0) - x(-1)} height={HEIGHT} fill="var(--act-soft)" />
        {[low, high].map((v) => (
          <g key={v}>
            <line x1={LEFT} x2={WIDTH} y1={y(v)} y2={y(v)} stroke="var(--hair)" />
            <text x={LEFT - 4} y={y(v) + 4} textAnchor="end" fill="var(--soft)">
              {v} {within.unit}
            </text>
          </g>
        ))}
        <path d={path(trace, x, y)} fill="none" stroke="var(--act)" strokeWidth={1.5} />
        {[-6, -5, -4, -3, -2, -1].map((s) => (
          <text key={s} x={x(s)} y={HEIGHT + 11} textAnchor={s === -6 ? "start" : "middle"} fill="var(--soft)">
            {s === -6 ? "−6 s" : `−${-s}`}
          </text>
        ))}
        <text x={WIDTH} y={HEIGHT + 11} textAnchor="end" fill="var(--soft)">
          now
        </text>
      </svg>
      <svg viewBox="0 0 118 92" className="w-[118px] flex-none text-[11px]">
        <title>The last second</title>
        <rect x={0.5} y={3} width={68} height={62} fill="none" stroke="var(--line)" />
        <rect x={0.5} y={near(middle + within.steady)} width={68} height={28} fill="var(--act-soft)" opacity={0.7} />
        <path d={path(last, (at) => (at + 1) * 68, near)} fill="none" stroke="var(--act)" />
        <text x={72} y={24} fill="var(--soft)">
          +{1000 * within.steady} m{within.unit}
        </text>
        <text x={72} y={52} fill="var(--soft)">
          −{1000 * within.steady}
        </text>
        <text x={0} y={80} fill="var(--soft)">
          last second
        </text>
      </svg>
    </div>
  );
}

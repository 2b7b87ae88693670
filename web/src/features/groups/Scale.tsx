import { Link } from "react-router";
import { number, unitWords } from "@/ui/format";
import type { Group, Measured } from "./useGroup";

const ROW = 30;
const HEAD = 30;
const FOOT = 26;
const LEFT = 168;
const RIGHT = 58;
const WIDE = 720;

const log = (group: Group) => (value: number) => (group.logarithmic ? Math.log10(Math.max(value, 1e-9)) : value);

/** From the least to the most of what is drawn, with some room. */
function rangeOf(group: Group): [number, number] {
  const of = log(group);
  const whole = group.whole ? [group.whole.low, group.whole.high, group.whole.p95, group.whole.mean] : [];
  const all = [...group.measured.map((m) => m.value), ...group.steps.map((s) => s.value), ...whole]
    .filter((v): v is number => v !== null && (!group.logarithmic || v > 0))
    .map(of);
  if (all.length === 0) return [0, 1];
  const [low, high] = [Math.min(...all), Math.max(...all)];
  const room = Math.max((high - low) * 0.06, group.logarithmic ? 0.05 : 1);
  return [low - room, high + room];
}

/** Round values to read the scale by. */
function marksOf(low: number, high: number, logarithmic: boolean): number[] {
  if (logarithmic) {
    const found: number[] = [];
    for (let power = Math.floor(low); power <= Math.ceil(high); power++)
      for (const k of [1, 2, 5]) {
        const value = k * 10 ** power;
        if (Math.log10(value) >= low && Math.log10(value) <= high) found.push(Number(value.toPrecision(3)));
      }
    return found.length < 10 ? found : found.filter((v) => Number.isInteger(Math.round(Math.log10(v) * 1e6) / 1e6));
  }
  const wide = (high - low) / 6;
  const step = [1, 2, 5, 10].map((k) => k * 10 ** Math.floor(Math.log10(wide))).find((s) => s >= wide) ?? wide;
  const first = Math.ceil(low / step);
  return Array.from({ length: Math.floor(high / step) - first + 1 }, (_, i) =>
    Number(((first + i) * step).toPrecision(6)),
  );
}

/** The mean of somebody's measurements that count: the geometric one of concentrations. */
function meanOf(measured: Measured[], logarithmic: boolean): number | null {
  const values = measured.flatMap((m) => (m.why_not || m.value === null ? [] : [m.value]));
  if (values.length === 0 || (logarithmic && Math.min(...values) <= 0)) return null;
  const sum = values.reduce((total, v) => total + (logarithmic ? Math.log(v) : v), 0) / values.length;
  return logarithmic ? Math.exp(sum) : sum;
}

const decimalsOf = (group: Group) => (group.logarithmic ? 3 : 1);

/** Everybody on one scale: a dot a measurement that opens its session, a bar the mean of each, the group beneath, lines at the limits. */
export function Scale({ group }: { group: Group }) {
  const [low, high] = rangeOf(group);
  const of = log(group);
  const x = (value: number) => LEFT + ((of(value) - low) / (high - low)) * (WIDE - LEFT - RIGHT);
  const rows = group.members;
  const bottom = HEAD + ROW * (rows.length + (group.whole ? 1 : 0));
  const height = bottom + FOOT;
  const middle = (index: number) => HEAD + ROW * (index + 0.5);
  const whole = group.whole;
  return (
    <div className="overflow-x-auto">
      <svg viewBox={`0 0 ${WIDE} ${height}`} className="block min-w-[560px] max-w-[900px]">
        <title>{`Every measurement of ${group.name} by person, in ${unitWords(group.unit)}`}</title>
        {marksOf(low, high, group.logarithmic).map((value) => (
          <g key={value}>
            <line x1={x(value)} x2={x(value)} y1={HEAD} y2={bottom} className="stroke-hair" />
            <text x={x(value)} y={bottom + 16} textAnchor="middle" className="fill-soft font-narrow text-[12px]">
              {number(value, Math.min(String(value).split(".")[1]?.length ?? 0, 4))}
            </text>
          </g>
        ))}
        {group.steps.map((step, index) => (
          <g key={`${step.name} ${step.value}`}>
            <line
              x1={x(step.value)}
              x2={x(step.value)}
              y1={HEAD - 6}
              y2={bottom}
              className="stroke-ink"
              strokeDasharray="5 4"
            />
            <text
              x={x(step.value)}
              y={index % 2 ? HEAD - 20 : HEAD - 9}
              textAnchor="middle"
              className="fill-ink font-narrow text-[11.5px]"
            >
              {step.value} {step.name}
            </text>
          </g>
        ))}
        {rows.map((member, index) => {
          const mine = group.measured.filter((m) => m.person_id === member.id);
          const mean = meanOf(mine, group.logarithmic);
          return (
            <g key={member.id}>
              <line
                x1={0}
                x2={WIDE}
                y1={middle(index) + ROW / 2}
                y2={middle(index) + ROW / 2}
                className="stroke-hair"
              />
              <Link to={`/people/${member.id}`}>
                <text x={0} y={middle(index) + 4} className="fill-ink font-medium text-[13px] hover:underline">
                  {member.name.length > 23 ? `${member.name.slice(0, 22)}…` : member.name}
                  <title>{member.name}</title>
                </text>
              </Link>
              {mine.length === 0 && (
                <text x={LEFT + 6} y={middle(index) + 4} className="fill-soft text-[12px]">
                  not measured
                </text>
              )}
              {mine.map(
                (m, at) =>
                  m.value !== null && (
                    <Dot
                      key={m.session_id}
                      measured={m}
                      name={member.name}
                      x={x(m.value)}
                      y={middle(index) + ((at % 3) - 1) * 3}
                      group={group}
                    />
                  ),
              )}
              {mean !== null && (
                <>
                  <line
                    x1={x(mean)}
                    x2={x(mean)}
                    y1={middle(index) - 10}
                    y2={middle(index) + 10}
                    className="stroke-ink"
                    strokeWidth={2}
                  />
                  <text x={WIDE} y={middle(index) + 4} textAnchor="end" className="fill-ink font-narrow text-[12.5px]">
                    {number(mean, decimalsOf(group))}
                  </text>
                </>
              )}
            </g>
          );
        })}
        {whole && (
          <g>
            <text x={0} y={middle(rows.length) + 4} className="fill-ink font-semibold text-[13px]">
              Group
            </text>
            {whole.low !== null && whole.high !== null && (
              <path
                d={`M${x(whole.low)} ${middle(rows.length) - 5}v10M${x(whole.low)} ${middle(rows.length)}H${x(whole.high)}M${x(whole.high)} ${middle(rows.length) - 5}v10`}
                className="fill-transparent stroke-ink"
                strokeWidth={2}
              />
            )}
            {whole.mean !== null && (
              <>
                <rect
                  x={x(whole.mean) - 5}
                  y={middle(rows.length) - 5}
                  width={10}
                  height={10}
                  transform={`rotate(45 ${x(whole.mean)} ${middle(rows.length)})`}
                  className="fill-ink"
                />
                <text
                  x={WIDE}
                  y={middle(rows.length) + 4}
                  textAnchor="end"
                  className="fill-ink font-narrow font-semibold text-[12.5px]"
                >
                  {number(whole.mean, decimalsOf(group))}
                </text>
              </>
            )}
            {whole.p95 !== null && (
              <>
                <line
                  x1={x(whole.p95)}
                  x2={x(whole.p95)}
                  y1={middle(rows.length) - 9}
                  y2={middle(rows.length) + 9}
                  className="stroke-above"
                  strokeWidth={2}
                />
                <text x={x(whole.p95) + 4} y={middle(rows.length) - 4} className="fill-above font-narrow text-[11px]">
                  95th
                </text>
              </>
            )}
          </g>
        )}
      </svg>
    </div>
  );
}

/** A measurement: filled where it counts, hollow where it does not. */
function Dot({
  measured,
  name,
  x,
  y,
  group,
}: {
  measured: Measured;
  name: string;
  x: number;
  y: number;
  group: Group;
}) {
  const counts = !measured.why_not;
  const words = `${name}, ${measured.day}: ${measured.value} ${unitWords(group.unit)}${counts ? "" : `, ${measured.why_not}`}`;
  return (
    <Link to={`/review/${measured.session_id}`} aria-label={words}>
      <circle cx={x} cy={y} r={11} className="fill-transparent" />
      <circle cx={x} cy={y} r={5} className={counts ? "fill-act stroke-panel" : "fill-panel stroke-soft"}>
        <title>{words}</title>
      </circle>
    </Link>
  );
}

import { useQuery } from "@tanstack/react-query";
import { api, ask, type Schemas } from "@/api/client";
import { number } from "@/ui/format";

const [WIDE, TALL, LEFT, FOOT] = [230, 110, 28, 16];
const [LOW, HIGH] = [0.6, 1.4];
const REPLACE = [0.7, 1.3];
const YEAR_D = 365;

function said(drift: Schemas["SensorDrift"]): string {
  if (drift.days_left === null) return drift.factors.length < 3 ? "too few calibrations to say" : "steady";
  if (drift.days_left === 0) return "replace the sensor";
  return drift.days_left > 3 * YEAR_D ? "steady" : `replace in about ${number(drift.days_left / 30.4, 0)} months`;
}

/** The span factor of each sensor over its life, with the lines at which one is replaced. */
export function Drifts({ recorder }: { recorder: number }) {
  const found = useQuery({
    queryKey: ["sensors", recorder, "drifts"],
    queryFn: () => ask(api.GET("/api/recorders/{recorder_id}/drifts", { params: { path: { recorder_id: recorder } } })),
  });
  const drifts = found.data?.drifts ?? [];
  if (drifts.length === 0) return null;
  const y = (value: number) =>
    TALL - FOOT - ((Math.min(Math.max(value, LOW), HIGH) - LOW) / (HIGH - LOW)) * (TALL - FOOT - 4);
  return (
    <section
      aria-label="Span factors over the life of each sensor"
      className="rounded-lg border border-line bg-panel px-3 py-2"
    >
      <h2 className="pb-1">Span factor over the life of each sensor</h2>
      <div className="flex flex-wrap gap-4">
        {drifts.map((drift) => {
          const last = Math.max(drift.days.at(-1) ?? 1, 1);
          const x = (at: number) => LEFT + 6 + (at / last) * (WIDE - LEFT - 12);
          return (
            <figure key={drift.sensor} className="w-[230px]">
              <figcaption className="text-[13px]">
                <b className="font-semibold">{drift.sensor.toUpperCase()}</b>{" "}
                <span className="text-soft">{drift.serial}</span>, {said(drift)}
              </figcaption>
              <svg
                viewBox={`0 0 ${WIDE} ${TALL}`}
                className="block w-full"
                role="img"
                aria-label={drift.factors.map((f) => number(f, 2)).join(", ")}
              >
                {REPLACE.map((value) => (
                  <line
                    key={value}
                    x1={LEFT}
                    x2={WIDE}
                    y1={y(value)}
                    y2={y(value)}
                    className="stroke-ink"
                    strokeDasharray="5 3"
                  />
                ))}
                {[LOW, 1, HIGH].map((value) => (
                  <text
                    key={value}
                    x={LEFT - 4}
                    y={y(value) + 4}
                    textAnchor="end"
                    className="fill-soft font-narrow text-[10.5px]"
                  >
                    {number(value, 1)}
                  </text>
                ))}
                <polyline
                  points={drift.factors.map((f, i) => `${x(drift.days[i] ?? 0)},${y(f)}`).join(" ")}
                  className="fill-transparent stroke-act"
                  strokeWidth={1.6}
                />
                {drift.factors.map((f, i) => (
                  <circle key={drift.days[i]} cx={x(drift.days[i] ?? 0)} cy={y(f)} r={3} className="fill-act" />
                ))}
                <text x={WIDE} y={TALL - 3} textAnchor="end" className="fill-soft font-narrow text-[10.5px]">
                  {number(last, 0)} days
                </text>
              </svg>
            </figure>
          );
        })}
      </div>
    </section>
  );
}

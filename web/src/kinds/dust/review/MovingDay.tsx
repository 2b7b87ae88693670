import { useQuery } from "@tanstack/react-query";
import { api, ask } from "@/api/client";
import type { Assessed, Assessment } from "@/sheet/assessed";
import { figureOf } from "@/sheet/assessed";
import { stated } from "@/sheet/KeyFigures";
import { number, type WallClock } from "@/ui/format";

const MEAN = "mass.mean24h";
/** Three quarters of a day: with less, no mean of 24 hours is told. */
const LEAST_S = 0.75 * 86_400;
const [WIDE, TALL, LEFT, FOOT, POINTS] = [250, 96, 34, 14, 240];

/** The mean of the 24 hours that end at each moment, over the whole placing; the highest of it, and of a calendar day, in numbers. */
export function MovingDay({
  review,
  shown,
  factor,
  limit,
  moment,
}: {
  review: Assessed;
  shown: Assessment;
  factor: number;
  limit: number | null;
  moment: WallClock;
}) {
  const { session } = review;
  const there = session.length_s >= LEAST_S;
  const view = useQuery({
    queryKey: ["view", session.id, MEAN],
    queryFn: () =>
      ask(
        api.GET("/api/sessions/{session_id}/view", {
          params: { path: { session_id: session.id }, query: { channel: [MEAN], points: POINTS } },
        }),
      ),
    enabled: there,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const [moving, day] = [figureOf(shown, "mean_24h"), figureOf(shown, "mean_day")];
  const line = view.data?.[0];
  const values = line?.mean.map((v) => (v === null ? null : v * factor)) ?? [];
  const known = values.filter((v): v is number => v !== null);
  const top = Math.max(...known, limit ?? 0, 1e-9) * 1.1;
  const x = (i: number) => LEFT + ((i + 0.5) / Math.max(values.length, 1)) * (WIDE - LEFT);
  const y = (value: number) => TALL - FOOT - (value / top) * (TALL - FOOT - 6);
  let path = "";
  values.forEach((value, i) => {
    if (value !== null) path += `${values[i - 1] == null ? "M" : "L"}${x(i).toFixed(1)} ${y(value).toFixed(1)}`;
  });
  const at = (figure: typeof moving) => (figure?.at_s == null ? "" : `, from ${moment(figure.at_s)}`);
  return (
    <section aria-label="Means of 24 hours" className="text-[13px]">
      <h2 className="pb-0.5">Means of 24 hours, mg/m³</h2>
      <p>
        moving <b className="font-semibold">{stated(moving)}</b>
        <span className="text-soft">{moving?.value == null ? `, ${moving?.note ?? "not known"}` : at(moving)}</span>
      </p>
      <p>
        calendar day <b className="font-semibold">{stated(day)}</b>
        <span className="text-soft">{day?.value == null ? `, ${day?.note ?? "not known"}` : at(day)}</span>
      </p>
      {known.length > 1 && (
        <svg
          viewBox={`0 0 ${WIDE} ${TALL}`}
          className="block w-full max-w-[340px]"
          role="img"
          aria-label="the moving mean of 24 hours over the whole placing"
        >
          {[0, 0.5, 1].map((share) => (
            <text
              key={share}
              x={LEFT - 4}
              y={y((share * top) / 1.1) + 3}
              textAnchor="end"
              className="fill-soft font-narrow text-[10.5px]"
            >
              {number((share * top) / 1.1, 3)}
            </text>
          ))}
          <line x1={LEFT} x2={WIDE} y1={y(0)} y2={y(0)} className="stroke-line" />
          {limit !== null && (
            <line x1={LEFT} x2={WIDE} y1={y(limit)} y2={y(limit)} className="stroke-ink" strokeDasharray="4 3" />
          )}
          <path d={path} className="fill-transparent stroke-action" strokeWidth={1.6} />
          <text x={LEFT} y={TALL - 2} className="fill-soft font-narrow text-[10.5px]">
            {moment(0).replace(/ \d\d:\d\d.*$/, "")}
          </text>
          <text x={WIDE} y={TALL - 2} textAnchor="end" className="fill-soft font-narrow text-[10.5px]">
            {moment(session.length_s).replace(/ \d\d:\d\d.*$/, "")}
          </text>
        </svg>
      )}
    </section>
  );
}

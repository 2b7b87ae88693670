import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { api, ask, type Schemas } from "@/api/client";
import { kindName } from "@/kinds/kinds";
import { Verdict, type VerdictWord } from "@/ui/basics";
import { day, decimalsOf, number, unitWords } from "@/ui/format";

type Trend = Schemas["Trend"];

const [WIDTH, HEIGHT, EDGE] = [150, 34, 5];
const COLOUR: Partial<Record<VerdictWord, string>> = {
  "above limit": "var(--above)",
  "action level reached": "var(--action)",
};

/** One figure over time: a point for each session, the newest in words. */
function Line({ trend }: { trend: Trend }) {
  const navigate = useNavigate();
  const values = trend.points.map((p) => p.number.value ?? Number.NaN);
  const times = trend.points.map((p) => new Date(p.started_at).getTime());
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const [from, to] = [Math.min(...times), Math.max(...times)];
  const x = (time: number) => EDGE + ((time - from) / (to - from || 1)) * (WIDTH - 2 * EDGE);
  const y = (value: number) =>
    high > low ? HEIGHT - EDGE - ((value - low) / (high - low)) * (HEIGHT - 2 * EDGE) : HEIGHT / 2;
  const decimals = Math.max(...values.map(decimalsOf));
  const last = trend.points.at(-1);
  if (!last) return null;
  const unit = unitWords(last.number.unit);
  const said = (p: Trend["points"][number]) =>
    `${day(p.started_at, p.utc_offset_min, true)}: ${number(p.number.value, decimals)} ${unit}`.trim();
  return (
    <tr className="border-hair border-t">
      <td className="py-1 pr-3">
        {trend.label}
        {unit && <span className="text-soft">, {unit}</span>}
      </td>
      <td className="w-[150px]">
        <svg
          viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
          className="h-[34px] w-[150px]"
          role="img"
          aria-label={`${trend.label}: ${trend.points.map(said).join("; ")}`}
        >
          <polyline
            points={trend.points.map((p, i) => `${x(times[i] ?? 0)},${y(p.number.value ?? 0)}`).join(" ")}
            fill="none"
            stroke="var(--soft)"
            strokeWidth={1}
          />
          {trend.points.map((p, i) => (
            // biome-ignore lint/a11y/noStaticElementInteractions: the sessions themselves are listed below
            <circle
              key={p.session_id}
              cx={x(times[i] ?? 0)}
              cy={y(p.number.value ?? 0)}
              r={3}
              fill={COLOUR[p.number.verdict] ?? "var(--act)"}
              className="cursor-pointer"
              onClick={() => navigate(`/review/${p.session_id}`)}
            >
              <title>{said(p)}</title>
            </circle>
          ))}
        </svg>
      </td>
      <td className="whitespace-nowrap pl-3 text-right font-narrow font-semibold">
        {(last.number.verdict === "above limit" || last.number.verdict === "action level reached") && (
          <Verdict verdict={last.number.verdict} bare />
        )}{" "}
        {number(last.number.value, decimals)}
        <span className="block font-normal text-[12px] text-soft">
          {low === high ? "always" : `${number(low, decimals)} to ${number(high, decimals)}`}
        </span>
      </td>
    </tr>
  );
}

/** What the kinds follow of a person, where two sessions have it. */
export function Trends({ person }: { person: number }) {
  const found = useQuery({
    // What is decided about a session changes them, as it changes every list of sessions.
    queryKey: ["sessions", "trends", person],
    queryFn: () => ask(api.GET("/api/people/{person_id}/trends", { params: { path: { person_id: person } } })),
  });
  const kinds = [...new Set(found.data?.map((t) => t.kind))];
  if (kinds.length === 0) return null;
  return (
    <section aria-label="From session to session">
      <h2 className="mt-5 mb-1">From session to session</h2>
      {kinds.map((kind) => (
        <table key={kind} className="mb-2 w-full text-[13px]">
          <caption className="py-0.5 text-left font-narrow text-[12.5px] text-soft">
            {kindName(kind)}; at the right the newest, below it the range
          </caption>
          <tbody>
            {found.data
              ?.filter((t) => t.kind === kind)
              .map((trend) => (
                <Line key={trend.figure} trend={trend} />
              ))}
          </tbody>
        </table>
      ))}
    </section>
  );
}

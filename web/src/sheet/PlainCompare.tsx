import { useQueries } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { clock, day, number, unitWords } from "@/ui/format";
import { Segmented } from "@/ui/segmented";
import type { Assessed } from "./assessed";
import type { CompareProps } from "./contract";
import { nameOf, usePicked } from "./useLanes";

const WIDE = 760;
const LEFT = 104;
const LANE = 84;
const GAP = 10;
const FOOT = 20;
const MOST_LANES = 6;
const POINTS = 700;
const DISTANCE = "distance";
const SPEED = "speed";
const FOREMOST = 8;

type Along = "hour" | "start" | "distance";
type View = Schemas["View"];
type Change = Schemas["FigureChange"];

const AXES: [Along, string][] = [
  ["hour", "time of day"],
  ["start", "since the start"],
];
const STANDS = { beyond: "more than from day to day", within: "as from day to day", "not known": "not known" } as const;

const shortDay = (r: Assessed) => day(r.session.started_at, r.session.utc_offset_min).replace(/ \d{4}$/, "");

function moved(change: Change): string {
  if (change.difference === null) return "–";
  const unit = change.unit === "%" ? "points" : unitWords(change.unit);
  const sign = change.difference > 0 ? "+" : change.difference < 0 ? "−" : "";
  return `${sign}${number(Math.abs(change.difference), change.decimals)} ${unit}`.trim();
}

/** Seconds after midnight on the wall, where it began. */
const wallS = ({ session }: Assessed) =>
  (((new Date(session.started_at).getTime() / 1000 + session.utc_offset_min * 60) % 86_400) + 86_400) % 86_400;

/** The figures of both, foremost first, each with its difference and what is usual from day to day. */
function Figures({ changes, before, after }: { changes: Change[]; before: Assessed; after: Assessed }) {
  const [all, setAll] = useState(false);
  const shown = all ? changes : changes.slice(0, FOREMOST);
  return (
    <>
      <table className="mt-3 w-full text-[13.5px]">
        <thead className="text-right font-narrow text-[12.5px] text-soft">
          <tr>
            <th className="text-left font-medium">Figure</th>
            <th className="font-medium">{shortDay(before)}</th>
            <th className="font-medium">{shortDay(after)}</th>
            <th className="font-medium">Difference</th>
            <th className="font-medium">Usual</th>
            <th className="pl-3 text-left font-medium">In words</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((change) => (
            <tr key={change.figure} className="border-hair border-t text-right">
              <td className="py-1 text-left">{change.label}</td>
              <td>
                {number(change.before, change.decimals)} {unitWords(change.unit)}
              </td>
              <td>
                {number(change.after, change.decimals)} {unitWords(change.unit)}
              </td>
              <td className={change.standing === "beyond" ? "font-semibold" : ""}>{moved(change)}</td>
              <td className="text-soft">
                {change.span.value === null ? "not known" : `±${number(change.span.value, change.decimals)}`}
              </td>
              <td className="pl-3 text-left text-soft">
                {change.difference === null ? "not measured in both" : STANDS[change.standing as keyof typeof STANDS]}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {changes.length > FOREMOST && (
        <button type="button" className="mt-1 text-[13px] text-act hover:underline" onClick={() => setAll(!all)}>
          {all ? "the foremost only" : `all ${changes.length} figures`}
        </button>
      )}
    </>
  );
}

/** Where each bin of a view stands along the axis; null where that is not known. */
function placesOf(view: View, along: Along, review: Assessed, distance: View | undefined): (number | null)[] {
  const offset = along === "hour" ? wallS(review) : 0;
  return view.mean.map((_, i) => {
    if (along !== "distance") return offset + view.start_s + (i + 0.5) * view.bin_s;
    return distance?.mean[Math.min(Math.round((i * view.bin_s) / distance.bin_s), distance.mean.length - 1)] ?? null;
  });
}

/** The way as it was recorded, else the sum of the speed: not known from where the speed is not. */
function wayOf(all: View[]): View | undefined {
  const recorded = all.find((view) => view.key === DISTANCE);
  const speed = all.find((view) => view.key === SPEED);
  if (recorded || !speed) return recorded;
  let way: number | null = 0;
  const mean = speed.mean.map((value) => {
    if (way !== null) way = value === null ? null : way + value * speed.bin_s;
    return way;
  });
  return { ...speed, key: DISTANCE, mean };
}

/** A line that is broken where nothing was measured. */
function lineOf(
  view: View,
  places: (number | null)[],
  x: (at: number) => number,
  y: (value: number) => number,
): string {
  let path = "";
  let pen = false;
  view.mean.forEach((value, i) => {
    const at = places[i];
    if (value === null || at === null || at === undefined) {
      pen = false;
      return;
    }
    path += `${pen ? "L" : "M"}${x(at).toFixed(1)} ${y(value).toFixed(1)}`;
    pen = true;
  });
  return path;
}

function axisWords(at: number, along: Along): string {
  if (along === "distance") return at >= 1000 ? `${number(at / 1000, 1)} km` : `${number(at, 0)} m`;
  if (along === "hour") return clock(new Date(Math.round(at) * 1000).toISOString(), 0);
  return at >= 3600 ? `${number(at / 3600, 1)} h` : `${number(at / 60, 0)} min`;
}

/** The lanes of both on one axis: the older dashed, the newer drawn through. */
function Lanes({ before, after, kind }: Omit<CompareProps, "comparison">) {
  const both = after.channels.filter((c) => before.channels.some((other) => other.key === c.key));
  const { shown: chosen } = usePicked(kind, both);
  const keys = (chosen.length ? chosen : both.map((c) => c.key)).slice(0, MOST_LANES);
  const hasDistance = both.some((c) => c.key === DISTANCE);
  // Where no distance was recorded it is the sum of the speed, as far as that is known.
  const bySpeed = !hasDistance && both.some((c) => c.key === SPEED && c.unit === "m/s");
  const [along, setAlong] = useState<Along>("start");
  const asked = [...new Set([...keys, ...(hasDistance ? [DISTANCE] : bySpeed ? [SPEED] : [])])].slice(0, 8);
  const views = useQueries({
    queries: [before, after].map(({ session }) => ({
      queryKey: ["view", session.id, "compared", asked],
      queryFn: () =>
        ask(
          api.GET("/api/sessions/{session_id}/view", {
            params: { path: { session_id: session.id }, query: { channel: asked, points: POINTS } },
          }),
        ),
      staleTime: Number.POSITIVE_INFINITY,
    })),
  });
  const [old, now] = views.map((each) => each.data);
  if (keys.length === 0) return null;
  if (!old || !now) return <p className="mt-3 text-soft">Drawing both …</p>;
  const of = (all: View[], key: string) => all.find((view) => view.key === key);
  const sides = [
    { all: old, review: before, look: "stroke-soft", dash: "4 3" },
    { all: now, review: after, look: "stroke-act", dash: undefined },
  ];
  const places = sides.map(({ all, review }) => {
    const first = of(all, keys[0] ?? "");
    return first ? placesOf(first, along, review, wayOf(all)).filter((at): at is number => at !== null) : [];
  });
  const ends = places.flat();
  const [low, high] = ends.length ? [Math.min(...ends), Math.max(...ends)] : [0, 1];
  const x = (at: number) => LEFT + ((at - low) / Math.max(high - low, 1e-9)) * (WIDE - LEFT);
  const height = keys.length * (LANE + GAP) + FOOT;
  return (
    <section aria-label="Both on one axis" className="mt-3 rounded-lg border border-line bg-panel p-3">
      <div className="mb-2 flex flex-wrap items-center gap-3">
        <h2>Both on one axis</h2>
        <span className="text-[13px] text-soft">
          dashed {shortDay(before)}, drawn through {shortDay(after)}
        </span>
        <span className="ml-auto">
          <Segmented
            label="Along"
            value={along}
            choices={hasDistance || bySpeed ? [...AXES, ["distance", "distance"]] : AXES}
            onChange={setAlong}
          />
        </span>
      </div>
      <div className="overflow-x-auto">
        <svg viewBox={`0 0 ${WIDE} ${height}`} className="block min-w-[520px]">
          <title>{`${keys.length} channels of both recordings, along ${along === "hour" ? "the time of day" : along === "start" ? "the time since the start" : "the distance"}`}</title>
          {keys.map((key, row) => {
            const channel = both.find((c) => c.key === key);
            const pairs = sides.flatMap((side) => {
              const view = of(side.all, key);
              return view ? [{ ...side, view }] : [];
            });
            const values = pairs.flatMap(({ view }) => view.mean.filter((v): v is number => v !== null));
            const [least, most] = values.length ? [Math.min(...values), Math.max(...values)] : [0, 1];
            const top = row * (LANE + GAP);
            const y = (value: number) =>
              top + LANE - 4 - ((value - least) / Math.max(most - least, 1e-9)) * (LANE - 10);
            return (
              <g key={key}>
                <rect x={LEFT} y={top} width={WIDE - LEFT} height={LANE} className="fill-transparent stroke-hair" />
                <text x={0} y={top + 16} className="fill-ink font-narrow font-semibold text-[12.5px]">
                  {channel ? nameOf(kind, channel) : key}
                </text>
                <text x={0} y={top + 31} className="fill-soft text-[11px]">
                  {unitWords(channel?.unit ?? "")}
                </text>
                <text x={LEFT - 4} y={top + 11} textAnchor="end" className="fill-soft font-narrow text-[10.5px]">
                  {number(most, 1)}
                </text>
                <text x={LEFT - 4} y={top + LANE - 3} textAnchor="end" className="fill-soft font-narrow text-[10.5px]">
                  {number(least, 1)}
                </text>
                {pairs.map(({ view, all, review, look, dash }) => (
                  <path
                    key={review.session.id}
                    d={lineOf(view, placesOf(view, along, review, wayOf(all)), x, y)}
                    className={`fill-transparent ${look}`}
                    strokeWidth={1.2}
                    strokeDasharray={dash}
                  />
                ))}
              </g>
            );
          })}
          {[0, 0.25, 0.5, 0.75, 1].map((share) => {
            const at = low + share * (high - low);
            return (
              <text
                key={share}
                x={x(at)}
                y={height - 5}
                textAnchor={share === 0 ? "start" : share === 1 ? "end" : "middle"}
                className="fill-soft font-narrow text-[11px]"
              >
                {axisWords(at, along)}
              </text>
            );
          })}
        </svg>
      </div>
    </section>
  );
}

/** Two recordings side by side, with nothing known about the kind. */
export default function PlainCompare({ before, after, comparison, kind }: CompareProps) {
  return (
    <>
      {comparison.changes.length > 0 && <Figures changes={comparison.changes} before={before} after={after} />}
      <Lanes before={before} after={after} kind={kind} />
    </>
  );
}

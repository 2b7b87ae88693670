import { useQueries } from "@tanstack/react-query";
import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { keptUnit, keptValue } from "@/api/readers";
import { Button } from "@/ui/basics";
import { clock, day, number, quantity, unitWords } from "@/ui/format";
import { useRested } from "@/ui/rested";
import { Segmented } from "@/ui/segmented";
import { useWidth } from "@/ui/width";
import type { Assessed, Kind } from "./assessed";
import { nameOf, usePicked } from "./useLanes";

const LEFT = 124;
const [LANE, STRIP, GAP, FOOT] = [84, 44, 10, 20];
const MOST_LANES = 6;
const LOW_STRIP = 24;
const POINTS = 700;
const DISTANCE = "distance";
const SPEED = "speed";
const REST_MS = 200;
const LEAST_SHARE = 1 / 2_000;

type Along = "hour" | "start" | "distance";
type Laid = "over" | "above";
type View = Schemas["View"];

const AXES: [Along, string][] = [
  ["hour", "time of day"],
  ["start", "since the start"],
];
const LAID: [Laid, string][] = [
  ["over", "over one another"],
  ["above", "above one another"],
];
/** How each is drawn: told apart by dashes as well as by colour. */
const LOOKS = [
  ["stroke-soft", "4 3"],
  ["stroke-act", undefined],
  ["stroke-action", "8 3"],
  ["stroke-within", "2 2"],
  ["stroke-ink", "10 3 2 3"],
  ["stroke-above", "1 3"],
] as const;

const shortDay = (r: Assessed) => day(r.session.started_at, r.session.utc_offset_min).replace(/ \d{4}$/, "");

/** Seconds after midnight on the wall, where it began. */
const wallS = ({ session }: Assessed) =>
  (((new Date(session.started_at).getTime() / 1000 + session.utc_offset_min * 60) % 86_400) + 86_400) % 86_400;

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
  const asKept = (key: string) => {
    const found = all.find((view) => view.key === key);
    const kept = (value: number | null) => (found && value !== null ? keptValue(value, keptUnit(found)) : value);
    return found && { ...found, mean: found.mean.map(kept) };
  };
  const [recorded, speed] = [asKept(DISTANCE), asKept(SPEED)];
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
  if (along === "distance") return at >= 1000 ? quantity(at / 1000, "km", 1) : quantity(at, "m");
  if (along === "hour") return clock(new Date(Math.round(at) * 1000).toISOString(), 0);
  return at >= 3600 ? `${number(at / 3600, 1)} h` : `${number(at / 60, 0)} min`;
}

/** What each is called: by its day, and by whose it is where they are of several people. */
export function namesOf(all: Assessed[]): string[] {
  const people = new Set(all.map((r) => r.session.person_id));
  return all.map((r) =>
    people.size > 1
      ? `${r.session.person || "unclaimed"}, ${shortDay(r)}`
      : `${shortDay(r)} ${clock(r.session.started_at, r.session.utc_offset_min)}`,
  );
}

/** What flickers by less than a tenth of its lowest limit is drawn as the quiet line that it is. */
function leastSpan(all: Assessed[], key: string): number {
  const levels = all.flatMap((r) => (r.reviewed.levels ?? []).filter((level) => level.lane === key));
  return levels.length ? Math.min(...levels.map((level) => Math.abs(level.value))) / 10 : 0;
}

/** Which part of the axis is seen; null is all of it. */
type Seen = [number, number] | null;

/** The span of a recording that is seen, in s after its start, with some room; everything along a distance, which is summed from the start. */
function askedOf(review: Assessed, seen: Seen, along: Along): { start_s: number; end_s: number } {
  const whole = { start_s: 0, end_s: review.session.length_s };
  if (seen === null || along === "distance") return whole;
  const from = along === "hour" ? wallS(review) : 0;
  const room = (seen[1] - seen[0]) / 2;
  const start = Math.min(Math.max(seen[0] - from - room, 0), Math.max(review.session.length_s - 1, 0));
  return { start_s: start, end_s: Math.max(Math.min(seen[1] - from + room, review.session.length_s), start + 1) };
}

/** Channels that all have, on one axis: time of day, since the start, or distance. Drag zooms, double-click and 0 show all, arrows move. */
export function OverLanes({ of, kind, title }: { of: Assessed[]; kind: Kind; title: string }) {
  const both = (of[0]?.channels ?? []).filter((c) => of.every((r) => r.channels.some((other) => other.key === c.key)));
  const { shown: chosen } = usePicked(kind, both);
  const keys = (chosen.length ? chosen : both.map((c) => c.key)).slice(0, MOST_LANES);
  const hasDistance = both.some((c) => c.key === DISTANCE);
  // Where no distance was recorded it is the sum of the speed, as far as that is known.
  const bySpeed = !hasDistance && both.some((c) => c.key === SPEED && keptUnit(c) === "m/s");
  const isCrew = new Set(of.map((r) => r.session.person_id)).size > 1;
  const [along, setAlong] = useState<Along>(isCrew ? "hour" : "start");
  const [laid, setLaid] = useState<Laid>(of.length > LOOKS.length ? "above" : "over");
  const [seen, setSeen] = useState<Seen>(null);
  const [drag, setDrag] = useState<[number, number] | null>(null);
  const { of: drawing, wide } = useWidth<SVGSVGElement>(760);
  const rested = useRested(seen, REST_MS);
  const asked = [...new Set([...keys, ...(hasDistance ? [DISTANCE] : bySpeed ? [SPEED] : [])])].slice(0, 8);
  const views = useQueries({
    queries: of.map((review) => {
      const span = askedOf(review, rested, along);
      return {
        queryKey: ["view", review.session.id, "compared", asked, span],
        queryFn: () =>
          ask(
            api.GET("/api/sessions/{session_id}/view", {
              params: { path: { session_id: review.session.id }, query: { channel: asked, points: POINTS, ...span } },
            }),
          ),
        staleTime: Number.POSITIVE_INFINITY,
      };
    }),
  });
  // What was drawn last stays, and keeps the focus, until a closer look has come.
  const drawn = useRef<View[][] | null>(null);
  const come = views.flatMap((each) => (each.data ? [each.data] : []));
  if (come.length === of.length) drawn.current = come;
  const all = drawn.current;
  if (keys.length === 0) return null;
  if (all === null || all.length !== of.length) return <p className="mt-3 text-soft">Drawing them …</p>;
  const find = (views: View[], key: string) => views.find((view) => view.key === key);
  const names = namesOf(of);
  const sides = of.map((review, i) => ({
    review,
    views: all[i] ?? [],
    name: names[i] ?? "",
    look: LOOKS[i % LOOKS.length] ?? LOOKS[0],
  }));
  const ends = sides.flatMap(({ review, views }) => {
    if (along !== "distance") {
      const from = along === "hour" ? wallS(review) : 0;
      return [from, from + review.session.length_s];
    }
    return (wayOf(views)?.mean ?? []).filter((at): at is number => at !== null);
  });
  const whole: [number, number] = ends.length ? [Math.min(...ends), Math.max(...ends)] : [0, 1];
  const [low, high] = seen ?? whole;
  const x = (at: number) => LEFT + ((at - low) / Math.max(high - low, 1e-9)) * (wide - LEFT);
  const at = (event: PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect();
    return low + (Math.max(event.clientX - box.left - LEFT, 0) / (wide - LEFT)) * (high - low);
  };
  const show = (from: number, to: number) => {
    const least = (whole[1] - whole[0]) * LEAST_SHARE;
    const length = Math.min(Math.max(to - from, least), whole[1] - whole[0]);
    const start = Math.min(Math.max(from, whole[0]), whole[1] - length);
    setSeen(length >= (whole[1] - whole[0]) * 0.999 ? null : [start, start + length]);
  };
  const onKey = (event: KeyboardEvent) => {
    const [span, middle] = [high - low, (low + high) / 2];
    if (event.key === "ArrowLeft") show(low - span / 4, high - span / 4);
    else if (event.key === "ArrowRight") show(low + span / 4, high + span / 4);
    else if (event.key === "+") show(middle - span / 4, middle + span / 4);
    else if (event.key === "-") show(middle - span, middle + span);
    else if (event.key === "0") setSeen(null);
    else return;
    event.preventDefault();
  };
  const strips = laid === "above" ? sides.length : 1;
  const tall = laid === "above" ? strips * (strips > LOOKS.length ? LOW_STRIP : STRIP) : LANE;
  const height = keys.length * (tall + GAP) + FOOT;
  const inWords =
    along === "hour" ? "the time of day" : along === "start" ? "the time since the start" : "the distance";
  return (
    <section aria-label={title} className="mt-3 rounded-lg border border-line bg-panel p-3">
      <div className="mb-1.5 flex flex-wrap items-center gap-x-3 gap-y-1.5">
        <h2>{title}</h2>
        {seen && (
          <Button look="quiet" size="small" onClick={() => setSeen(null)}>
            Show all
          </Button>
        )}
        <span className="ml-auto flex flex-wrap gap-2">
          <Segmented label="Lanes" value={laid} choices={LAID} onChange={setLaid} />
          <Segmented
            label="Along"
            value={along}
            choices={hasDistance || bySpeed ? [...AXES, ["distance", "distance"]] : AXES}
            onChange={(next) => {
              setSeen(null);
              setAlong(next);
            }}
          />
        </span>
      </div>
      <ul aria-label="Drawn as" className="mb-1.5 flex flex-wrap gap-x-4 text-[13px] text-soft">
        {sides.map(({ review, name, look: [colour, dash] }) => (
          <li key={review.session.id} className="flex items-center gap-1.5">
            <svg width={30} height={8} aria-hidden="true">
              <line x1={0} x2={30} y1={4} y2={4} className={colour} strokeWidth={2} strokeDasharray={dash} />
            </svg>
            {name}
          </li>
        ))}
      </ul>
      <svg
        ref={drawing}
        viewBox={`0 0 ${wide} ${height}`}
        height={height}
        className="block w-full touch-pan-y select-none"
        role="application"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: it is zoomed and moved by keys
        tabIndex={0}
        aria-label={`${keys.length} channels of ${of.length} recordings, along ${inWords}; drag or + zooms, 0 shows all`}
        onKeyDown={onKey}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          setDrag([at(event), at(event)]);
        }}
        onPointerMove={(event) => drag && setDrag([drag[0], at(event)])}
        onPointerUp={() => {
          if (drag && Math.abs(x(drag[1]) - x(drag[0])) > 5) show(Math.min(...drag), Math.max(...drag));
          setDrag(null);
        }}
        onPointerCancel={() => setDrag(null)}
        onDoubleClick={() => setSeen(null)}
      >
        <clipPath id="lanes">
          <rect x={LEFT} y={0} width={wide - LEFT} height={height} />
        </clipPath>
        {keys.map((key, row) => {
          const channel = both.find((c) => c.key === key);
          const pairs = sides.flatMap((side) => {
            const view = find(side.views, key);
            return view ? [{ ...side, view, places: placesOf(view, along, side.review, wayOf(side.views)) }] : [];
          });
          const values = pairs.flatMap(({ view, places }) =>
            view.mean.filter((v, i): v is number => {
              const place = places[i];
              return v !== null && place != null && place >= low && place <= high;
            }),
          );
          const [least, highest] = values.length ? [Math.min(...values), Math.max(...values)] : [0, 1];
          const most = Math.max(highest, least + leastSpan(of, key));
          const top = row * (tall + GAP);
          const strip = tall / strips;
          const y = (value: number, n: number) =>
            top + (n + 1) * strip - 4 - ((value - least) / Math.max(most - least, 1e-9)) * (strip - 8);
          return (
            <g key={key}>
              <rect x={LEFT} y={top} width={wide - LEFT} height={tall} className="fill-transparent stroke-hair" />
              {Array.from({ length: strips - 1 }, (_, n) => (
                <line
                  // biome-ignore lint/suspicious/noArrayIndexKey: a strip is known by its place alone
                  key={n}
                  x1={LEFT}
                  x2={wide}
                  y1={top + (n + 1) * strip}
                  y2={top + (n + 1) * strip}
                  className="stroke-hair"
                />
              ))}
              <text x={0} y={top + 16} className="fill-ink font-narrow font-semibold text-[12.5px]">
                {channel ? nameOf(kind, channel) : key}
              </text>
              <text x={0} y={top + 31} className="fill-soft text-[11.5px]">
                {unitWords(channel?.unit ?? "")}
              </text>
              <text x={LEFT - 4} y={top + 11} textAnchor="end" className="fill-soft font-narrow text-[11px]">
                {number(most, 1)}
              </text>
              <text x={LEFT - 4} y={top + strip - 3} textAnchor="end" className="fill-soft font-narrow text-[11px]">
                {number(least, 1)}
              </text>
              <g clipPath="url(#lanes)">
                {pairs.map(({ view, places, review, look: [colour, dash] }, n) => (
                  <path
                    key={review.session.id}
                    d={lineOf(view, places, x, (value) => y(value, laid === "above" ? n : 0))}
                    className={`fill-transparent ${colour}`}
                    strokeWidth={1.3}
                    strokeDasharray={laid === "above" ? undefined : dash}
                  />
                ))}
              </g>
              {laid === "above" &&
                pairs.map(({ review, name }, n) => (
                  <text
                    key={review.session.id}
                    x={LEFT + 5}
                    y={top + n * strip + 12}
                    className="fill-soft font-narrow text-[11.5px]"
                  >
                    {name}
                  </text>
                ))}
            </g>
          );
        })}
        {drag && (
          <rect
            x={Math.min(x(drag[0]), x(drag[1]))}
            y={0}
            width={Math.abs(x(drag[1]) - x(drag[0]))}
            height={height - FOOT}
            className="fill-act"
            opacity={0.14}
          />
        )}
        {[0, 0.25, 0.5, 0.75, 1].map((share) => {
          const place = low + share * (high - low);
          return (
            <text
              key={share}
              x={x(place)}
              y={height - 5}
              textAnchor={share === 0 ? "start" : share === 1 ? "end" : "middle"}
              className="fill-soft font-narrow text-[11.5px]"
            >
              {axisWords(place, along)}
            </text>
          );
        })}
      </svg>
    </section>
  );
}

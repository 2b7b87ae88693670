import { useQuery } from "@tanstack/react-query";
import { type PointerEvent, useRef } from "react";
import { api, ask } from "@/api/client";
import { Boxed } from "@/setup/Boxed";
import type { SetupEditorProps } from "@/setup/editor";
import { percent } from "@/ui/format";
import { Segmented } from "@/ui/segmented";
import { type By, bpmOf, edgeFrom, type Rates, shareAbove } from "./zones";

const NAMES = ["easy", "steady", "brisk", "hard", "flat out"];
const LOW_BPM = 40;
const CHOICES = [
  ["highest", "% of highest"],
  ["reserve", "% of reserve"],
  ["typed", "typed"],
] as const;

/** Heart-rate zones on the wearer's own span; an edge is dragged, typed or moved with the arrow keys by a beat. */
export default function ZonesEditor({ settings, fields, draft, person, put }: SetupEditorProps) {
  const bar = useRef<HTMLDivElement>(null);
  const spread = useQuery({
    queryKey: ["people", "spread", person.id, "heart_rate"],
    queryFn: () =>
      ask(
        api.GET("/api/people/{person_id}/spread", {
          params: { path: { person_id: person.id }, query: { channel: "heart_rate" } },
        }),
      ),
  }).data;
  const field = (path: string) => fields.find((f) => f.path === path);
  const zones = settings.zones as { by: By; edges: number[] };
  const values = draft.plan.values;
  const rates: Rates = { highest: values.highest, resting: values.resting };
  const top = Math.max(rates.highest ?? 190, ...(zones.by === "typed" ? zones.edges : []));
  const low = Math.min(LOW_BPM, rates.resting ?? LOW_BPM);
  const share = (bpm: number) => `${(100 * (bpm - low)) / (top - low)}%`;
  const edges = zones.edges.map((edge) => bpmOf(edge, zones.by, rates));
  const known = edges.every((bpm) => bpm !== undefined) ? (edges as number[]) : null;
  const onIt = {
    by: (field("zones.by")?.value_on_recorder ?? zones.by) as By,
    edges: (field("zones.edges")?.value_on_recorder ?? zones.edges) as number[],
    rates: {
      highest: (field("heart_rate_highest")?.value_on_recorder as number | null | undefined) ?? rates.highest,
      resting: (field("heart_rate_resting")?.value_on_recorder as number | null | undefined) ?? rates.resting,
    },
  };
  const differs = fields.some((f) => f.differs);
  const move = (i: number, bpm: number) => {
    const beside = [known?.[i - 1] ?? low, known?.[i + 1] ?? top];
    const held = Math.min(
      Math.max(Math.round(bpm), Math.ceil((beside[0] ?? low) + 1)),
      Math.floor((beside[1] ?? top) - 1),
    );
    const edge = edgeFrom(held, zones.by, rates);
    if (edge === undefined || edge === zones.edges[i]) return;
    put(
      "zones.edges",
      zones.edges.map((old, j) => (j === i ? edge : old)),
    );
  };
  const drag = (i: number) => (event: PointerEvent<HTMLElement>) => {
    if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
    const place = bar.current?.getBoundingClientRect();
    if (place?.width) move(i, low + ((event.clientX - place.left) / place.width) * (top - low));
  };
  /** What the zones would have meant for the last sessions. */
  const history = () => {
    if (!spread || !known) return "";
    const now = shareAbove(spread, known.at(-1));
    const before = differs ? shareAbove(spread, bpmOf(onIt.edges.at(-1) ?? 0, onIt.by, onIt.rates)) : null;
    if (now === null) return "";
    const times = spread.sessions === 1 ? "Last session" : `Last ${spread.sessions} sessions`;
    const asItIs = before !== null && before !== now ? `; as on the recorder ${percent(before)}` : "";
    return `${times}: ${percent(now)} of the time in zone ${known.length}${asItIs}.`;
  };
  /** The zones stay where they are when the way they are given changes. */
  const give = (by: By) => {
    const kept = known?.map((bpm) => edgeFrom(bpm, by, rates));
    const whole = kept?.every((edge) => edge !== undefined) ? kept : zones.edges;
    put("zones", { by, edges: whole });
  };
  const first = person.name.split(" ")[0];
  const highest = field("heart_rate_highest");
  const resting = field("heart_rate_resting");
  const name = (i: number) => `${i + 1} ${NAMES[i + NAMES.length - zones.edges.length] ?? ""}`.trim();
  return (
    <div className="border-hair border-t px-4 py-3">
      <div className="flex flex-wrap items-start gap-x-4">
        <b className="mr-auto pt-1 font-medium">Heart-rate zones</b>
        <Segmented label="Zones are given by" value={zones.by} choices={CHOICES} onChange={give} />
      </div>
      <div className="flex flex-wrap items-start gap-x-4 pt-1">
        {highest && <Boxed before="highest" after="/min" field={highest} onChange={(v) => put(highest.path, v)} />}
        {resting && <Boxed before="resting" after="/min" field={resting} onChange={(v) => put(resting.path, v)} />}
        {values.estimated === 1 && rates.highest !== undefined && (
          <span className="pt-1.5 text-[12.5px] text-soft">
            highest not measured: by age {Math.round(rates.highest)} (208 less 0.7 a year, Tanaka 2001)
          </span>
        )}
      </div>
      {known ? (
        <>
          <div className="relative mt-5 h-9 touch-none rounded bg-hair" ref={bar}>
            {known.map((from, i) => {
              const to = known[i + 1] ?? top;
              return (
                <span
                  // biome-ignore lint/suspicious/noArrayIndexKey: a zone is its number
                  key={i}
                  className="absolute inset-y-0 grid place-items-center font-narrow font-semibold"
                  style={{
                    left: share(from),
                    width: `calc(${share(to)} - ${share(from)})`,
                    background: `color-mix(in srgb, var(--lane-1) ${18 + 70 * ((i + 1) / known.length)}%, var(--panel))`,
                    color: i + 1 > known.length * 0.6 ? "var(--panel)" : "var(--ink)",
                  }}
                >
                  {i + 1}
                </span>
              );
            })}
            {known.map((bpm, i) => (
              <span
                // biome-ignore lint/suspicious/noArrayIndexKey: an edge is its number
                key={i}
                role="slider"
                tabIndex={0}
                aria-label={`zone ${i + 1} begins`}
                aria-valuemin={low}
                aria-valuemax={Math.round(top)}
                aria-valuenow={Math.round(bpm)}
                aria-valuetext={`${Math.round(bpm)} beats a minute`}
                className="-top-5 -translate-x-1/2 absolute grid h-[60px] w-7 cursor-ew-resize touch-none justify-items-center"
                style={{ left: share(bpm) }}
                onPointerDown={(e) => {
                  e.currentTarget.setPointerCapture(e.pointerId);
                  e.currentTarget.focus();
                  e.preventDefault();
                }}
                onPointerMove={drag(i)}
                onKeyDown={(e) => {
                  const by = { ArrowLeft: -1, ArrowRight: 1, PageDown: -5, PageUp: 5 }[e.key];
                  if (by === undefined) return;
                  e.preventDefault();
                  move(i, Math.round(bpm) + by);
                }}
              >
                <b className="font-narrow font-semibold text-[13px]">{Math.round(bpm)}</b>
                <i className="h-[26px] w-[9px] rounded-[3px] border border-panel bg-act" />
              </span>
            ))}
          </div>
          <div className="relative h-[18px] font-medium font-narrow text-[12px] text-action">
            {differs &&
              onIt.edges.map((edge, i) => {
                const bpm = bpmOf(edge, onIt.by, onIt.rates);
                return bpm === undefined || bpm < low || bpm > top ? null : (
                  // biome-ignore lint/suspicious/noArrayIndexKey: an edge is its number
                  <span key={i} className="-translate-x-1/2 absolute" style={{ left: share(bpm) }}>
                    ▲ {Math.round(bpm)}
                  </span>
                );
              })}
          </div>
          <p className="text-[12.5px] text-soft">
            {known
              .map(
                (from, i) =>
                  `${name(i)} ${Math.round(from)} to ${Math.round(known[i + 1] ?? top) - (i + 1 < known.length ? 1 : 0)}`,
              )
              .join(", ")}
            .{differs && " ▲ on the recorder."} {history()}
          </p>
        </>
      ) : (
        <p className="pt-2 text-action">
          {rates.highest === undefined
            ? `${first}'s highest heart rate is not known, nor the date of birth it could be estimated from.`
            : `${first}'s resting heart rate is not known; percent of the reserve needs it.`}
        </p>
      )}
    </div>
  );
}

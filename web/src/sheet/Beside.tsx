import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { Lanes } from "@/charts/Lanes";
import { Button, Verdict } from "@/ui/basics";
import { moment, number, offsetChanges, wallAxis, wallClock } from "@/ui/format";
import { type Assessed, figureOf, isAssessed, type Kind } from "./assessed";
import { stated, unitOf } from "./KeyFigures";
import { useLanes } from "./useLanes";

const LISTED = 60;

/** Which other session is shown beneath: those of the same person first. */
export function PickOther({
  review,
  chosen,
  onPick,
}: {
  review: Assessed;
  chosen: number | null;
  onPick: (id: number | null) => void;
}) {
  const { session } = review;
  const [asked, setAsked] = useState(false);
  const found = useQuery({
    queryKey: ["sessions", "beside", session.kind],
    queryFn: () => ask(api.GET("/api/sessions", { params: { query: { kind: session.kind, limit: LISTED } } })),
    enabled: asked,
  });
  const others = (found.data?.sessions ?? []).filter((s) => s.id !== session.id && s.figures === "assessed");
  const own = others.filter((s) => s.person_id !== null && s.person_id === session.person_id);
  const rest = others.filter((s) => !own.includes(s));
  const option = (s: Schemas["Session"]) => (
    <option key={s.id} value={s.id}>
      {s.person || "unclaimed"}, {moment(s.started_at, s.utc_offset_min)}
    </option>
  );
  return (
    <select
      aria-label="Beside another session"
      className="min-h-[26px] max-w-48 rounded border border-line bg-panel px-1 text-[12.5px] text-act"
      value={chosen ?? ""}
      onFocus={() => setAsked(true)}
      onPointerDown={() => setAsked(true)}
      onChange={(e) => onPick(e.target.value ? Number(e.target.value) : null)}
    >
      <option value="">{chosen ? "this session alone" : "beside another …"}</option>
      {own.length > 0 && <optgroup label={session.person}>{own.map(option)}</optgroup>}
      {rest.length > 0 && <optgroup label={own.length > 0 ? "others" : "sessions"}>{rest.map(option)}</optgroup>}
    </select>
  );
}

/** What both sessions share: the channels in view and the span, which moves for both. */
interface Shared {
  kind: Kind;
  shown: string[];
  span: [number, number];
  whole: [number, number];
  onSpan: (span: [number, number]) => void;
}

/** Another session on the same clock after its start, with the key figures of both and what lies between them. */
export function Beside({
  id,
  review,
  onClose,
  ...shared
}: Shared & { id: number; review: Assessed; onClose: () => void }) {
  const other = useQuery({
    queryKey: ["review", id, null],
    queryFn: () =>
      ask(api.GET("/api/sessions/{session_id}/review", { params: { path: { session_id: id }, query: {} } })),
  }).data;
  if (!other || !isAssessed(other)) return null;
  return (
    <section
      aria-label="Another session"
      className="mt-2.5 rounded-lg border border-line border-dashed bg-panel px-3 py-2"
    >
      <div className="flex items-baseline gap-x-3 text-[13px]">
        <b className="font-narrow font-semibold">{other.session.person || "Unclaimed session"}</b>
        <span className="text-soft">{moment(other.session.started_at, other.session.utc_offset_min)}</span>
        <Verdict verdict={other.reviewed.verdict} words={other.reviewed.words} />
        <Button look="quiet" size="small" className="ml-auto" onClick={onClose}>
          close
        </Button>
      </div>
      <Differences review={review} other={other} />
      <OtherLanes other={other} {...shared} />
    </section>
  );
}

function Differences({ review, other }: { review: Assessed; other: Assessed }) {
  return (
    <table className="mt-1 w-full text-[13px]">
      <thead className="text-left font-narrow text-[12.5px] text-soft">
        <tr>
          <th className="py-0.5 font-medium">Figure</th>
          <th className="text-right font-medium">the one above</th>
          <th className="text-right font-medium">this one</th>
          <th className="text-right font-medium">difference</th>
          <th className="pl-1.5 font-medium">Unit</th>
        </tr>
      </thead>
      <tbody>
        {review.reviewed.key_figures.slice(0, 4).map((key) => {
          const [a, b] = [figureOf(review.reviewed, key), figureOf(other.reviewed, key)];
          if (!a) return null;
          const by = a.value !== null && b && b.value !== null ? b.value - a.value : null;
          return (
            <tr key={key} className="border-hair border-t">
              <td className="py-0.5">{a.name}</td>
              <td className="text-right font-narrow font-semibold">{stated(a)}</td>
              <td className="text-right font-narrow font-semibold">{stated(b)}</td>
              <td className="text-right">{by === null ? "–" : `${by > 0 ? "+" : ""}${number(by, a.decimals)}`}</td>
              <td className="pl-1.5 text-soft">{unitOf(a)}</td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function OtherLanes({ other, kind, shown, span, whole, onSpan }: Shared & { other: Assessed }) {
  const lanes = useLanes(other, kind, shown, other.reviewed.levels, span);
  const changes = useMemo(() => offsetChanges(other.events), [other.events]);
  const clock = useMemo(() => wallClock(other.session, changes), [other.session, changes]);
  const axis = useMemo(() => wallAxis(other.session, changes), [other.session, changes]);
  return (
    <div className="pt-1.5">
      <Lanes
        rows={[]}
        lanes={lanes}
        bands={[]}
        span={span}
        whole={whole}
        clock={clock}
        axis={axis}
        chosen={null}
        onSpan={onSpan}
        onSelect={() => {}}
        onCursor={() => {}}
        onMark={() => {}}
        label="Channels of the other session, from its own start on; it zooms and moves with the one above."
      />
    </div>
  );
}

import { useQuery } from "@tanstack/react-query";
import { useCallback, useMemo, useState } from "react";
import { createPortal } from "react-dom";
import type { Schemas } from "@/api/client";
import type { ReviewSheetProps } from "@/sheet/contract";
import PlainSheet from "@/sheet/PlainSheet";
import { Loading, Trouble } from "@/ui/basics";
import { Segmented } from "@/ui/segmented";
import { readAsked } from "./asked";
import { BinsView } from "./BinsView";
import { Compare, shortName } from "./Compare";
import { LapFigures } from "./LapFigures";
import { LapPictures } from "./LapPictures";
import { LapTable } from "./LapTable";
import { LossList, spanOf } from "./LossList";
import { alsoKey, type LapRow, type LapSheet, lapsOf, MOST_ALSO, type Span } from "./laps";
import { SideBySide } from "./SideBySide";
import { readWords, useLook } from "./useLook";

const ROOM_M = 40;
const USUAL_QUANTITY = "mixture";
const LONGEST_NAME = 18;
const panel = "rounded-lg border border-line bg-panel";
const VIEWS = [
  ["laps", "Laps"],
  ["compare", "Compare"],
  ["tables", "Tables"],
  ["channels", "Channels"],
] as const;

/** A driver's session: where the time is (laps, course, two laps over each other), and everything the logger has (channels). */
export default function VehicleSheet(props: ReviewSheetProps) {
  const [view, setView] = useState<(typeof VIEWS)[number][0]>("laps");
  // A place that a table pointed to: the laps open there.
  const [mark, setMark] = useState<Span | null>(null);
  const { channels, session } = props.review;
  const table = useLook(session.tags.vehicle ?? "", "table", readAsked);
  // The table is called by what the vehicle's first one asks.
  const asks = table.value?.quantity ?? table.profile?.table.quantity ?? USUAL_QUANTITY;
  const called = asks === USUAL_QUANTITY ? "Mixture" : (channels.find((c) => c.key === asks)?.name ?? "");
  const known = channels.some((c) => c.key === asks) && called.length <= LONGEST_NAME;
  const choices = VIEWS.map(([key, words]) => [key, key !== "tables" ? words : known ? called : "Tables"] as const);
  const choice = (
    <Segmented
      label="What is shown"
      value={view}
      choices={choices}
      onChange={(next) => {
        setMark(null);
        setView(next);
      }}
    />
  );
  return (
    <>
      {props.bar && createPortal(choice, props.bar)}
      {view === "laps" && <Laps {...props} mark={mark} />}
      {view === "compare" && (
        <Compare {...props} laps={(beside) => <Laps key={beside.id} {...props} beside={beside} />} />
      )}
      {view === "tables" && (
        <Tables
          {...props}
          onPlace={(place) => {
            setMark(place);
            setView("laps");
          }}
        />
      )}
      {view === "channels" && <PlainSheet {...props} />}
    </>
  );
}

/** The target of the mixture from the limits: below its lean limit, above its rich one. */
function targetOf(limitSet: ReviewSheetProps["limitSet"]): readonly [number, number] | null {
  const rules = (limitSet?.data.rules ?? []) as { figure: string; steps: { value: number }[] }[];
  const first = (figure: string) => rules.find((r) => r.figure === figure)?.steps[0]?.value;
  const [low, high] = [first("min.mixture"), first("max.mixture")];
  return low === undefined || high === undefined ? null : [low, high];
}

function Tables({ review, limitSet, onPlace }: ReviewSheetProps & { onPlace: (place: Span) => void }) {
  const { session } = review;
  const laps = useQuery(lapsOf(session.id, review.version, null, null));
  const table = useLook(session.tags.vehicle ?? "", "table", readAsked);
  if (laps.isPending || !table.ready) return <Loading what="the table" />;
  const recorded = review.channels.map(({ key, name }) => ({ key, name }));
  const computed = Object.entries(laps.data?.offered ?? {})
    .filter(([key]) => !recorded.some((each) => each.key === key))
    .map(([key, name]) => ({ key, name }));
  return (
    <BinsView
      session={session.id}
      version={review.version}
      channels={[...recorded, ...computed]}
      kept={table.value ?? table.profile?.table ?? null}
      keptFor={session.tags.vehicle || "such sessions"}
      onKept={table.put}
      target={targetOf(limitSet)}
      laps={laps.data?.laps ?? []}
      onPlace={({ from_m: from, to_m: to }) => from !== null && to !== null && onPlace([from, to])}
    />
  );
}

function Laps({
  review,
  kind,
  locked,
  actions,
  supposed,
  onWhy,
  beside,
  mark = null,
}: ReviewSheetProps & { beside?: Schemas["OtherSession"]; mark?: Span | null }) {
  const { session } = review;
  const [lap, setLap] = useState<number | null>(null);
  const [reference, setReference] = useState<number | null>(null);
  const [also, setAlso] = useState<string[]>([]);
  const [at, setAt] = useState<number | null>(null);
  const [zoom, setZoom] = useState<Span | null>(mark && [Math.max(mark[0] - ROOM_M, 0), mark[1] + ROOM_M]);
  const [chosen, setChosen] = useState<Span | null>(mark);
  const [leaving, setLeaving] = useState<LapRow | null>(null);
  const [lastReason, setLastReason] = useState("");
  // Which channels stand beside speed and pedals is remembered for the vehicle.
  const [offered, setOffered] = useState<LapSheet["offered"] | null>(null);
  const picked = useLook(session.tags.vehicle ?? "", "lanes", readWords);
  const further = {
    shown: (picked.value ?? [...(picked.profile?.lanes ?? [])]).filter((key) => offered === null || key in offered),
    changed: picked.value !== null,
    pick: picked.put,
  };
  const laps = useQuery({
    ...lapsOf(session.id, review.version, lap, reference, beside?.id ?? null, further.shown, also),
    enabled: picked.ready,
  });
  const whose = beside ? shortName(beside, session.person) : "";
  const sheet = laps.data;
  if (sheet && Object.keys(sheet.offered).join() !== Object.keys(offered ?? {}).join()) setOffered(sheet.offered);
  const course = sheet?.course ?? null;
  const whole = useMemo<Span>(() => [0, course?.length_m ?? 1], [course]);
  const choose = useCallback(
    (span: Span | null) => {
      setChosen(span);
      setZoom(span && [Math.max(span[0] - ROOM_M, 0), Math.min(span[1] + ROOM_M, whole[1])]);
    },
    [whole],
  );
  const corner = useCallback(
    (number: number) => {
      const loss = sheet?.lost?.rows.find((r) => r.stretch.corner === number);
      const found = course?.corners.find((c) => c.number === number);
      if (loss) choose(spanOf(loss));
      else if (found) choose([found.begin_m, found.apex_m]);
    },
    [sheet, course, choose],
  );
  if (laps.isError && (!sheet || beside))
    return beside ? (
      <Trouble error={laps.error} />
    ) : (
      <>
        <LapFigures review={review} supposed={supposed.supposed} sheet={undefined} onWhy={onWhy} />
        <Trouble error={laps.error} again={() => laps.refetch()} />
      </>
    );
  if (!sheet) return <Loading what="the laps" />;
  const why = new Map(review.decisions.flatMap((d) => (d.what === "dropped" ? [[d.key, d.reason] as const] : [])));
  const reasons = [...new Set([lastReason, ...(kind.events.find((e) => e.code === "lap")?.reasons ?? [])])].filter(
    Boolean,
  );
  const leaveOut = (row: LapRow) => {
    // What was decided counts, not the row: its laps may still be on their way.
    const decision = review.decisions.find((d) => d.what === "dropped" && d.key === row.key);
    if (decision) actions.takeBack([decision.id]);
    else if (row.counts || laps.isPlaceholderData) setLeaving(row);
    else actions.keep(row.key, row.time_s);
  };
  const over = (key: string) =>
    setAlso((all) => (all.includes(key) ? all.filter((each) => each !== key) : [...all, key].slice(-MOST_ALSO)));
  const drawn = course !== null && sheet.lanes.length > 0;
  return (
    <>
      {beside ? (
        <SideBySide
          sheet={sheet}
          mine={session.person || "this session"}
          whose={whose}
          onReference={(number) => setReference(number)}
        />
      ) : (
        <LapFigures review={review} supposed={supposed.supposed} sheet={sheet} onWhy={onWhy} />
      )}
      {sheet.why_not && sheet.lanes.length === 0 && (
        <p className={`${panel} mt-2.5 px-3 py-2 text-[13.5px]`}>
          {sheet.why_not.charAt(0).toUpperCase() + sheet.why_not.slice(1)}.
        </p>
      )}
      <div className="mt-2 grid grid-cols-1 gap-2.5 min-[1000px]:grid-cols-[232px_minmax(0,1fr)] min-[1180px]:grid-cols-[264px_minmax(0,1fr)]">
        {course && (
          <LapPictures
            sheet={sheet}
            course={course}
            session={session}
            version={review.version}
            whose={whose}
            drawn={drawn}
            span={zoom ? [zoom[0], Math.min(zoom[1], whole[1])] : whole}
            zoomed={zoom !== null}
            chosen={chosen}
            lanes={further}
            also={also}
            onAlso={setAlso}
            nameOf={(key, name) => kind.channels.find((c) => c.key === key)?.name ?? name}
            onCorner={corner}
            onSpan={(span) => (span ? setZoom(span) : choose(null))}
          />
        )}
        {course && (
          <section aria-label="Time lost" className={`${panel} min-w-0 overflow-hidden`}>
            <LossList sheet={sheet} whose={whose} chosen={chosen} onChoose={choose} />
          </section>
        )}
        <section aria-label="Laps" className={`${panel} min-w-0 overflow-hidden ${course ? "" : "col-span-full"}`}>
          <LapTable
            sheet={sheet}
            whose={whose}
            at={at}
            reasons={why}
            locked={locked}
            onMove={setAt}
            onReference={(row) => setReference(row.number)}
            onCompare={(row) => setLap(row.number)}
            onOver={(row) => over(alsoKey(null, row.number))}
            onLeaveOut={leaveOut}
            leaving={leaving?.key ?? null}
            offered={reasons}
            onStay={() => setLeaving(null)}
            onWhy={(lap, reason) => {
              setLastReason(reason);
              actions.drop(lap.key, lap.time_s, reason);
              setLeaving(null);
            }}
          />
        </section>
      </div>
    </>
  );
}

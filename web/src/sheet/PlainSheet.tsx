import { type ReactNode, useCallback, useEffect, useMemo, useRef, useState } from "react";
import { type Lane, type LaneBand, Lanes, type MarkRow } from "@/charts/Lanes";
import { bandOver, edgeOver, laneOver, rowOver, type Scale } from "@/charts/scale";
import { Button } from "@/ui/basics";
import { decimalsOf, number, offsetChanges, wallAxis, wallClock, wallMoment } from "@/ui/format";
import { type Key, useKeys } from "@/ui/keys";
import { stretchesOf } from "./assessed";
import { Beside, PickOther } from "./Beside";
import type { ReviewSheetProps } from "./contract";
import { DataTable } from "./DataTable";
import { EventList } from "./EventList";
import { type Happening, happeningsOf } from "./events";
import { FiguresTable } from "./FiguresTable";
import { KeyFigures } from "./KeyFigures";
import { MarkStretch } from "./MarkStretch";
import { PickLanes } from "./PickLanes";
import { useEdges } from "./useEdges";
import { nameOf, useLanes, usePicked } from "./useLanes";

const panel = "mt-2.5 rounded-lg border border-line bg-panel px-3 py-2";
const MOST_ROWS = 6;

const exact = (value: number) => number(value, Math.abs(value) < 20 ? 2 : 1);

/** The value of a lane at a moment, with its unit; of readings the nearest, both ends where it has two. */
function valueAt(lane: ReturnType<typeof useLanes>[number], atS: number): string {
  if (lane.bins) {
    const value = lane.bins.mean[Math.floor((atS - lane.bins.startS) / lane.bins.binS)] ?? null;
    if (value !== null && lane.words) return `${lane.words(value)} ${lane.unit}`;
    return value === null ? "–" : `${exact(value)} ${lane.unit}`;
  }
  const [first, ...rest] = lane.points ?? [];
  if (!first) return "–";
  const nearest = rest.reduce((best, p) => (Math.abs(p.atS - atS) < Math.abs(best.atS - atS) ? p : best), first);
  const words = [nearest.value, nearest.low].filter((v) => v !== undefined).map((v) => number(v, decimalsOf(v)));
  return `${words.join("/")} ${lane.unit}`;
}

/** What a kind may draw in its own way on this sheet; everything else stays plain. */
export interface OwnParts {
  /** The channels that may be picked, and those that are read with the picked ones. */
  pickable: (channels: ReviewSheetProps["review"]["channels"]) => ReviewSheetProps["review"]["channels"];
  asked: (picked: string[]) => string[];
  /** Lanes made of those that were read. */
  lanes: (read: Lane[], picked: string[]) => Lane[];
  heading: string;
  /** What is picked from: "sensors". */
  noun: string;
  /** In place of the key figures. */
  head?: ReactNode;
  /** Left of the lanes, about a third of the width. */
  left?: ReactNode;
  /** The moment under the pointer. */
  onCursor?: (atS: number | null) => void;
  /** What lanes are drawn over in place of the time, and where that is chosen. */
  scale?: Scale | undefined;
  switches?: ReactNode;
  /** Under the lanes, over the whole width. */
  below?: ReactNode;
  /** A moment that is looked at: an event that was chosen, a time in a table, a click on the lanes. */
  onMoment?: (atS: number) => void;
  /** Events that have a place of their own: they are not in the list, and not walked through. */
  elsewhere?: (code: string) => boolean;
  /** Above the list of events. */
  besides?: ReactNode;
  /** The span that is shown; another one moves the picture. */
  at?: { span: [number, number] } | undefined;
  /** How it is drawn, in words beneath it. */
  legend: string;
  /** Tables that the tab stands in place of. */
  replaces: string[];
  /** Stands before the figures, as the tab that is open first. */
  tab: { key: string; words: string; body: ReactNode };
}

/** What a kind without a sheet of its own gets: figures, everything on one clock, tables, events. */
export default function PlainSheet({
  review,
  kind,
  locked,
  actions,
  supposed,
  tried,
  onWhy,
  own,
}: ReviewSheetProps & { own?: OwnParts }) {
  const { session, reviewed } = review;
  const whole = useMemo<[number, number]>(() => [0, Math.max(session.length_s, 1)], [session.length_s]);
  const [span, setSpan] = useState(own?.at?.span ?? whole);
  const at = own?.at;
  useEffect(() => {
    if (at) setSpan(at.span);
  }, [at]);
  const [cursor, setCursor] = useState<number | null>(null);
  const [chosenSpan, setChosenSpan] = useState<[number, number] | null>(null);
  const [event, setEvent] = useState<string | null>(null);
  const [tab, setTab] = useState(own?.tab.key ?? "figures");
  const changes = useMemo(() => offsetChanges(review.events), [review.events]);
  const clock = useMemo(() => wallClock(session, changes), [session, changes]);
  const moment = useMemo(() => wallMoment(session, changes), [session, changes]);
  const axis = useMemo(() => wallAxis(session, changes), [session, changes]);
  // A sheet that follows the pointer is made anew with each move of it; how it draws is the same.
  const { pickable, asked: askedOf, lanes: lanesOf } = own ?? {};
  const channels = useMemo(() => pickable?.(review.channels) ?? review.channels, [pickable, review.channels]);
  const { shown, pick, changed } = usePicked(kind, channels);
  const asked = useMemo(() => askedOf?.(shown) ?? shown, [askedOf, shown]);
  const read = useLanes(review, kind, asked, (supposed.supposed ?? reviewed).levels, span, tried);
  const lanes = useMemo(() => lanesOf?.(read, shown) ?? read, [lanesOf, read, shown]);
  const elsewhere = own?.elsewhere;
  const happenings = useMemo(
    () => happeningsOf(review, kind).filter((each) => !elsewhere?.(each.code)),
    [review, kind, elsewhere],
  );
  const rows = useMemo<MarkRow[]>(() => {
    const groups = new Map<string, MarkRow["items"]>();
    for (const h of happenings) {
      const items = groups.get(h.group) ?? [];
      items.push({ key: h.key, startS: h.atS, endS: h.endS, kept: h.kept });
      groups.set(h.group, items);
    }
    return [...groups].slice(0, MOST_ROWS).map(([label, items]) => ({ label, items }));
  }, [happenings]);
  const edging = useEdges({ review, kind, locked, actions, supposed });
  const bands = useMemo<LaneBand[]>(() => {
    const moved = stretchesOf(review, "asleep").length > 0;
    const found = [
      ...stretchesOf(review).map((s): LaneBand => ({ startS: s.start_s, endS: s.end_s, look: s.what, text: s.reason })),
      ...reviewed.suggestions.map(
        (s): LaneBand => ({ startS: s.start_s, endS: s.end_s, look: "suggestion", text: s.reason }),
      ),
      ...(moved ? [] : (reviewed.stretches ?? [])).map(
        (s): LaneBand => ({ startS: s.start_s, endS: s.end_s, look: "asleep", text: s.label }),
      ),
    ];
    return found.map(edging.moved);
  }, [review, reviewed, edging.moved]);
  const [tall, setTall] = useState<string | null>(null);
  const [other, setOther] = useState<number | null>(null);
  const show = useCallback(
    (atS: number, endS = atS, aroundS = 60) => {
      const [from, to] = [Math.max(atS - aroundS, 0), Math.min(endS + aroundS, whole[1])];
      setSpan((now) => (atS >= now[0] && endS <= now[1] && now[1] - now[0] < 20 * (to - from) ? now : [from, to]));
    },
    [whole],
  );
  const onMoment = own?.onMoment;
  const choose = useCallback(
    (h: Happening) => {
      setEvent(h.key);
      if (onMoment) onMoment(h.atS);
      else show(h.atS, h.endS, h.word?.around_s);
    },
    [show, onMoment],
  );
  const scale = own?.scale;
  const onCursor = own?.onCursor;
  const drawn = useMemo(
    () =>
      scale
        ? {
            lanes: lanes.map((lane) => laneOver(lane, scale)),
            rows: rows.map((row) => rowOver(row, scale)),
            bands: bands.map((band) => bandOver(band, scale)),
          }
        : { lanes, rows, bands },
    [scale, lanes, rows, bands],
  );
  const over = (atS: number) => scale?.of(atS) ?? atS;
  const timeOf = (value: number) => scale?.at(value) ?? value;
  const walked = happenings.find((h) => h.key === event);
  const zoomed = span[1] - span[0] < whole[1] - 0.5;
  const fine = span[1] - span[0] < 600;
  const table = reviewed.tables.find((t) => t.key === tab);
  // Wide tables take the whole width; the figures leave room for the events beside them.
  const members = new Set(reviewed.figures.flatMap((f) => (f.over ? [f.over.member] : [])));
  const beside =
    (own?.besides !== undefined || happenings.length > 0) &&
    (own && tab === own.tab.key ? true : table ? table.columns.length <= 5 : members.size <= 3);
  const tabs = [
    ...(own ? [own.tab] : []),
    { key: "figures", words: `Figures ${reviewed.figures.length}` },
    ...reviewed.tables.filter((t) => !own?.replaces.includes(t.key)).map((t) => ({ key: t.key, words: t.title })),
  ];
  const typeStretch = useRef(() => {});
  typeStretch.current = () =>
    !locked && setChosenSpan([span[0], Math.min(span[0] + (span[1] - span[0]) / 10, span[1])]);
  const keys = useMemo<Key[]>(
    () => [{ keys: "m", does: "mark a stretch, or leave it out", run: () => typeStretch.current() }],
    [],
  );
  useKeys(keys);
  return (
    <>
      {own?.head ?? <KeyFigures review={review} supposed={supposed.supposed} onWhy={onWhy} />}
      <div className={own?.left ? "grid gap-x-2.5 min-[1100px]:grid-cols-[minmax(0,1fr)_minmax(0,2fr)]" : ""}>
        {own?.left && <div className={`${panel} min-w-0`}>{own.left}</div>}
        <section className={`${panel} min-w-0`} aria-label={own?.heading ?? "On one clock"}>
          <div className="flex flex-wrap items-center gap-x-3 whitespace-nowrap pb-1.5 text-[13px]">
            <b className="font-narrow font-semibold">{own?.heading ?? "On one clock"}</b>
            <span className={own?.left ? "hidden" : "text-soft max-[1100px]:hidden"}>
              {shown.length} of {channels.length} {own?.noun ?? "channels"}
            </span>
            <PickLanes
              channels={channels.map((c) => ({ key: c.key, name: nameOf(kind, c) }))}
              shown={shown}
              changed={changed}
              onPick={pick}
            />
            <PickOther review={review} chosen={other} onPick={setOther} />
            {own?.switches}
            {zoomed && (
              <Button size="small" onClick={() => setSpan(whole)}>
                whole session
              </Button>
            )}
            {zoomed && (
              <a
                className="text-act hover:underline max-[1360px]:order-last"
                href={`/api/sessions/${session.id}/file?form=csv&start_s=${span[0].toFixed(1)}&end_s=${span[1].toFixed(1)}`}
              >
                this span as CSV
              </a>
            )}
            <span className="ml-auto min-h-5 min-w-0 truncate text-soft" aria-live="off">
              {cursor === null && walked && (
                <>
                  {happenings.indexOf(walked) + 1} of {happenings.length}: {moment(walked.atS, true)}{" "}
                  <b className="font-semibold text-ink">{walked.text}</b>
                  {!walked.kept && ", does not count"}
                </>
              )}
              {cursor !== null && (
                <>
                  {scale && `${scale.words(over(cursor))} ${scale.unit}, `}
                  {moment(cursor, fine || lanes.some((l) => (l.bins?.binS ?? 60) < 60))}{" "}
                  {lanes
                    .filter((l) => l.look !== "flag")
                    .slice(0, own?.left ? 3 : 4)
                    .map((l) => (
                      <span key={l.key} className="ml-1.5">
                        {l.name} <b className="font-semibold text-ink">{valueAt(l, cursor)}</b>
                      </span>
                    ))}
                </>
              )}
            </span>
          </div>
          <Lanes
            rows={drawn.rows}
            lanes={drawn.lanes}
            bands={drawn.bands}
            span={[over(span[0]), over(span[1])]}
            whole={[over(whole[0]), over(whole[1])]}
            clock={scale ? scale.words : clock}
            axis={scale ? (value) => `${scale.words(value)} ${scale.unit}` : axis}
            steps={scale?.steps}
            shortestS={scale?.shortest}
            chosen={event}
            edges={scale ? edging.edges.map((edge) => edgeOver(edge, scale)) : edging.edges}
            onEdge={(key, value, done) => edging.onEdge(key, value === null ? null : timeOf(value), done)}
            tall={tall}
            onLine={tried?.move}
            onTall={(key) => setTall((now) => (now === key ? null : key))}
            onSpan={([a, b]) => setSpan([timeOf(a), timeOf(b)])}
            onSelect={(a, b) =>
              !locked && setChosenSpan([Math.max(timeOf(a), 0), Math.min(timeOf(b), session.length_s)])
            }
            onCursor={(value) => {
              const moment = value === null ? null : timeOf(value);
              setCursor(moment);
              onCursor?.(moment);
            }}
            onPoint={onMoment && ((value) => onMoment(timeOf(value)))}
            onMark={(key) => {
              const found = happenings.find((h) => h.key === key);
              if (found) choose(found);
            }}
            label="Channels and events on one clock. Plus and minus zoom, arrows move, 0 shows the whole session."
          />
          <p className="flex flex-wrap gap-x-4 text-[12.5px]">
            {!locked && (
              <button type="button" className="min-h-6 text-act hover:underline" onClick={() => typeStretch.current()}>
                type a stretch instead of dragging
              </button>
            )}
            {own && <span className="text-soft leading-6">{own.legend}</span>}
          </p>
        </section>
      </div>
      {own?.below}
      {other !== null && (
        <Beside
          id={other}
          review={review}
          kind={kind}
          shown={shown}
          span={span}
          whole={whole}
          onSpan={setSpan}
          onClose={() => setOther(null)}
        />
      )}
      <div
        className={
          beside
            ? `grid gap-x-2.5 ${own ? "min-[1180px]:grid-cols-[minmax(0,2.1fr)_minmax(0,1fr)]" : "min-[1180px]:grid-cols-[minmax(0,1.35fr)_minmax(0,1fr)]"}`
            : ""
        }
      >
        <section className={`${panel} min-w-0`} aria-label="Figures and tables">
          <div
            role="tablist"
            aria-label="Figures and tables"
            className="flex flex-wrap gap-x-4 border-hair border-b pb-1 text-[13px]"
          >
            {tabs.map((t) => (
              <button
                key={t.key}
                type="button"
                role="tab"
                aria-selected={tab === t.key}
                onClick={() => setTab(t.key)}
                className={`min-h-6 border-b-2 font-narrow font-semibold ${tab === t.key ? "border-brass" : "border-transparent text-act hover:underline"}`}
              >
                {t.words}
              </button>
            ))}
          </div>
          <div role="tabpanel" aria-label={tabs.find((t) => t.key === tab)?.words} className="pt-1">
            {own && tab === own.tab.key ? (
              own.tab.body
            ) : table ? (
              <DataTable key={table.key} table={table} clock={moment} onTime={onMoment ?? ((s) => show(s))} />
            ) : (
              <FiguresTable review={review} supposed={supposed.supposed} onWhy={onWhy} compact={beside} />
            )}
          </div>
        </section>
        <div className="min-w-0">
          {own?.besides && <div className={panel}>{own.besides}</div>}
          {happenings.length > 0 && (
            <div className={panel}>
              <EventList
                happenings={happenings}
                clock={moment}
                locked={locked}
                chosen={event}
                onChoose={choose}
                onDrop={(h, reason) => actions.drop(h.key, h.endS - h.atS, reason)}
                onKeep={(h) => actions.keep(h.key, h.endS - h.atS)}
                onTakeBack={(id) => actions.takeBack([id])}
              />
            </div>
          )}
        </div>
      </div>
      {chosenSpan && (
        <MarkStretch
          review={review}
          kind={kind}
          actions={actions}
          supposed={supposed}
          clock={clock}
          moment={moment}
          span={chosenSpan}
          onClose={() => setChosenSpan(null)}
        />
      )}
    </>
  );
}

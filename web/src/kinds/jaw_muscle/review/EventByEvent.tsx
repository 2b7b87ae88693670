import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { type Assessed, type Assessment, settingOf } from "@/sheet/assessed";
import type { SheetActions } from "@/sheet/contract";
import { Button } from "@/ui/basics";
import { number, type WallClock } from "@/ui/format";
import { type Key, useKeys } from "@/ui/keys";
import { burstsOf, CloseUp, ratesAround } from "./CloseUp";
import {
  clenchOf,
  type Episode,
  edgeAt,
  edgeKey,
  endsAt,
  notesOf,
  SIDES,
  type Side,
  TYPES,
  thresholdOf,
  typedIn,
} from "./episodes";
import { MarkIcon } from "./Mark";
import { useClose } from "./useClose";

const REASONS = ["swallowing", "talking", "turning over", "electrode", "no reason"];
const RISE = 10;
const WEAK = 15;
/** Farther apart than this nobody would call them one. */
const JOINS_WITHIN_S = 20;
/** So many times it is looked, 50 ms apart, whether a decision is shown. */
const PATIENCE = 100;

export type Filter = "all" | "to decide" | "weak";

const isIn = (episode: Episode, filter: Filter, decided: boolean) =>
  filter === "all" ? true : filter === "weak" ? (episode.peak ?? 100) < WEAK : !decided;

/** One episode after the other with two keys: K keeps, X drops, each goes on by itself; 1 to 5 say why the one just dropped was dropped. */
export function EventByEvent({
  review,
  shown,
  episodes,
  first,
  locked,
  actions,
  clock,
  onClose,
}: {
  review: Assessed;
  shown: Assessment;
  episodes: Episode[];
  first: number;
  locked: boolean;
  actions: SheetActions;
  clock: WallClock;
  onClose: () => void;
}) {
  const { session } = review;
  const [atS, setAtS] = useState(episodes[first]?.atS ?? 0);
  const [filter, setFilter] = useState<Filter>("all");
  const [factor, setFactor] = useState(1);
  // What was just decided here, before the server has said so: going on waits for nothing.
  const [mine, setMine] = useState<ReadonlyMap<number, boolean>>(new Map());
  const [last, setLast] = useState<{ atS: number; dropped: boolean; done: Promise<boolean> }[]>([]);
  const box = useRef<HTMLDivElement>(null);
  const at = Math.max(
    episodes.findIndex((episode) => Math.abs(episode.atS - atS) < 0.5),
    0,
  );
  const episode = episodes[at];
  const decidedOf = useCallback((each: Episode) => mine.has(each.atS) || each.decided, [mine]);
  const countsOf = (each: Episode) => mine.get(each.atS) ?? each.counts;
  const channels = useMemo(
    () => ["emg.left", "emg.right", "ecg"].filter((key) => review.channels.some((channel) => channel.key === key)),
    [review.channels],
  );
  const { raw, close } = useClose(
    session.id,
    session.length_s,
    channels,
    episodes,
    at,
    String(settingOf(review, "notch_hz")),
  );
  const go = useCallback(
    (step: number, from = at) => {
      let next = from + step;
      while (episodes[next] && !isIn(episodes[next] as Episode, filter, decidedOf(episodes[next] as Episode)))
        next += step;
      const found = episodes[next];
      if (found) setAtS(found.atS);
      setFactor(1);
    },
    [at, episodes, filter, decidedOf],
  );
  const send = useSender(actions);
  const episodeAt = (at: number) => episodes.find((each) => Math.abs(each.atS - at) < 0.5);
  const decide = (counts: boolean) => {
    if (!episode || locked) return;
    setMine(new Map(mine).set(episode.atS, counts));
    const done = send(wishesOf(episode, counts, REASONS[4] ?? ""));
    setLast([...last, { atS: episode.atS, dropped: !counts, done }]);
    go(1);
  };
  const because = (reason: string) => {
    const before = last.at(-1);
    const dropped = before?.dropped ? episodeAt(before.atS) : undefined;
    if (dropped) void send(wishesOf(dropped, false, reason));
  };
  /** Once the server has taken what is to be taken back: before, it has no number by which it is named. */
  const back = async () => {
    const before = last.at(-1);
    if (!before) return;
    setLast(last.slice(0, -1));
    setAtS(before.atS);
    await before.done;
    const idsOf = () =>
      latest.current.episodeAt(before.atS)?.halves.flatMap((half) => (half.decision ? [half.decision.id] : [])) ?? [];
    // The answer is there before it is shown.
    for (let turn = 0; turn < PATIENCE && idsOf().length === 0; turn++)
      await new Promise((done) => setTimeout(done, 50));
    const ids = idsOf();
    if (ids.length > 0) await actions.decideEvents([], ids);
    setMine((now) => new Map([...now].filter(([at]) => at !== before.atS)));
  };
  const left = episodes.filter((each) => !decidedOf(each));
  const keepRest = () => {
    if (locked || left.length === 0) return;
    const next = new Map(mine);
    for (const each of left) next.set(each.atS, true);
    setMine(next);
    void send(left.flatMap((each) => wishesOf(each, true, "")));
  };
  const typeIt = (type: string | null) => {
    if (!episode || locked) return;
    void actions.regroup(
      episode.halves.map((half) => ({ what: "type", key: edgeKey(half.side, half.atS), value: type })),
    );
  };
  const nextType = () => {
    if (episode) typeIt(TYPES[(TYPES.indexOf(episode.type) + 1) % TYPES.length] ?? null);
  };
  /** An edge that somebody set before is taken away first: split again what was joined, join what was split. */
  const edge = (side: Side, atS: number, value: "begins" | "goes on") => ({
    what: "edge" as const,
    key: edgeKey(side, atS),
    value: edgeAt(review, side, atS) === null ? value : null,
  });
  const split = (side: Side, atS: number) => {
    if (!locked) void actions.regroup([edge(side, atS, "begins")]);
  };
  const next = episodes[at + 1];
  const isNear = next !== undefined && episode !== undefined && next.atS - episode.endS < JOINS_WITHIN_S;
  const meeting = (isNear ? next.halves : []).filter((half) => episode?.halves.some((own) => own.side === half.side));
  const joinNext = () => {
    if (!locked && meeting.length > 0)
      void actions.regroup(meeting.map((half) => edge(half.side, half.atS, "goes on")));
  };
  const latest = useRef({ decide, because, back, keepRest, go, onClose, episodeAt, nextType, joinNext });
  latest.current = { decide, because, back, keepRest, go, onClose, episodeAt, nextType, joinNext };
  const keys = useMemo<Key[]>(
    () =>
      // While this is open its keys go before those of the whole page.
      [
        { keys: "Shift K", does: "keep all that are left", run: () => latest.current.keepRest() },
        { keys: "k", does: "keep the episode, go on", run: () => latest.current.decide(true) },
        { keys: "x", does: "drop the episode, go on", run: () => latest.current.decide(false) },
        { keys: "ArrowRight", does: "next episode", run: () => latest.current.go(1) },
        { keys: "ArrowLeft", does: "episode before", run: () => latest.current.go(-1) },
        { keys: "z", does: "take the last decision back", run: () => void latest.current.back() },
        { keys: "t", does: "give the episode the next type", run: () => latest.current.nextType() },
        { keys: "j", does: "join it with the next episode", run: () => latest.current.joinNext() },
        { keys: "Escape", does: "back to the night", run: () => latest.current.onClose() },
        ...REASONS.map((reason, i) => ({
          keys: String(i + 1),
          does: `the one just dropped: ${reason}`,
          run: () => latest.current.because(reason),
        })),
      ].map((key) => ({ ...key, first: true })),
    [],
  );
  useKeys(keys);
  useEffect(() => box.current?.focus(), []);
  const notes = useMemo(() => notesOf(review), [review]);
  if (!episode) return null;
  const thresholds = Object.fromEntries(
    SIDES.map((side) => {
      const level = thresholdOf(shown, side);
      return [side, level === null ? null : level * factor];
    }),
  ) as Record<"left" | "right", number | null>;
  const clench = SIDES.map((side) => [thresholds[side], clenchOf(shown, side)]).find(([a, b]) => a != null && b);
  const percent = clench ? (100 * (clench[0] ?? 0)) / (clench[1] ?? 1) : null;
  const [before, after] = ratesAround(
    close?.moments.find((each) => each.key === "beats"),
    episode.atS,
  );
  const rise = before !== null && after !== null ? (100 * (after - before)) / before : episode.rise;
  const ends = { left: endsAt(shown, "left"), right: endsAt(shown, "right") };
  const byHand = typedIn(review, episode).length > 0;
  const splits = SIDES.flatMap((side): [Side, ReturnType<typeof burstsOf>][] => {
    const half = episode.halves.find((each) => each.side === side);
    const level = thresholdOf(shown, side);
    if (!half || level === null) return [];
    const inside = burstsOf(
      close?.curves.find((curve) => curve.key === `rms.${side}`),
      level,
      ends[side],
    ).filter((burst) => burst.fromS > half.atS + 0.1 && burst.fromS < half.endS);
    return inside.length > 0 ? [[side, inside]] : [];
  });
  const strength = SIDES.map((side) => episode.halves.find((half) => half.side === side)?.peak ?? null);
  const cell = "bg-panel px-3 py-2";
  return (
    <div ref={box} tabIndex={-1} className="outline-none">
      <header className="flex flex-wrap items-baseline gap-3 pb-1.5">
        <h2 className="text-[19px]">
          Episode {at + 1} of {episodes.length}
        </h2>
        <span className="text-soft">
          {clock(episode.atS, true)}, {episode.halves.map((half) => half.side).join(" and ")}
        </span>
        <button type="button" className="ml-auto text-act hover:underline" onClick={onClose}>
          back to the night <kbd>Esc</kbd>
        </button>
      </header>
      <Strip
        episodes={episodes}
        at={at}
        countsOf={countsOf}
        decidedOf={decidedOf}
        onGo={(index) => setAtS(episodes[index]?.atS ?? atS)}
      />
      <div className="my-2 grid grid-cols-4 gap-px overflow-hidden rounded-lg border border-line bg-line [&_b]:block [&_b]:font-narrow [&_b]:text-[21px] [&_span]:text-[12.5px] [&_span]:text-soft">
        <div className={cell}>
          <span>Type</span>
          <b className="flex items-center gap-1.5">
            <MarkIcon type={episode.type} />
            <select
              aria-label="Type of the episode"
              className="min-w-0 cursor-pointer rounded-sm bg-panel capitalize hover:bg-hair"
              disabled={locked}
              value={episode.type}
              onChange={(event) => typeIt(event.target.value || null)}
            >
              {TYPES.map((type) => (
                <option key={type}>{type}</option>
              ))}
              {byHand && <option value="">as found</option>}
            </select>
          </b>
          <span>
            {byHand ? "by hand; " : ""}
            {episode.halves.map((half) => `${half.side} ${half.bursts ?? "–"}`).join(", ")} bursts
          </span>
        </div>
        <div className={cell}>
          <span>Strength, left / right</span>
          <b>{strength.map((value) => (value === null ? "–" : number(value, 0))).join(" / ")} %</b>
          <span>of the clench; threshold {percent === null ? "not known" : `${number(percent, 0)} %`}</span>
        </div>
        <div className={cell}>
          <span>Length</span>
          <b>{number(episode.endS - episode.atS, 1)} s</b>
          <span>{countsOf(episode) ? "counts" : "does not count"}</span>
        </div>
        <div className={cell}>
          <span>Heart rate</span>
          <b>{before === null || after === null ? "not measured" : `${number(before, 0)} → ${number(after, 0)} bpm`}</b>
          <span>
            {rise === null
              ? "link not assessable"
              : `${rise >= 0 ? "+" : "−"}${number(Math.abs(rise), 0)} %, linked from ${RISE} %`}
          </span>
        </div>
      </div>
      <section aria-label="The episode closely" className="rounded-lg border border-line bg-panel px-2 py-1">
        <CloseUp
          episode={episode}
          raw={raw}
          close={close}
          thresholds={thresholds}
          ends={ends}
          notes={notes}
          onBurst={locked ? undefined : split}
          onThreshold={(by) => setFactor((now) => Math.min(Math.max(now * by, 0.1), 8))}
        />
        {factor !== 1 && percent !== null && (
          <p className="flex flex-wrap items-center gap-2 pb-1 text-[13px]">
            For this look alone the threshold is {number(percent, 1)} % of the clench.
            <Button
              size="small"
              disabled={locked}
              onClick={() => void actions.set("threshold", Math.round(percent * 10) / 10).then(() => setFactor(1))}
            >
              Use it for the night
            </Button>
            <Button size="small" look="quiet" onClick={() => setFactor(1)}>
              as it was
            </Button>
          </p>
        )}
      </section>
      <div className="mt-2 flex flex-wrap items-center gap-2">
        <Button look="primary" disabled={locked} onClick={() => decide(true)}>
          Keep <kbd>K</kbd>
        </Button>
        <Button disabled={locked} onClick={() => decide(false)}>
          Drop <kbd>X</kbd>
        </Button>
        <Button onClick={() => go(-1)}>
          Back <kbd>←</kbd>
        </Button>
        <Button onClick={() => go(1)}>
          Next <kbd>→</kbd>
        </Button>
        <Button disabled={locked || left.length === 0} onClick={keepRest}>
          Keep the {left.length} left <kbd>Shift K</kbd>
        </Button>
        <select
          aria-label="Walk through"
          className="min-h-[34px] rounded-md border border-line bg-panel px-2"
          value={filter}
          onChange={(event) => setFilter(event.target.value as Filter)}
        >
          <option value="all">all {episodes.length}</option>
          <option value="to decide">to decide {left.length}</option>
          <option value="weak">under {WEAK} % of the clench</option>
        </select>
        <span className="text-[13px] text-soft" role="status">
          {episodes.filter((each) => decidedOf(each) && countsOf(each)).length} kept,{" "}
          {episodes.filter((each) => !countsOf(each)).length} dropped, {left.length} to decide
        </span>
      </div>
      {!locked && (splits.length > 0 || meeting.length > 0) && (
        <p className="mt-1.5 flex flex-wrap items-center gap-x-3 gap-y-1 text-[13px] text-soft">
          {splits.map(([side, bursts]) => (
            <span key={side}>
              {side}: a new episode from burst{" "}
              {bursts.map((burst, i) => (
                <button
                  key={burst.fromS}
                  type="button"
                  className="mx-0.5 min-w-6 rounded-full border border-line px-1.5 text-ink hover:bg-hair"
                  onClick={() => split(side, burst.fromS)}
                >
                  {i + 2}
                </button>
              ))}
            </span>
          ))}
          {meeting.length > 0 && next && (
            <button type="button" className="text-act hover:underline" onClick={joinNext}>
              join with the next, {number(next.atS - episode.endS, 1)} s later <kbd>J</kbd>
            </button>
          )}
        </p>
      )}
      {last.at(-1)?.dropped && !locked && (
        <p className="mt-1.5 flex flex-wrap items-center gap-1.5 text-[13px]">
          The one just dropped:
          {REASONS.map((reason, i) => (
            <button
              key={reason}
              type="button"
              className="rounded-full border border-line px-2 py-0.5 hover:bg-hair"
              onClick={() => because(reason)}
            >
              <kbd>{i + 1}</kbd> {reason}
            </button>
          ))}
        </p>
      )}
    </div>
  );
}

type EventWish = Parameters<SheetActions["decideEvents"]>[0][number];

/** Sends decisions as fast as they are taken: what comes while the server works on one step goes together as the next. */
function useSender(actions: SheetActions): (wishes: EventWish[]) => Promise<boolean> {
  const latest = useRef(actions);
  latest.current = actions;
  const waiting = useRef<EventWish[]>([]);
  const working = useRef<Promise<boolean> | null>(null);
  const next = useRef<Promise<boolean> | null>(null);
  const flush = useCallback((): Promise<boolean> => {
    // Of two decisions about one event the later holds.
    const wishes = [...new Map(waiting.current.map((wish) => [wish.key, wish])).values()];
    waiting.current = [];
    next.current = null;
    const sent = latest.current.decideEvents(wishes).finally(() => {
      working.current = next.current;
    });
    working.current = sent;
    return sent;
  }, []);
  return useCallback(
    (wishes) => {
      waiting.current.push(...wishes);
      if (!working.current) return flush();
      next.current ??= working.current.then(flush, flush);
      return next.current;
    },
    [flush],
  );
}

const wishesOf = (episode: Episode, counts: boolean, reason: string) =>
  episode.halves.map((half) => ({ key: half.key, lengthS: half.endS - half.atS, counts, reason }));

/** Every episode as its mark over what was decided; a press goes there. */
function Strip({
  episodes,
  at,
  countsOf,
  decidedOf,
  onGo,
}: {
  episodes: Episode[];
  at: number;
  countsOf: (episode: Episode) => boolean;
  decidedOf: (episode: Episode) => boolean;
  onGo: (index: number) => void;
}) {
  return (
    <ol aria-label="All episodes" className="flex flex-wrap gap-y-1 rounded-lg border border-line bg-panel px-2 py-1.5">
      {episodes.map((episode, i) => (
        <li key={episode.atS}>
          <button
            type="button"
            tabIndex={-1}
            aria-current={i === at}
            aria-label={`Episode ${i + 1}, ${episode.type}, ${!countsOf(episode) ? "dropped" : decidedOf(episode) ? "kept" : "to decide"}`}
            className={`grid w-[18px] justify-items-center rounded-sm py-0.5 ${i === at ? "outline-2 outline-brass" : "hover:bg-hair"}`}
            onClick={() => onGo(i)}
          >
            <MarkIcon type={episode.type} pale={!countsOf(episode)} />
            <i
              className={`mt-1 block w-3 rounded-xs ${!countsOf(episode) ? "h-2 border border-act" : decidedOf(episode) ? "h-2 bg-act" : "mb-[3px] mt-[7px] h-0.5 bg-line"}`}
            />
          </button>
        </li>
      ))}
    </ol>
  );
}

import { useMemo, useState } from "react";
import { stretchesOf } from "@/sheet/assessed";
import type { ReviewSheetProps } from "@/sheet/contract";
import { KeyFigures } from "@/sheet/KeyFigures";
import PlainSheet, { type OwnParts } from "@/sheet/PlainSheet";
import { Button } from "@/ui/basics";
import { offsetChanges, wallMoment } from "@/ui/format";
import { type Key, useKeys } from "@/ui/keys";
import { Clenches } from "./Clenches";
import { EventByEvent } from "./EventByEvent";
import { episodesOf, notesOf, TYPES } from "./episodes";
import { MarkIcon } from "./Mark";
import { NightPicture } from "./NightPicture";
import { HoursAndTypes } from "./Tables";

/** Clenches stand with what is 100 %. */
const isClench = (code: string) => code.startsWith("clench.");
/** Seconds that one takes by eye, for how long the rest will take. */
const PACE_S = 3;

/** The whole night with both sides mirrored; from there event by event; the raw signals and all figures under it. */
export default function NightSheet(props: ReviewSheetProps) {
  const { review, supposed, onWhy, actions, locked } = props;
  const { session } = review;
  const shown = supposed.supposed ?? review.reviewed;
  const clock = useMemo(() => wallMoment(session, offsetChanges(review.events)), [session, review.events]);
  const episodes = useMemo(() => episodesOf(review, shown), [review, shown]);
  const notes = useMemo(() => notesOf(review), [review]);
  const [open, setOpen] = useState<number | null>(null);
  const next = Math.max(
    episodes.findIndex((episode) => !episode.decided),
    0,
  );
  const looked = episodes.filter((episode) => episode.decided).length;
  const left = episodes.length - looked;
  const keys = useMemo<Key[]>(
    () =>
      open === null && episodes.length > 0
        ? [{ keys: "Enter", does: "event by event, from the first that is not decided", run: () => setOpen(next) }]
        : [],
    [open, next, episodes.length],
  );
  useKeys(keys);
  const asleep = useMemo(() => {
    const own = stretchesOf(review, "asleep").map((s) => ({ startS: s.start_s, endS: s.end_s }));
    return own.length > 0 ? own : (shown.stretches ?? []).map((s) => ({ startS: s.start_s, endS: s.end_s }));
  }, [review, shown]);
  const own = useMemo<OwnParts>(
    () => ({
      heading: "Raw signals",
      noun: "signals",
      legend: "drag the edges of sleep; drag over the lanes to leave a stretch out",
      replaces: ["hours", "kinds", "contact", "heart"],
      elsewhere: isClench,
      pickable: (channels) => channels,
      asked: (picked) => picked,
      lanes: (read) => read.map((lane) => ({ ...lane, high: 46 })),
      head: (
        <>
          <KeyFigures review={review} supposed={supposed.supposed} onWhy={onWhy} />
          <section aria-label="The night" className="mt-2.5 rounded-lg border border-line bg-panel px-3 py-2">
            <p className="flex flex-wrap items-baseline gap-x-4 pb-1 text-[13px]">
              <b className="font-narrow font-semibold">The night</b>
              <span className="text-soft">height: strength, % of the clench</span>
              {TYPES.map((type) => (
                <span key={type} className="whitespace-nowrap">
                  <MarkIcon type={type} /> {type}
                </span>
              ))}
              {notes.length > 0 && (
                <span className="whitespace-nowrap">
                  <i className="inline-block h-[5px] w-3 bg-brass align-middle" /> {notes.length} in the file
                </span>
              )}
            </p>
            <NightPicture
              shown={shown}
              episodes={episodes}
              asleep={asleep}
              leftOut={stretchesOf(review, "left out")}
              notes={notes}
              lengthS={session.length_s}
              clock={clock}
              onEpisode={setOpen}
            />
          </section>
          <Clenches review={review} shown={shown} locked={locked} actions={actions} />
          {episodes.length > 0 && (
            <section
              aria-label="Event by event"
              className="mt-2.5 flex flex-wrap items-center gap-4 rounded-lg border border-line bg-panel px-3 py-2"
            >
              <span className="min-w-0 flex-1 text-[13px]">
                {looked} looked at: {episodes.filter((e) => e.decided && e.counts).length} kept,{" "}
                {episodes.filter((e) => !e.counts).length} dropped; {left} to go
                {left > 0 && `, about ${Math.max(Math.round((left * PACE_S) / 60), 1)} min`}
                <i className="mt-1 block h-2 overflow-hidden rounded-sm bg-hair" aria-hidden="true">
                  <i className="block h-full bg-act" style={{ width: `${(100 * looked) / episodes.length}%` }} />
                </i>
              </span>
              <Button onClick={() => setOpen(next)}>
                {left === 0 ? "Look at them again" : looked === 0 ? "Event by event" : `Go on with episode ${next + 1}`}{" "}
                <kbd>Enter</kbd>
              </Button>
            </section>
          )}
        </>
      ),
      tab: {
        key: "own",
        words: "By hour, side and type",
        body: <HoursAndTypes shown={shown} episodes={episodes} />,
      },
    }),
    [
      review,
      shown,
      supposed.supposed,
      onWhy,
      episodes,
      asleep,
      session.length_s,
      clock,
      next,
      looked,
      left,
      notes,
      locked,
      actions,
    ],
  );
  if (open !== null)
    return (
      <EventByEvent
        review={review}
        shown={shown}
        episodes={episodes}
        first={open}
        locked={locked}
        actions={actions}
        clock={clock}
        onClose={() => setOpen(null)}
      />
    );
  return <PlainSheet {...props} own={own} />;
}

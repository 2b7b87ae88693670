import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useEffect, useMemo, useState } from "react";
import { useNavigate, useParams } from "react-router";
import { api, ask, type Schemas } from "@/api/client";
import { fetched } from "@/api/fetched";
import type { LimitPlace, Tried } from "@/charts/limitLine";
import { useNumbers } from "@/features/settings/useSettings";
import { kindName, loadSheet, sheetOf, useKindWords } from "@/kinds/kinds";
import { newest } from "@/limits/rules";
import { isAssessed } from "@/sheet/assessed";
import { useSupposed } from "@/sheet/useSupposed";
import { Button, Empty, Loading, Trouble, Verdict, Warn } from "@/ui/basics";
import { clockError, offsetChanges, wallSpan } from "@/ui/format";
import { type Key, useKeys } from "@/ui/keys";
import { useNotices } from "@/ui/notices";
import { useTitle } from "@/ui/title";
import { fold, isFolded, keepOrder, readFolds, readOrder } from "./folds";
import { OnOneClock } from "./OnOneClock";
import { SidePanel } from "./SidePanel";
import { useReview } from "./useReview";
import { Waiting } from "./Waiting";
import { WhyDialog } from "./WhyDialog";

const WhatIf = lazy(fetched(() => import("./WhatIf")));

function headline({ session, events }: Schemas["Review"], word: string): string {
  const when = wallSpan(session, offsetChanges(events));
  return [word, when, session.token, session.tags.place].filter(Boolean).join(", ");
}

/** A session whose figures are still being computed, or could not be: what stopped them, and what to do. */
function NoFigures({ review, again }: { review: Schemas["Review"]; again: () => void }) {
  const { session } = review;
  return (
    <section aria-label="Sheet" className="col-span-2 px-[18px] py-3.5">
      <h1>{session.person || "Unclaimed session"}</h1>
      <p className="text-soft">{headline(review, kindName(session.kind))}</p>
      {review.figures === "failed" ? (
        <div className="mt-4 max-w-[640px]">
          <Warn>
            <b className="font-semibold">No figures could be computed.</b> {review.failure}. The recording is stored and
            safe; its original can be fetched in Sessions.
          </Warn>
          <Button className="mt-3" onClick={again}>
            Compute the figures again
          </Button>
        </div>
      ) : (
        <Loading what="the figures; they are being computed" />
      )}
    </section>
  );
}

function Sheet({
  id,
  next,
  previous,
  onKind,
}: {
  id: number;
  next: number | null;
  previous: number | null;
  /** The kind of the session, once it is known. */
  onKind: (kind: string) => void;
}) {
  const review = useReview(id);
  const supposed = useSupposed(id);
  const wrongFrom = useNumbers("link.clock_s");
  const [why, setWhy] = useState<Schemas["Figure"] | null>(null);
  const [whatIf, setWhatIf] = useState(false);
  const [rules, setTried] = useState<Schemas["LimitWish"]["rules"] | null>(null);
  const [moved, setMoved] = useState<{ limit: LimitPlace; value: number } | null>(null);
  const tried = useMemo<Tried | null>(
    () =>
      whatIf
        ? {
            valueOf: ({ figure, parameters, step }) =>
              rules?.find((r) => r.figure === figure && JSON.stringify(r.parameters) === parameters)?.steps[step]
                ?.value,
            move: (limit, value) => setMoved({ limit, value }),
          }
        : null,
    [whatIf, rules],
  );
  const closeWhatIf = () => {
    setWhatIf(false);
    setMoved(null);
  };
  const [bar, setBar] = useState<HTMLElement | null>(null);
  const navigate = useNavigate();
  const { fail } = useNotices();
  const limitSets = useQuery({ queryKey: ["limit-sets"], queryFn: () => ask(api.GET("/api/limit-sets")) });
  const words = useKindWords().data?.find((k) => k.key === review.query.data?.session.kind);
  const data = review.query.data;
  const ofKindNow = data?.session.kind;
  useEffect(() => {
    if (ofKindNow) onKind(ofKindNow);
  }, [ofKindNow, onKind]);
  useTitle("Review", data?.session.person || (data && "unclaimed session"));
  const keys = useMemo<Key[]>(
    () => [
      { keys: "Ctrl Z", does: "undo the last step of the review", run: () => review.undo() },
      { keys: "Ctrl Y", does: "do it again", run: () => review.redo() },
      {
        keys: "c",
        does: "write the conclusion",
        run: () => document.querySelector<HTMLElement>('textarea[aria-label="Conclusion"]')?.focus(),
      },
      { keys: "j", does: "next session", run: () => next && navigate(`/review/${next}`) },
      { keys: "k", does: "previous session", run: () => previous && navigate(`/review/${previous}`) },
      { keys: "+", does: "zoom in (in the picture; or turn the wheel)", run: () => {} },
      { keys: "-", does: "zoom out", run: () => {} },
      { keys: "0", does: "show the whole session", run: () => {} },
    ],
    [review.undo, review.redo, next, previous, navigate],
  );
  useKeys(keys);
  if (review.query.isError && !data)
    return <Trouble heading="Review" error={review.query.error} again={() => review.query.refetch()} />;
  if (!data) return <Loading heading="Review" what="the session and its figures" />;
  if (!words) return <Loading heading="Review" what="the words of this kind" />;
  if (!isAssessed(data)) return <NoFigures review={data} again={review.again} />;
  const KindSheet = sheetOf(words.key);
  const limitSet = limitSets.data?.find((l) => l.id === data.limit_set_id);
  const ofKind = (limitSets.data ?? []).filter((l) => l.kind === data.session.kind);
  const current = new Set(newest(ofKind).map((l) => l.id));
  const choices = ofKind.filter((l) => current.has(l.id) || l.id === data.limit_set_id);
  const locked = data.session.signed_at !== null;
  const looking = review.limitSetId !== null;
  return (
    <>
      <section aria-label="Sheet" className="min-w-0 overflow-auto px-[18px] py-3.5">
        <div className="flex items-baseline gap-x-3">
          <h1 className="max-w-[45%] flex-none truncate" title={data.session.person}>
            {data.session.person || "Unclaimed session"}
          </h1>
          <span
            className="min-w-0 truncate text-soft"
            title={`${headline(data, words.name.toLowerCase())}. ${data.recorded_by}`}
          >
            {headline(data, words.name.toLowerCase())}
          </span>
          <span
            className="ml-auto max-w-[50%] flex-none text-[15px] [&>span>span:last-child]:truncate [&>span]:max-w-full"
            title={data.reviewed.words}
          >
            <Verdict verdict={data.reviewed.verdict} words={data.reviewed.words} />
          </span>
        </div>
        <div className="mt-1.5 flex flex-wrap items-center gap-2 text-[13px] text-soft">
          <label className="flex items-center gap-2">
            Limits
            <select
              className="min-h-7 rounded border border-line bg-panel px-1.5 text-ink"
              value={review.limitSetId ?? data.limit_set_id}
              onChange={(e) => review.look(Number(e.target.value))}
            >
              {choices.map((l) => (
                <option key={l.id} value={l.id}>
                  {l.name}, {l.version}
                </option>
              ))}
            </select>
          </label>
          {limitSet && !whatIf && (
            <Button look="quiet" size="small" onClick={() => setWhatIf(true)}>
              what if …
            </Button>
          )}
          {looking && !locked && (
            <>
              <span className="text-action">only looking</span>
              <Button look="quiet" size="small" onClick={review.keepLimits}>
                use for this session
              </Button>
              <Button look="quiet" size="small" onClick={() => review.look(null)}>
                back
              </Button>
            </>
          )}
          <OnOneClock session={data.session} />
          {data.session.trouble && <span className="text-action">{data.session.trouble}</span>}
          {data.session.clock_error_s !== null &&
            Math.abs(data.session.clock_error_s) >= wrongFrom(data.session.kind) && (
              <span>
                {data.session.clock_shift_s ? "times shifted, " : ""}recorder’s clock was{" "}
                {clockError(data.session.clock_error_s)}
              </span>
            )}
          <span ref={setBar} className="ml-auto" />
          <Button
            look="quiet"
            size="small"
            disabled={!data.undo || locked}
            title={data.undo ? `Undo: ${data.undo}` : undefined}
            onClick={review.undo}
          >
            Undo
          </Button>
          <Button
            look="quiet"
            size="small"
            disabled={!data.redo || locked}
            title={data.redo ? `Again: ${data.redo}` : undefined}
            onClick={review.redo}
          >
            Redo
          </Button>
        </div>
        <Suspense fallback={<Loading what="the sheet" />}>
          {limitSet && whatIf && (
            <WhatIf
              key={limitSet.id}
              review={data}
              base={limitSet}
              sets={ofKind}
              supposed={supposed}
              locked={locked}
              moved={moved}
              onTried={setTried}
              onKept={(made) => {
                closeWhatIf();
                review.look(made);
              }}
              onClose={closeWhatIf}
            />
          )}
          <KindSheet
            key={id}
            review={data}
            kind={words}
            limitSet={limitSet}
            locked={locked}
            actions={review}
            supposed={supposed}
            tried={tried}
            onWhy={setWhy}
            look={review.look}
            bar={bar}
          />
        </Suspense>
      </section>
      <SidePanel
        key={id}
        review={data}
        kind={words}
        actions={review}
        supposed={supposed}
        onWhy={setWhy}
        onFail={fail}
        next={next}
      />
      {why && <WhyDialog figure={why} onClose={() => setWhy(null)} />}
    </>
  );
}

/** Sheets of so many sessions that come next, and of the one before, are fetched ahead; after so long. */
const [AHEAD, AHEAD_AFTER_MS] = [3, 1_500];

/** Left what waits, middle the sheet, right what was decided. */
export default function Review() {
  const { id } = useParams();
  const [order, setOrder] = useState(readOrder);
  const waiting = useQuery({
    queryKey: ["sessions", "waiting", order],
    queryFn: () =>
      ask(
        api.GET("/api/sessions", {
          params: { query: { standing: "waiting", limit: 200, ...(order === "urgent" ? { sort: "urgency" } : {}) } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
  const first = waiting.data?.sessions[0]?.id;
  const navigate = useNavigate();
  const [folds, setFolds] = useState(readFolds);
  const [kind, setKind] = useState<string>();
  // The address names the session, so that it stays in view when it no longer waits.
  useEffect(() => {
    if (!id && first !== undefined) navigate(`/review/${first}`, { replace: true });
  }, [id, first, navigate]);
  const list = waiting.data?.sessions ?? [];
  const here = id ? list.findIndex((s) => s.id === Number(id)) : 0;
  const kinds = [...new Set(list.slice(Math.max(here - 1, 0), here + 1 + AHEAD).map((s) => s.kind))].join(" ");
  useEffect(() => {
    // Once what is looked at stands: it goes before what may come.
    const later = window.setTimeout(() => {
      for (const kind of kinds.split(" ").filter(Boolean)) loadSheet(kind);
    }, AHEAD_AFTER_MS);
    return () => window.clearTimeout(later);
  }, [kinds]);
  if (waiting.isError && !waiting.data)
    return <Trouble view="Review" error={waiting.error} again={() => waiting.refetch()} />;
  if (!waiting.data && !id) return <Loading view="Review" what="what waits" />;
  const chosen = id ? Number(id) : (list[0]?.id ?? null);
  const at = list.findIndex((s) => s.id === chosen);
  const folded = kind !== undefined && isFolded(kind, folds);
  return (
    <main
      className={`grid h-full grid-cols-[minmax(0,1fr)_220px] grid-rows-[auto_minmax(0,1fr)] min-[960px]:grid-rows-[minmax(0,1fr)] ${folded ? "min-[960px]:grid-cols-[64px_minmax(0,1fr)_240px] min-[1180px]:grid-cols-[64px_minmax(0,1fr)_268px]" : "min-[960px]:grid-cols-[190px_minmax(0,1fr)_240px] min-[1180px]:grid-cols-[232px_minmax(0,1fr)_268px]"}`}
    >
      <Waiting
        sessions={list}
        chosen={chosen}
        order={order}
        onOrder={(next) => {
          keepOrder(next);
          setOrder(next);
        }}
        folded={folded}
        onFold={() => kind && setFolds(fold(kind, folds))}
      />
      {chosen === null ? (
        <Empty heading="Review" title="Nothing waits for a look">
          Sessions show here as soon as they are taken in. Those signed off are in Sessions.
        </Empty>
      ) : (
        <Sheet
          key={chosen}
          id={chosen}
          onKind={setKind}
          next={list[at + 1]?.id ?? (at > 0 ? (list[0]?.id ?? null) : null)}
          previous={list[at - 1]?.id ?? null}
        />
      )}
    </main>
  );
}

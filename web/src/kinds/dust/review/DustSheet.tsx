import { useQuery } from "@tanstack/react-query";
import { useCallback, useMemo, useState } from "react";
import { api, ask } from "@/api/client";
import type { Binned, Lane } from "@/charts/Lanes";
import type { ReviewSheetProps } from "@/sheet/contract";
import PlainSheet, { type OwnParts } from "@/sheet/PlainSheet";
import { day as dayOf, number, offsetChanges, type WallClock, wallClock } from "@/ui/format";
import { FactorPanel } from "./FactorPanel";
import { FilterDialog } from "./FilterDialog";
import { MovingDay } from "./MovingDay";
import { RulePanel } from "./RulePanel";
import { RunCards } from "./RunCards";
import { RunTable } from "./RunTable";
import { factorOf, isMean, meanLimit, readingOf, ruleOf, runsOf } from "./runs";

const MASS = "mass";
const POINTS = 1600;

function scaled(bins: Binned, by: number, laterS = 0): Binned {
  const times = (values: (number | null)[]) => values.map((v) => (v === null ? null : v * by));
  return {
    startS: bins.startS + laterS,
    binS: bins.binS,
    low: times(bins.low),
    high: times(bins.high),
    mean: times(bins.mean),
  };
}

/** Many runs over one another: one of them in full, all in a table, the rule above them, what the factor does. */
export default function DustSheet(props: ReviewSheetProps) {
  const { review, supposed, actions, locked, limitSet, look } = props;
  const shown = supposed.supposed ?? review.reviewed;
  const runs = useMemo(() => runsOf(shown), [shown]);
  const was = useMemo(() => runsOf(review.reviewed), [review.reviewed]);
  const [chosen, setChosen] = useState(() => Math.max(runsOf(review.reviewed).length - 1, 0));
  const [weighing, setWeighing] = useState(false);
  const [over, setOver] = useState<number | null>(null);
  const [at, setAt] = useState<OwnParts["at"]>(() => {
    const last = runsOf(review.reviewed).at(-1);
    return last && { span: [last.startS, last.startS + last.lengthS] };
  });
  const moment = useMemo<WallClock>(() => {
    const { started_at, utc_offset_min } = review.session;
    const clock = wallClock(review.session, offsetChanges(review.events));
    return (atS) => {
      const day = dayOf(new Date(new Date(started_at).getTime() + 1000 * atS).toISOString(), utc_offset_min);
      return `${day.replace(/,? \d{4}$/, "")} ${clock(atS)}`;
    };
  }, [review]);
  const factor = factorOf(shown);
  const rule = useMemo(() => ruleOf(shown), [shown]);
  const limit = meanLimit(shown);
  const run = runs[chosen] ?? runs.at(-1);
  const other = over === null ? undefined : runs[over];
  const id = review.session.id;
  const laid = useQuery({
    queryKey: ["view", id, MASS, "over", other?.startS],
    queryFn: () =>
      ask(
        api.GET("/api/sessions/{session_id}/view", {
          params: {
            path: { session_id: id },
            query: {
              channel: [MASS],
              start_s: other?.startS ?? 0,
              end_s: (other?.startS ?? 0) + (other?.lengthS ?? 1),
              points: POINTS,
            },
          },
        }),
      ),
    enabled: other !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const choose = useCallback(
    (which: number, isOver: boolean) => {
      if (isOver) return setOver((now) => (which === chosen || which === now ? null : which));
      const next = runs[which];
      setChosen(which);
      setOver((now) => (which === now ? null : now));
      if (next) setAt({ span: [next.startS, next.startS + next.lengthS] });
    },
    [runs, chosen],
  );
  const own = useMemo<OwnParts>(() => {
    const also = laid.data?.[0];
    return {
      heading: `Dust, mg/m³${factor === 1 ? "" : `, factor ${number(factor, 2)}`}`,
      legend: `shaded: counted as a stretch above; hatched: left out${other ? "; dotted: the other run" : ""}`,
      noun: "channels",
      replaces: ["runs"],
      at,
      pickable: (channels) => channels.filter((c) => c.key !== "mass.mean24h"),
      asked: (picked) => picked,
      lanes: (read) =>
        read.map((lane): Lane => {
          if (lane.key !== MASS || !lane.bins) return lane;
          const shift = other && run ? run.startS - other.startS : 0;
          return {
            ...lane,
            bins: scaled(lane.bins, factor),
            lines: [
              ...(rule.guideline === null
                ? []
                : [{ value: rule.guideline, text: "guideline", startS: 0, endS: review.session.length_s }]),
              ...(run?.mean == null
                ? []
                : [
                    {
                      value: Number(run.mean.toFixed(3)),
                      text: "mean of the run",
                      startS: run.startS,
                      endS: run.startS + run.lengthS,
                    },
                  ]),
            ],
            reaches: true,
            ...(other && also
              ? {
                  also: scaled(
                    { startS: also.start_s, binS: also.bin_s, low: also.low, high: also.high, mean: also.mean },
                    factor,
                    shift,
                  ),
                }
              : {}),
            shades: (shown.events ?? [])
              .filter((e) => e.code === "above")
              .map((e) => ({ startS: e.at_s, endS: e.end_s, colour: "action" })),
          };
        }),
      // Of a single run the figures are those of the session, each with its why.
      ...(run && runs.length > 1
        ? {
            head: <RunCards run={run} before={supposed.supposed ? was[chosen] : undefined} rule={rule} limit={limit} />,
          }
        : {}),
      tab: {
        key: "own",
        words: runs.length === 1 ? "The run" : `All ${runs.length} runs of this placing`,
        body: <RunTable runs={runs} chosen={chosen} over={over} limit={limit} moment={moment} onChoose={choose} />,
      },
      ...(run
        ? {
            besides: (
              <div className="grid gap-4">
                <RulePanel
                  run={run}
                  rule={rule}
                  limitSet={limitSet}
                  measured={shown.judgements.find(isMean)?.rule}
                  locked={locked}
                  supposed={supposed}
                  actions={actions}
                  onKept={look}
                />
                <FactorPanel
                  run={run}
                  factor={factor}
                  onRecorder={factorOf(review.recorded)}
                  guideline={rule.guideline}
                  onFilter={review.session.recorder_id === null ? undefined : () => setWeighing(true)}
                />
                <MovingDay review={review} shown={shown} factor={factor} limit={limit} moment={moment} />
              </div>
            ),
          }
        : {}),
    };
  }, [
    at,
    runs,
    was,
    run,
    other,
    over,
    chosen,
    factor,
    rule,
    limit,
    moment,
    shown,
    review,
    supposed,
    actions,
    locked,
    limitSet,
    look,
    laid.data,
    choose,
  ]);
  const { session } = review;
  return (
    <>
      <PlainSheet {...props} own={own} />
      {weighing && session.recorder_id !== null && (
        <FilterDialog
          recorder={session.recorder_id}
          token={session.token}
          reading={readingOf(shown)}
          day={session.started_at.slice(0, 10)}
          onClose={() => setWeighing(false)}
        />
      )}
    </>
  );
}

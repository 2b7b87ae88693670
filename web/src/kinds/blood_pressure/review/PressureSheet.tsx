import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { api, ask } from "@/api/client";
import { useKeepLimits } from "@/limits/useKeepLimits";
import { stretchesOf } from "@/sheet/assessed";
import type { ReviewSheetProps } from "@/sheet/contract";
import { DataTable } from "@/sheet/DataTable";
import { wordOf } from "@/sheet/events";
import { FiguresTable } from "@/sheet/FiguresTable";
import { MarkStretch } from "@/sheet/MarkStretch";
import { useEdges } from "@/sheet/useEdges";
import { Button } from "@/ui/basics";
import { number, offsetChanges, wallAxis, wallClock, wallMoment } from "@/ui/format";
import { type Key, useKeys } from "@/ui/keys";
import { clockMin, momentsOf } from "../day";
import { type Chart, type Mark, pressureScale } from "./chart";
import { HourMeans } from "./HourMeans";
import { KeyPressures } from "./KeyPressures";
import { PressureChart } from "./PressureChart";
import { ClassBars, CornerPicture, cornersOf, type Filter, passes } from "./pictures";
import { type Decided, ReadingsTable } from "./ReadingsTable";
import { activityOf, binsOf, classesOf, counts, hoursOf, isValid, quietOf, type Reading, readingsOf } from "./readings";
import { SleepTimes } from "./SleepTimes";
import { useTooLow } from "./useTooLow";
import { useWhatIf } from "./useWhatIf";

const UNSAID = "not said";
const MOVED = 0.5;
/** How long after a reading was left out the keys 1 to 5 say why. */
const REASONED_MS = 12_000;
const PANNED_H = 27;

/** Too high, when, and does it fall at night: everything on one clock, readings picked one by one. */
export default function PressureSheet({
  review,
  kind,
  limitSet,
  locked,
  actions,
  supposed,
  tried,
  onWhy,
  look,
}: ReviewSheetProps) {
  const { session, reviewed } = review;
  const whole = useMemo<[number, number]>(() => [0, Math.max(session.length_s, 60)], [session.length_s]);
  const [span, setSpan] = useState<[number, number]>(() => [0, Math.min(whole[1], PANNED_H * 3600)]);
  const [chosen, setChosen] = useState<string | null>(null);
  const [filter, setFilter] = useState<Filter | null>(null);
  const [justOut, setJustOut] = useState<string | null>(null);
  const [marking, setMarking] = useState<[number, number] | null>(null);
  const [more, setMore] = useState("");
  const whatIf = useWhatIf(limitSet, supposed);
  const { keep } = useKeepLimits(limitSet ?? NO_SET, (made) => {
    whatIf.back();
    look(made.id);
  });
  const changes = useMemo(() => offsetChanges(review.events), [review.events]);
  const clock = useMemo(() => wallClock(session, changes), [session, changes]);
  const moment = useMemo(() => wallMoment(session, changes), [session, changes]);
  const axis = useMemo(() => wallAxis(session, changes), [session, changes]);
  const edging = useEdges({ review, kind, locked, actions, supposed });
  // What is typed as a limit recolours and recounts; verdicts follow only what is about the recording itself.
  const shown = supposed.supposed ?? reviewed;
  const readings = useMemo(() => readingsOf(shown), [shown]);
  const visible = readings.filter((r) => passes(r, filter));
  const medicines = useQuery({
    queryKey: ["people", "medicines", "session", session.id, session.person_id],
    queryFn: () =>
      ask(api.GET("/api/sessions/{session_id}/medicines", { params: { path: { session_id: session.id } } })),
  });
  const asleep = useMemo(
    () =>
      (reviewed.stretches ?? []).map((s): [number, number] => {
        const band = edging.moved({ startS: s.start_s, endS: s.end_s, look: "asleep", text: "" });
        return [band.startS, band.endS];
      }),
    [reviewed.stretches, edging.moved],
  );
  const marks = useMemo<Mark[]>(() => {
    const pressed = (reviewed.events ?? [])
      .filter((e) => e.code === "button" || e.code === "event")
      .map(
        (e): Mark => ({
          atS: e.at_s,
          text: e.text === "event button" ? "button" : `button: ${e.text}`,
          look: "button",
        }),
      );
    const begins = clockMin(clock(0));
    const taken = (medicines.data ?? []).flatMap((m) =>
      m.times.flatMap((time) =>
        momentsOf(clockMin(time), begins, session.length_s / 60).map(
          (min): Mark => ({ atS: min * 60, text: m.name, look: "medicine" }),
        ),
      ),
    );
    return [...pressed, ...taken];
  }, [reviewed.events, medicines.data, clock, session.length_s]);
  const levels = useMemo(
    () =>
      (shown.levels ?? []).map((l) => {
        const limit = l.figure ? { figure: l.figure, parameters: "{}", step: l.step } : undefined;
        const value = (limit && tried?.valueOf(limit)) ?? l.value;
        return { value, startS: l.start_s, endS: l.end_s, name: l.name, limit };
      }),
    [shown.levels, tried],
  );
  const chart: Chart = {
    readings,
    levels,
    activity: useMemo(() => activityOf(shown), [shown]),
    quiet: useMemo(() => quietOf(shown), [shown]),
    asleep,
    leftOut: stretchesOf(review, "left out").map((s) => ({ startS: s.start_s, endS: s.end_s, text: s.reason })),
    doubted: shown.suggestions.map((each) => ({ startS: each.start_s, endS: each.end_s, text: each.reason })),
    marks,
    chosen,
    edges: edging.edges,
    span,
    clock: moment,
    axis,
  };
  const decided = useMemo(
    () =>
      new Map<string, Decided>(
        review.decisions
          .filter((d) => d.what === "dropped" || d.what === "kept")
          .map((d) => [
            d.key.split("+")[0] ?? d.key,
            { id: d.id, what: d.what, reason: d.reason === UNSAID ? "" : d.reason },
          ]),
      ),
    [review.decisions],
  );
  const word = wordOf(kind, kind.reading_code);
  const reasons = word?.reasons ?? [];
  const choose = useCallback(
    (key: string) => {
      setChosen(key);
      const at = Number.parseFloat(key.split("@")[1] ?? "0");
      setSpan((now) => {
        if (at >= now[0] && at <= now[1]) return now;
        const half = (now[1] - now[0]) / 2;
        const start = Math.min(Math.max(at - half, 0), Math.max(whole[1] - 2 * half, 0));
        return [start, start + 2 * half];
      });
    },
    [whole],
  );
  const leaveOut = (r: Reading, reason = UNSAID) => {
    if (locked || !counts(r)) return;
    setJustOut(r.key);
    actions.drop(r.key, 0, reason);
  };
  const backIn = (r: Reading) => {
    if (locked || counts(r) || !isValid(r)) return;
    setJustOut(null);
    const own = decided.get(r.key);
    if (own?.what === "dropped") actions.takeBack([own.id]);
    else actions.keep(r.key, 0);
  };
  const say = (key: string, reason: string) => {
    setJustOut(null);
    actions.drop(key, 0, reason);
  };
  useEffect(() => {
    if (justOut === null) return;
    const timer = setTimeout(() => setJustOut(null), REASONED_MS);
    return () => clearTimeout(timer);
  }, [justOut]);
  const current = readings.find((r) => r.key === chosen);
  const walk = (by: number) => {
    const at = visible.findIndex((r) => r.key === chosen);
    const next = visible[at < 0 ? (by > 0 ? 0 : visible.length - 1) : at + by];
    if (next) choose(next.key);
  };
  const latest = useRef({ walk, leaveOut, backIn, say, current });
  latest.current = { walk, leaveOut, backIn, say, current };
  const keys = useMemo<Key[]>(
    () => [
      { keys: "ArrowDown", does: "next reading", run: () => latest.current.walk(1) },
      { keys: "ArrowUp", does: "reading before", run: () => latest.current.walk(-1) },
      {
        keys: "x",
        does: "leave the chosen reading out, or put it back",
        run: () => {
          const { current: r } = latest.current;
          if (!r) return;
          if (counts(r)) latest.current.leaveOut(r);
          else latest.current.backIn(r);
        },
      },
      ...(justOut ? reasons.slice(0, 5) : []).map((reason, i) => ({
        keys: String(i + 1),
        does: `why it was left out: ${reason}`,
        run: () => justOut && latest.current.say(justOut, reason),
        first: true,
      })),
      {
        keys: "m",
        does: "mark a stretch, or leave it out",
        run: () => !locked && setMarking([span[0], Math.min(span[0] + 3600, span[1])]),
      },
    ],
    [reasons, justOut, locked, span],
  );
  useKeys(keys);
  const scale = useMemo(() => pressureScale(readings, levels), [readings, levels]);
  const classes = useMemo(() => classesOf(shown), [shown]);
  const hours = useMemo(() => hoursOf(shown, readings), [shown, readings]);
  const bins = useMemo(() => binsOf(shown), [shown]);
  const corners = useMemo(() => cornersOf(levels), [levels]);
  const reach = (from: typeof reviewed) => {
    const figure = (key: string) => from.figures.find((f) => f.key === key)?.value;
    return `${number(figure("all.reached"), 0)} of ${number(figure("all.valid"), 0)}`;
  };
  const source = reviewed.quality.findings.find((f) => f.code === "sleep-source")?.text.replace("asleep ", "") ?? "";
  const zoomed = span[1] - span[0] < whole[1] - MOVED || span[0] > MOVED;
  const moving = edging.moving;
  const table = reviewed.tables.find((t) => t.key === more);
  const tables = reviewed.tables.filter((t) => !["readings", "activity", "quiet", "classes"].includes(t.key));
  // An edge that moves draws the chart anew, many times a second: what it does not change is not made anew beside it.
  const pictures = useMemo(
    () => (
      <div className="mt-2.5 grid gap-2.5 grid-cols-2 min-[1180px]:grid-cols-[minmax(0,1.15fr)_minmax(0,1fr)_minmax(0,1.15fr)]">
        <HourMeans hours={hours} bins={bins} asleep={asleep} lengthS={session.length_s} axis={axis} scale={scale} />
        <CornerPicture readings={readings} corners={corners} chosen={chosen} onChoose={choose} />
        <ClassBars rows={classes} words={classes[0]?.words ?? ""} filter={filter} onFilter={setFilter} />
      </div>
    ),
    [hours, bins, asleep, session.length_s, axis, scale, readings, corners, chosen, choose, classes, filter],
  );
  const { texts, changed, wish } = whatIf;
  const tooLow = useTooLow();
  // biome-ignore lint/correctness/useExhaustiveDependencies: what entries and decisions say stands for the functions that work on them
  const readingsTable = useMemo(
    () => (
      <ReadingsTable
        readings={visible}
        all={readings.length}
        chosen={chosen}
        justOut={justOut}
        reasons={reasons}
        decided={decided}
        clock={moment}
        locked={locked}
        whatIf={whatIf}
        tooLow={tooLow}
        held={readings}
        count={reach(shown)}
        countNow={reach(reviewed)}
        onChoose={choose}
        onOut={leaveOut}
        onBackIn={backIn}
        onReason={(r, reason) => say(r.key, reason)}
        onAll={() => setFilter(null)}
        onKeepLimits={() => whatIf.wish && keep(whatIf.wish)}
      />
    ),
    [
      readings,
      filter,
      chosen,
      justOut,
      reasons,
      decided,
      moment,
      locked,
      texts.awake,
      texts.asleep,
      changed,
      wish,
      tooLow.texts,
      shown,
      reviewed,
    ],
  );
  return (
    <>
      <KeyPressures review={review} supposed={moving || !whatIf.changed ? supposed.supposed : null} onWhy={onWhy} />
      <PressureChart
        chart={chart}
        whole={whole}
        head={
          <>
            <SleepTimes
              sleeps={asleep}
              source={source}
              clock={clock}
              locked={locked}
              moved={stretchesOf(review, "asleep").length > 0}
              onMove={(sleeps) => Promise.resolve(actions.resleep(sleeps))}
              onBack={() => actions.takeBack(stretchesOf(review, "asleep").map((s) => s.id))}
            />
            {zoomed && (
              <Button size="small" onClick={() => setSpan(whole)}>
                whole recording
              </Button>
            )}
          </>
        }
        onSpan={setSpan}
        onSelect={(a, b) => !locked && setMarking([Math.max(a, 0), Math.min(b, session.length_s)])}
        onChoose={choose}
        onEdge={edging.onEdge}
        onLine={tried?.move}
      />
      {pictures}
      {readingsTable}
      <section aria-label="Figures and tables" className="mt-2.5 rounded-lg border border-line bg-panel px-3 py-2">
        <div role="tablist" aria-label="Figures and tables" className="flex flex-wrap gap-x-4 text-[13px]">
          {[{ key: "figures", title: `All figures ${reviewed.figures.length}` }, ...tables].map((t) => (
            <button
              key={t.key}
              type="button"
              role="tab"
              aria-selected={more === t.key}
              onClick={() => setMore(more === t.key ? "" : t.key)}
              className={`min-h-6 border-b-2 font-narrow font-semibold ${more === t.key ? "border-brass" : "border-transparent text-act hover:underline"}`}
            >
              {t.title}
            </button>
          ))}
        </div>
        {more !== "" && (
          <div role="tabpanel" aria-label={table?.title ?? "All figures"} className="pt-1">
            {table ? (
              <DataTable key={table.key} table={table} clock={moment} onTime={() => {}} />
            ) : (
              <FiguresTable review={review} supposed={null} onWhy={onWhy} compact={false} />
            )}
          </div>
        )}
      </section>
      {marking && (
        <MarkStretch
          review={review}
          kind={kind}
          actions={actions}
          supposed={supposed}
          clock={clock}
          moment={moment}
          span={marking}
          onClose={() => setMarking(null)}
        />
      )}
    </>
  );
}

/** Stands where no limit set is known (yet): nothing is kept over it. */
const NO_SET = { id: 0, key: "", kind: "", name: "", issuer: "", version: "", shipped: true, data: {} } as never;

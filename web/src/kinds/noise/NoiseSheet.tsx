import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useEffect, useMemo, useRef, useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import type { Tried } from "@/charts/limitLine";
import { type Band, type Line, TimeBars } from "@/charts/TimeBars";
import { type Figure, stretchesOf } from "@/sheet/assessed";
import type { ReviewSheetProps } from "@/sheet/contract";
import { FiguresTable } from "@/sheet/FiguresTable";
import { KeyFigures } from "@/sheet/KeyFigures";
import { MarkStretch } from "@/sheet/MarkStretch";
import { Button } from "@/ui/basics";
import { length, number, offsetChanges, wallAxis, wallClock, wallMoment } from "@/ui/format";
import { type Key, useKeys } from "@/ui/keys";
import { ShareBars, SpreadBars } from "./pictures";

/** Limit lines for a picture of the A-weighted level, where they are tried as they would be. */
function linesOf(limitSet: Schemas["LimitSet"] | undefined, tried: Tried | null): Line[] {
  const rules = (
    (limitSet?.data.rules ?? []) as {
      figure: string;
      unit: string;
      parameters?: Record<string, number>;
      steps: { value: number; verdict: string; name: string }[];
    }[]
  ).filter((r) => r.figure !== "lex8h_protected");
  const lines = rules
    .filter((r) => r.unit === "dB(A)")
    .flatMap((r) =>
      r.steps.map((s, step): Line => {
        const limit = { figure: r.figure, parameters: JSON.stringify(r.parameters ?? {}), step };
        const colour = s.verdict === "above limit" ? "above" : "action";
        return { value: tried?.valueOf(limit) ?? s.value, text: s.name, colour, limit };
      }),
    );
  if (lines.length) return lines;
  return rules
    .filter((r) => r.parameters?.criterion_db)
    .map((r): Line => ({ value: r.parameters?.criterion_db ?? 85, text: "criterion level", colour: "above" }));
}

function shortName(figure: Figure): string {
  if (figure.key === "lex8h") return "LEX,8h, as reviewed";
  return figure.name.replace(/^[^:]*: /, "").replace(/^dose for the working day, /, "Dose, ");
}

const panel = "mt-2.5 rounded-lg border border-line bg-panel px-2.5 py-2";

/** The noise sheet: key figures, level over time, where the dose comes from, spread, all figures. */
export default function NoiseSheet({
  review,
  kind,
  limitSet,
  locked,
  actions,
  onWhy,
  supposed,
  tried,
}: ReviewSheetProps) {
  const { session, reviewed } = review;
  const whole = useMemo<[number, number]>(() => [0, session.length_s], [session.length_s]);
  const [span, setSpan] = useState<[number, number]>(whole);
  const [fine, setFine] = useState(false);
  const [channel, setChannel] = useState(review.main_channel);
  const [cursor, setCursor] = useState<{ atS: number; value: number } | null>(null);
  const [chosen, setChosen] = useState<[number, number] | null>(null);
  const [asked, setAsked] = useState(span);
  useEffect(() => {
    const timer = setTimeout(() => setAsked(span), 70);
    return () => clearTimeout(timer);
  }, [span]);
  const near = asked[1] - asked[0] <= 1400;
  const binS = near ? 1 : fine ? undefined : 60;
  const margin = (asked[1] - asked[0]) * 0.5;
  const start = Math.max(asked[0] - margin, 0);
  const end = Math.min(asked[1] + margin, session.length_s);
  const view = useQuery({
    queryKey: ["view", session.id, channel, Math.round(start), Math.round(end), binS ?? "fine"],
    queryFn: () =>
      ask(
        api.GET("/api/sessions/{session_id}/view", {
          params: {
            path: { session_id: session.id },
            query: { channel: [channel], start_s: start, end_s: end, points: 2560, ...(binS ? { bin_s: binS } : {}) },
          },
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const found = view.data?.[0];
  const isPeak = channel === "peak";
  const bars = useMemo(
    () => ({
      startS: found?.start_s ?? 0,
      binS: found?.bin_s ?? 60,
      values: (isPeak ? found?.high : found?.mean) ?? [],
    }),
    [found, isPeak],
  );
  const lines = useMemo(() => (isPeak ? peakLines(limitSet) : linesOf(limitSet, tried)), [limitSet, isPeak, tried]);
  const bands = useMemo<Band[]>(
    () => [
      ...stretchesOf(review).map(
        (s): Band => ({ startS: s.start_s, endS: s.end_s, look: s.what as "task", text: s.reason }),
      ),
      ...reviewed.suggestions.map(
        (s): Band => ({ startS: s.start_s, endS: s.end_s, look: "suggestion", text: s.reason }),
      ),
    ],
    [review, reviewed.suggestions],
  );
  const changes = useMemo(() => offsetChanges(review.events), [review.events]);
  const clock = useMemo(() => wallClock(session, changes), [session, changes]);
  const moment = useMemo(() => wallMoment(session, changes), [session, changes]);
  const axis = useMemo(() => wallAxis(session, changes), [session, changes]);
  const levels = review.channels.filter((c) => c.key.startsWith("leq.") || c.key === "peak");
  const unit = found?.unit ?? "dB";
  const binWords = bars.binS === 60 ? "one minute" : bars.binS === 1 ? "one second" : `${number(bars.binS, 0)} s`;
  const zoomed = span[1] - span[0] < session.length_s - 1;
  const hours = useDeferredValue(reviewed.tables.find((t) => t.key === "hours"));
  const half = reviewed.tables.find((t) => t.key === "half")?.rows[0];
  const spread = useDeferredValue(reviewed.tables.find((t) => t.key === "spread"));
  const typeStretch = useRef(() => {});
  typeStretch.current = () => !locked && setChosen([span[0], Math.min(span[0] + 300, span[1])]);
  const keys = useMemo<Key[]>(
    () => [{ keys: "m", does: "mark a stretch, or leave it out", run: () => typeStretch.current() }],
    [],
  );
  useKeys(keys);
  return (
    <>
      <KeyFigures review={review} supposed={supposed.supposed} nameOf={shortName} onWhy={onWhy} />
      <div className={panel}>
        <div className="flex flex-wrap items-center gap-2.5 text-[13px]">
          <select
            aria-label="What is shown"
            className="-ml-1 max-w-60 truncate rounded bg-transparent font-narrow font-semibold"
            value={channel}
            onChange={(e) => setChannel(e.target.value)}
          >
            {levels.map((c) => (
              <option key={c.key} value={c.key}>
                {c.name}, {c.unit}
              </option>
            ))}
          </select>
          <span className="text-soft">
            {binWords}
            {locked ? "" : ", drag to mark a stretch"}
          </span>
          <span className="ml-auto text-soft" aria-live="off">
            {cursor ? moment(cursor.atS, bars.binS < 60) : ""}{" "}
            <b className="font-semibold text-ink">{cursor ? `${number(cursor.value)} ${unit}` : ""}</b>
          </span>
          <fieldset className="flex" aria-label="Bars">
            <Button
              size="small"
              className="rounded-r-none"
              aria-pressed={!fine}
              look={fine ? "plain" : "primary"}
              onClick={() => setFine(false)}
            >
              1 min
            </Button>
            <Button
              size="small"
              className="rounded-l-none border-l-0"
              aria-pressed={fine}
              look={fine ? "primary" : "plain"}
              onClick={() => setFine(true)}
            >
              finest
            </Button>
          </fieldset>
          {zoomed && (
            <Button size="small" onClick={() => setSpan(whole)}>
              whole session
            </Button>
          )}
        </div>
        <TimeBars
          bars={bars}
          lines={lines}
          bands={bands}
          span={span}
          whole={whole}
          clock={(s) => clock(s, span[1] - span[0] < 600)}
          axis={(s) => axis(s, span[1] - span[0] < 600)}
          onSpan={setSpan}
          onSelect={(a, b) => !locked && setChosen([Math.max(a, 0), Math.min(b, session.length_s)])}
          onCursor={setCursor}
          onLine={tried?.move}
          height={230}
          label={`Level over time in ${unit}. Plus and minus zoom, arrows move, 0 shows the whole session.`}
        />
        {!locked && (
          <button
            type="button"
            className="text-[12.5px] text-act hover:underline"
            onClick={() => typeStretch.current()}
          >
            type a stretch instead of dragging
          </button>
        )}
      </div>
      <div className="grid grid-cols-2 gap-2.5">
        <div className={panel}>
          <span className="flex flex-wrap items-baseline gap-x-2 text-[13px]">
            <b className="font-narrow font-semibold">Where the dose comes from</b>
            {half && (
              <button
                type="button"
                className="text-act hover:underline"
                onClick={() => setSpan(around(Number(half[0]), Number(half[1]), session.length_s))}
              >
                half of it in {length(Number(half[1]) - Number(half[0]))}, from {moment(Number(half[0]))}
              </button>
            )}
          </span>
          {hours && (
            <ShareBars table={hours} clock={clock} onPick={(s) => setSpan([s, Math.min(s + 3600, session.length_s)])} />
          )}
        </div>
        <div className={panel}>
          <b className="font-narrow font-semibold text-[13px]">Spread of levels, dB(A)</b>
          {spread && <SpreadBars table={spread} lines={linesOf(limitSet, tried)} />}
        </div>
      </div>
      <section className="mt-2.5 rounded-lg border border-line bg-panel px-3 py-2">
        <h2 className="mb-1">All figures</h2>
        <FiguresTable review={review} supposed={supposed.supposed} onWhy={onWhy} />
      </section>
      {chosen && (
        <MarkStretch
          review={review}
          kind={kind}
          actions={actions}
          supposed={supposed}
          clock={clock}
          moment={moment}
          span={chosen}
          onClose={() => setChosen(null)}
        />
      )}
    </>
  );
}

/** A stretch with some room on both sides. */
function around(startS: number, endS: number, lengthS: number): [number, number] {
  const room = Math.max((endS - startS) * 0.3, 300);
  return [Math.max(startS - room, 0), Math.min(endS + room, lengthS)];
}

function peakLines(limitSet: Schemas["LimitSet"] | undefined): Line[] {
  const rules = (limitSet?.data.rules ?? []) as {
    figure: string;
    steps: { value: number; verdict: string; name: string }[];
  }[];
  return rules
    .filter((r) => r.figure === "lcpeak")
    .flatMap((r) => r.steps)
    .map((s): Line => ({ value: s.value, text: s.name, colour: s.verdict === "above limit" ? "above" : "action" }));
}

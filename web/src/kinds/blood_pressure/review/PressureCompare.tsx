import { scaleLinear } from "d3-scale";
import { useMemo, useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "@/api/client";
import { type Assessed, type Assessment, figureOf } from "@/sheet/assessed";
import type { CompareProps } from "@/sheet/contract";
import { judgementOf } from "@/sheet/KeyFigures";
import { Verdict, type VerdictWord } from "@/ui/basics";
import { day, number, offsetChanges, unitWords, wallAxis, wallMoment } from "@/ui/format";
import { clockMin, clockText } from "../day";
import { type Chart, type Level, pressureScale, type Scale } from "./chart";
import { PressureChart } from "./PressureChart";
import { activityOf, hoursOf, quietOf, readingsOf } from "./readings";

type Change = Schemas["FigureChange"];
const PERIODS = [
  ["all", "24 h mean"],
  ["awake", "Awake"],
  ["asleep", "Asleep"],
] as const;
const FOREMOST = 8;
const ORDER: VerdictWord[] = ["within", "action level reached", "above limit", "not assessable"];
const label = "fill-(--soft) font-narrow text-[11.5px]";

const signed = (value: number | null, decimals: number) =>
  value === null ? "–" : `${value > 0 ? "+" : ""}${number(value, decimals).replace("-", "−")}`;
const unitOf = (c: Change) => (c.unit === "%" ? "points" : unitWords(c.unit));
const shortDay = (r: Assessed) => day(r.session.started_at, r.session.utc_offset_min).replace(/ \d{4}$/, "");

function worst(found: Assessment, period: string): VerdictWord {
  const judged = ["systolic", "diastolic"].map((q) => {
    const figure = figureOf(found, `${period}.${q}.mean`);
    return (figure && judgementOf(found, figure)?.verdict) ?? "";
  });
  return judged.sort((a, b) => ORDER.indexOf(b) - ORDER.indexOf(a))[0] ?? "";
}

const standsAs = (verdict: VerdictWord) =>
  verdict === "within" ? "below" : verdict === "not assessable" ? "not assessable" : verdict === "" ? "" : "above";

/** The means before and after, by how much they moved, and how they stand to their limits. */
function KeyChanges({ before, after, changes }: { before: Assessment; after: Assessment; changes: Change[] }) {
  const of = (key: string) => changes.find((c) => c.figure === key);
  const whole = (found: Assessment, period: string) =>
    ["systolic", "diastolic"].map((q) => number(figureOf(found, `${period}.${q}.mean`)?.value, 0)).join("/");
  const cell = "flex min-w-0 flex-col bg-panel px-3 py-2";
  const dips = [before, after].map((found) => figureOf(found, "dip.systolic"));
  const dip = of("dip.systolic");
  return (
    <div className="mt-2.5 grid grid-cols-2 gap-px overflow-hidden rounded-lg border border-line bg-line min-[900px]:grid-cols-4">
      {PERIODS.map(([period, name]) => {
        const pair = ["systolic", "diastolic"].map((q) => of(`${period}.${q}.mean`));
        const [was, now] = [worst(before, period), worst(after, period)];
        const limits = ["systolic", "diastolic"]
          .map((q) => {
            const figure = figureOf(after, `${period}.${q}.mean`);
            const limit = figure && judgementOf(after, figure)?.limit;
            return limit == null ? "–" : number(limit, 0);
          })
          .join("/");
        return (
          <div key={period} className={cell}>
            <span className="font-medium font-narrow text-[12.5px] text-soft">{name}</span>
            <span className="whitespace-nowrap font-narrow font-semibold text-[22px] leading-[1.25]">
              <span className="font-medium text-[15px] text-soft">{whole(before, period)} → </span>
              {whole(after, period)}
              <span className="ml-1 font-medium text-[13px] text-soft max-[1240px]:hidden">mmHg</span>
            </span>
            <b className="whitespace-nowrap font-narrow font-semibold text-[13px]">
              {changes.length > 0 ? `${pair.map((c) => signed(c?.difference ?? null, 0)).join("/")} mmHg` : " "}
            </b>
            <Verdict
              verdict={now}
              words={`${standsAs(now)} ${limits}${was !== now ? `, was ${standsAs(was)}` : ", as before"}`}
            />
          </div>
        );
      })}
      <div className={cell}>
        <span className="font-medium font-narrow text-[12.5px] text-soft">Dip in sleep, systolic</span>
        <span className="whitespace-nowrap font-narrow font-semibold text-[22px] leading-[1.25]">
          <span className="font-medium text-[15px] text-soft">{number(dips[0]?.value, 1)} → </span>
          {number(dips[1]?.value, 1)}
          <span className="ml-1 font-medium text-[13px] text-soft max-[1240px]:hidden">%</span>
        </span>
        <b className="whitespace-nowrap font-narrow font-semibold text-[13px]">
          {dip
            ? `${signed(dip.difference, 1)} points${dip.standing === "within" ? ", within day to day" : dip.standing === "beyond" ? ", beyond day to day" : ""}`
            : " "}
        </b>
        <Verdict
          verdict={
            dips[1]?.value == null ? "not assessable" : dips[1].state === "normal" ? "within" : "action level reached"
          }
          words={`${dips[1]?.state || "not assessable"}${dips[0]?.state !== dips[1]?.state ? `, was ${dips[0]?.state || "not assessable"}` : ", as before"}`}
        />
      </div>
    </div>
  );
}

/** The means of the periods as lines over their spans. */
function meansOf(found: Assessment, asleep: [number, number][], lengthS: number): Level[] {
  const awake: [number, number][] = [];
  let from = 0;
  for (const [a, b] of asleep) {
    if (a > from) awake.push([from, a]);
    from = Math.max(from, b);
  }
  if (from < lengthS) awake.push([from, lengthS]);
  return ["systolic", "diastolic"].flatMap((q) =>
    [["awake", awake] as const, ["asleep", asleep] as const].flatMap(([period, spans]) => {
      const value = figureOf(found, `${period}.${q}.mean`)?.value;
      return value == null ? [] : spans.map(([startS, endS]): Level => ({ value, startS, endS }));
    }),
  );
}

function useChart(review: Assessed, span: [number, number]): Chart {
  const { session, reviewed } = review;
  return useMemo(() => {
    const changes = offsetChanges(review.events);
    const asleep = (reviewed.stretches ?? []).map((s): [number, number] => [
      s.start_s,
      Math.min(s.end_s, session.length_s),
    ]);
    return {
      readings: readingsOf(reviewed),
      levels: (reviewed.levels ?? []).map((l) => ({ value: l.value, startS: l.start_s, endS: l.end_s })),
      means: meansOf(reviewed, asleep, session.length_s),
      activity: activityOf(reviewed),
      quiet: quietOf(reviewed),
      asleep,
      leftOut: [],
      doubted: [],
      marks: [],
      chosen: null,
      edges: [],
      span,
      clock: wallMoment(session, changes),
      axis: wallAxis(session, changes),
    };
  }, [review, reviewed, session, span]);
}

/** Each change beside the span that it moves in from day to day: outside it is one, inside it is none. */
function WhatChanged({ changes, spansFrom, kind }: { changes: Change[]; spansFrom: string; kind: string }) {
  const shown = changes.slice(0, FOREMOST);
  const known = shown.filter((c) => Number.isFinite(c.span.value ?? Number.NaN));
  const most = Math.max(
    ...shown.map((c) => Math.max(Math.abs(c.difference ?? 0), Math.min(c.span.value ?? 0, 60))),
    10,
  );
  const x = scaleLinear([-most * 1.1, most * 1.1], [210, 418]);
  const row = 21;
  const sources = new Set(known.map((c) => c.span.origin));
  return (
    <section aria-label="What changed" className="min-w-0 rounded-lg border border-line bg-panel px-3 py-2">
      <div className="flex flex-wrap items-baseline gap-x-3 text-[13px]">
        <b className="font-narrow font-semibold">What changed</b>
        <span className="text-soft">
          <i className="mr-1 inline-block h-2.5 w-5 rounded-sm bg-hair align-middle" />
          usual from one day to another
        </span>
        <Link className="ml-auto min-h-6 text-act hover:underline" to={`/settings?kind=${kind}`}>
          edit these spans
        </Link>
      </div>
      <svg
        viewBox={`0 0 500 ${row * shown.length + 26}`}
        className="w-full"
        role="img"
        aria-label={shown.map((c) => `${c.label} ${signed(c.difference, c.decimals)} ${unitOf(c)}`).join("; ")}
      >
        <line x1={x(0)} x2={x(0)} y1={4} y2={row * shown.length + 6} stroke="var(--soft)" />
        {shown.map((c, i) => {
          const y = 16 + i * row;
          const span = c.span.value;
          const at = x(c.difference ?? 0);
          return (
            <g key={c.figure}>
              <text x={0} y={y + 4} className="fill-(--ink) font-narrow text-[12.5px]">
                {c.label}
              </text>
              <text x={152} y={y + 4} textAnchor="end" className="fill-(--soft) font-narrow text-[12.5px]">
                {number(c.before, c.decimals)}
              </text>
              <text x={163} y={y + 4} textAnchor="middle" className="fill-(--soft) font-narrow text-[12.5px]">
                →
              </text>
              <text x={200} y={y + 4} textAnchor="end" className="fill-(--ink) font-narrow text-[12.5px]">
                {number(c.after, c.decimals)}
              </text>
              {span !== null && (
                <rect
                  x={Math.max(x(-span), 210)}
                  width={Math.min(x(span), 418) - Math.max(x(-span), 210)}
                  y={y - 6}
                  height={12}
                  rx={2}
                  fill="var(--hair)"
                />
              )}
              {c.difference !== null && (
                <>
                  <line
                    x1={x(0)}
                    x2={at}
                    y1={y}
                    y2={y}
                    stroke="var(--act)"
                    strokeWidth={2}
                    strokeDasharray={c.standing === "beyond" ? undefined : "2 2"}
                  />
                  <circle
                    cx={at}
                    cy={y}
                    r={5}
                    fill={c.standing === "beyond" ? "var(--act)" : "var(--panel)"}
                    stroke={c.standing === "not known" ? "var(--none)" : "var(--act)"}
                    strokeWidth={2}
                  />
                </>
              )}
              <text x={498} y={y + 4} textAnchor="end" className="fill-(--ink) font-narrow font-semibold text-[12.5px]">
                {signed(c.difference, c.decimals)} {unitOf(c)}
              </text>
            </g>
          );
        })}
        {x.ticks(5).map((v) => (
          <text key={v} x={x(v)} y={row * shown.length + 22} textAnchor="middle" className={label}>
            {signed(v, 0)}
          </text>
        ))}
      </svg>
      <p className="text-[12.5px] text-soft">
        ● changed ○ as from day to day {known.length < shown.length && "; grey ○: not known"}
        {known.length > 0 &&
          `. Spans: ${[
            sources.has("own") ? "own earlier recordings" : "",
            sources.has("set") ? `set by the clinic${spansFrom ? ` (${spansFrom})` : ", no source noted"}` : "",
          ]
            .filter(Boolean)
            .join("; ")}`}
      </p>
    </section>
  );
}

/** The means of each hour of both recordings on one clock. */
function HourByHour({ before, after, scale }: { before: Assessed; after: Assessed; scale: Scale }) {
  const both = [before, after].map((r) => {
    const begins = clockMin(wallMoment(r.session)(0));
    return hoursOf(r.reviewed, readingsOf(r.reviewed)).flatMap((h) =>
      h.means.systolic === null ? [] : [{ min: begins + h.atS / 60 + 30, value: h.means.systolic }],
    );
  });
  const all = both.flat();
  const ends: Scale = [Math.min(...all.map((p) => p.min)) - 30, Math.max(...all.map((p) => p.min)) + 30];
  const x = scaleLinear(ends, [28, 296]);
  const y = scaleLinear(scale, [150, 8]).clamp(true);
  const path = (points: { min: number; value: number }[]) => {
    let d = "";
    points.forEach((p, i) => {
      const gap = i === 0 || p.min - (points[i - 1]?.min ?? 0) > 100;
      d += `${gap ? "M" : "L"}${x(p.min).toFixed(1)} ${y(p.value).toFixed(1)}`;
    });
    return d;
  };
  const marks: number[] = [];
  for (let m = Math.ceil(ends[0] / 360) * 360; m < ends[1]; m += 360) marks.push(m);
  const later = new Map(both[1]?.map((p) => [Math.floor(p.min / 60), p.value]));
  return (
    <section aria-label="Systolic by the hour" className="min-w-0 rounded-lg border border-line bg-panel px-3 py-2">
      <div className="flex items-baseline gap-x-3 text-[13px]">
        <b className="whitespace-nowrap font-narrow font-semibold">Systolic by the hour</b>
        <span className="ml-auto whitespace-nowrap text-[12px] text-soft">
          <svg viewBox="0 0 22 8" className="mr-1 inline-block w-[22px]" aria-hidden="true">
            <path d="M0 4H22" stroke="var(--act)" strokeWidth={2} strokeDasharray="3 2" />
          </svg>
          before
          <svg viewBox="0 0 22 8" className="mr-1 ml-2 inline-block w-[22px]" aria-hidden="true">
            <path d="M0 4H22" stroke="var(--act)" strokeWidth={2.6} />
          </svg>
          after
        </span>
      </div>
      <svg
        viewBox="0 0 300 172"
        className="w-full"
        role="img"
        aria-label="Systolic means of each hour, before and after"
      >
        {y.ticks(4).map((v) => (
          <g key={v}>
            <line x1={28} x2={296} y1={y(v)} y2={y(v)} stroke="var(--hair)" />
            <text x={24} y={y(v) + 4} textAnchor="end" className={label}>
              {v}
            </text>
          </g>
        ))}
        {both[0]?.map((p) => {
          const then = later.get(Math.floor(p.min / 60));
          return then === undefined ? null : (
            <rect
              key={p.min}
              x={x(p.min) - 3}
              width={6}
              y={Math.min(y(p.value), y(then))}
              height={Math.abs(y(p.value) - y(then))}
              fill={then <= p.value ? "var(--act)" : "var(--above)"}
              opacity={0.16}
            />
          );
        })}
        <path d={path(both[0] ?? [])} fill="none" stroke="var(--act)" strokeWidth={1.8} strokeDasharray="3 2.5" />
        <path d={path(both[1] ?? [])} fill="none" stroke="var(--act)" strokeWidth={2.4} />
        {marks.map((m) => (
          <text key={m} x={x(m)} y={167} textAnchor="middle" className={label}>
            {clockText(m)}
          </text>
        ))}
      </svg>
    </section>
  );
}

const WORDS: Record<string, string> = {
  "awake.systolic.load": "readings at or above their limit",
  "asleep.systolic.load": "readings at or above their limit",
  "awake.systolic.sd": "steadiness by day",
  "all.valid_share": "of all tries",
};

/** Did the treatment work: size, direction and doubt together. */
export default function PressureCompare({ before, after, comparison, kind }: CompareProps) {
  const whole = useMemo<[number, number]>(
    () => [0, Math.max(before.session.length_s, after.session.length_s, 60)],
    [before, after],
  );
  const [span, setSpan] = useState(whole);
  const [cursorS, setCursorS] = useState<number | null>(null);
  const left = useChart(before, span);
  const right = useChart(after, span);
  const scale = useMemo(
    () => pressureScale([...left.readings, ...right.readings], [...left.levels, ...right.levels]),
    [left, right],
  );
  const shared = { atS: cursorS, onCursor: setCursorS };
  const nothing = () => {};
  return (
    <>
      <KeyChanges before={before.reviewed} after={after.reviewed} changes={comparison.changes} />
      <div className="grid gap-x-2.5 min-[900px]:grid-cols-2">
        {[[left, "Before", before] as const, [right, "After", after] as const].map(([chart, name, review]) => (
          <PressureChart
            key={name}
            title={`${name}: ${shortDay(review)}`}
            chart={chart}
            whole={whole}
            head={null}
            scale={scale}
            shared={shared}
            onSpan={setSpan}
            onSelect={nothing}
            onChoose={nothing}
            onEdge={nothing}
          />
        ))}
      </div>
      {comparison.changes.length > 0 && (
        <>
          <div className="mt-2.5 grid gap-2.5 min-[900px]:grid-cols-[minmax(0,1.4fr)_minmax(0,1fr)]">
            <WhatChanged changes={comparison.changes} spansFrom={comparison.spans_from} kind={kind.key} />
            <HourByHour before={before} after={after} scale={scale} />
          </div>
          <section aria-label="Other figures" className="mt-2.5 rounded-lg border border-line bg-panel px-3 py-2">
            <table className="w-full text-[13px]">
              <thead className="text-right font-narrow text-[12.5px] text-soft">
                <tr>
                  <th className="py-0.5 text-left font-medium">Other figures</th>
                  <th className="font-medium">Before</th>
                  <th className="font-medium">After</th>
                  <th className="font-medium">Difference</th>
                  <th className="pl-4 text-left font-medium">In words</th>
                </tr>
              </thead>
              <tbody>
                {comparison.changes.slice(FOREMOST).map((c) => (
                  <tr key={c.figure} className="border-hair border-t text-right">
                    <td className="py-1 text-left">{c.label}</td>
                    <td className="text-soft">{`${number(c.before, c.decimals)} ${unitWords(c.unit)}`}</td>
                    <td className="text-soft">{`${number(c.after, c.decimals)} ${unitWords(c.unit)}`}</td>
                    <td className="font-semibold">{`${signed(c.difference, c.decimals)} ${unitOf(c)}`}</td>
                    <td className="pl-4 text-left text-soft">{WORDS[c.figure] ?? ""}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </section>
        </>
      )}
    </>
  );
}

import { useEffect, useState } from "react";
import { useCalmNow, useLiveValues, useLost } from "@/features/sensors/live";
import { Button, Field, inputLook } from "@/ui/basics";
import { number, unitWords } from "@/ui/format";
import { type Check, type Row, type Run, useBenchDeeds } from "./useBench";

const SHOWN_S = 90;
const WIDTH = 640;
const HEIGHT = 120;
const LEFT = 44;
const RIGHT = 8;

const most = (word: Check, applied: number) => Math.max(Math.abs(applied) * word.share, word.amount);

/** For how long the newest values have stayed within the band, in s. */
function steadyFor(course: [number, number][], band: number): number {
  let low = Number.POSITIVE_INFINITY;
  let high = Number.NEGATIVE_INFINITY;
  for (let i = course.length - 1; i >= 0; i--) {
    const [at, value] = course[i] as [number, number];
    low = Math.min(low, value);
    high = Math.max(high, value);
    if (high - low > band) return -(course[i + 1]?.[0] ?? 0);
    if (i === 0) return -at;
  }
  return 0;
}

/** The live value of the last ninety seconds against what is applied and what it may deviate. */
function Curve({ recorder, row, word, applied }: { recorder: number; row: Row; word: Check; applied: number | null }) {
  const live = useLiveValues(recorder, [row.channel], [], SHOWN_S);
  const lost = useLost(live);
  useCalmNow(live);
  const course = live.course(row.channel);
  const last = course[course.length - 1]?.[1];
  const off = applied === null ? 0 : most(word, applied);
  const values = [...course.map(([, v]) => v), ...(applied === null ? [] : [applied - off, applied + off])];
  const low = Math.min(...values);
  const high = Math.max(...values);
  const room = Math.max((high - low) * 0.08, 10 ** -row.decimals);
  const y = (v: number) => HEIGHT - 6 - ((v - low + room) / (high - low + 2 * room)) * (HEIGHT - 12);
  const x = (at: number) => LEFT + ((at + SHOWN_S) / SHOWN_S) * (WIDTH - LEFT - RIGHT);
  const steady = word.by_hand ? Math.min(steadyFor(course, word.band), word.steady_s) : null;
  return (
    <figure className="min-w-0 flex-1">
      <figcaption className="flex flex-wrap items-baseline gap-x-3 text-[13px]">
        <b className="font-semibold">
          {row.label}, {unitWords(row.unit)}
        </b>
        <span className="text-soft">
          {lost ||
            (steady === null
              ? "what it shows now"
              : steady >= word.steady_s
                ? "steady"
                : `steady for ${number(steady, 0)} of ${number(word.steady_s, 0)} s, within ${number(word.band, 1)} ${unitWords(row.unit)}`)}
        </span>
        <b className="ml-auto font-semibold">
          {last === undefined ? "–" : number(last, Math.max(row.decimals, 1))} {unitWords(row.unit)}
        </b>
      </figcaption>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT + 16}`}
        className="w-full text-[11px]"
        role="img"
        aria-label={`${row.label}, live`}
      >
        {applied !== null && (
          <>
            <rect
              x={LEFT}
              width={WIDTH - LEFT - RIGHT}
              y={y(applied + off)}
              height={Math.max(y(applied - off) - y(applied + off), 1)}
              fill="var(--act-soft)"
            />
            <line
              x1={LEFT}
              x2={WIDTH - RIGHT}
              y1={y(applied)}
              y2={y(applied)}
              stroke="var(--ink)"
              strokeDasharray="5 4"
            />
            <text x={LEFT + 4} y={y(applied) - 4} fill="var(--soft)">
              applied {number(applied, row.decimals)}, allowed {word.allowed}
            </text>
          </>
        )}
        {values.length > 0 &&
          [low, high].map((v, i) => (
            <text key={i === 0 ? "low" : "high"} x={LEFT - 5} y={y(v) + 4} textAnchor="end" fill="var(--soft)">
              {number(v, row.decimals)}
            </text>
          ))}
        <path
          d={course.map(([at, v], i) => `${i ? "L" : "M"}${x(at).toFixed(1)} ${y(v).toFixed(1)}`).join("")}
          fill="none"
          stroke="var(--act)"
          strokeWidth={1.8}
        />
        {[-90, -60, -30, 0].map((s) => (
          <text key={s} x={x(s)} y={HEIGHT + 12} textAnchor={s === 0 ? "end" : "middle"} fill="var(--soft)">
            {s === 0 ? "now" : `${s} s`.replace("-", "−")}
          </text>
        ))}
      </svg>
    </figure>
  );
}

/** The sensor that a recorder checks by itself now. */
export function AtWork({ run, word }: { run: Run; word: Check }) {
  const row = run.rows.find((each) => each.state === "runs");
  if (!row?.channel) return null;
  return (
    <div className="pt-2">
      <Curve key={row.sensor} recorder={run.recorder_id} row={row} word={word} applied={row.applied} />
    </div>
  );
}

const typedNumber = (text: string) => {
  const value = Number(text.replace(",", "."));
  return text.trim() === "" || !Number.isFinite(value) ? null : value;
};

/** The step that somebody reads next: what to do, the live value, what the reference shows. */
export function ByHand({ run, word }: { run: Run; word: Check }) {
  const { read } = useBenchDeeds();
  const step = run.rows.findIndex((row) => row.state !== "passed" && row.state !== "failed");
  const row = run.rows[step];
  const [applied, setApplied] = useState("");
  const [shows, setShows] = useState("");
  useEffect(() => {
    setApplied(row?.applied === null || row?.applied === undefined ? "" : String(row.applied));
    setShows("");
  }, [row]);
  if (!row) return null;
  const given = typedNumber(applied);
  const typed = typedNumber(shows);
  const canRead = given !== null && (row.channel !== "" || typed !== null);
  return (
    <form
      className="flex flex-wrap items-start gap-4 pt-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (canRead && given !== null) read.mutate({ run: run.id, step, applied: given, read: typed });
      }}
    >
      <div className="grid w-64 gap-2 text-[13.5px]">
        <p>{row.do}</p>
        <Field label={`${word.needs ? `The ${word.needs}` : "The reference"} shows, ${unitWords(row.unit)}`}>
          <input
            inputMode="decimal"
            className={`${inputLook} text-right`}
            value={applied}
            onChange={(event) => setApplied(event.target.value)}
          />
        </Field>
        <Field
          label={
            row.channel ? "Its own display shows, if no live value comes" : `The recorder shows, ${unitWords(row.unit)}`
          }
        >
          <input
            inputMode="decimal"
            className={`${inputLook} text-right`}
            value={shows}
            onChange={(event) => setShows(event.target.value)}
          />
        </Field>
        <Button type="submit" look="primary" className="justify-self-start" disabled={!canRead || read.isPending}>
          {read.isPending ? "Waiting until it is steady" : `Read ${row.label}`}
        </Button>
      </div>
      {row.channel && <Curve key={row.sensor} recorder={run.recorder_id} row={row} word={word} applied={given} />}
    </form>
  );
}

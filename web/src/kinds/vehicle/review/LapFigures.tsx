import type { Assessed, Assessment, Figure } from "@/sheet/assessed";
import { figureOf } from "@/sheet/assessed";
import { judgementOf, stated, unitOf } from "@/sheet/KeyFigures";
import { Verdict } from "@/ui/basics";
import { fixed } from "@/ui/format";
import { type LapSheet, lapTime } from "./laps";

const TIMES = ["best", "theoretical"];
const FIRST = ["best", "theoretical", "consistency", "laps"];
const ATTENTION = ["within", "not assessable", "action level reached", "above limit"];
/** So many figures with limits stand here, those that need attention first; all of them are in the table of the channels. */
const MOST = 3;
const SHORT: Record<string, string> = { consistency: "Consistency", laps: "Laps counted" };

/** What stands small beneath a figure of the laps. */
function beneath(key: string, found: Assessment, sheet: LapSheet | undefined): string {
  const value = (name: string) => figureOf(found, name)?.value ?? null;
  const timed = sheet?.laps.filter((l) => l.kind === "timed") ?? [];
  const [best, theoretical] = [value("best"), value("theoretical")];
  const figure = figureOf(found, key);
  if (figure?.value === null) return figure.note;
  if (key === "best") {
    const lap = timed.find((l) => l.counts && best !== null && Math.abs(l.time_s - best) < 0.0051);
    return lap ? `lap ${lap.number}` : "";
  }
  if (key === "theoretical" && best !== null && theoretical !== null)
    return `${fixed(best - theoretical, 2)} s in hand`;
  if (key === "consistency") return `robust spread, ${value("laps") ?? 0} laps`;
  if (key === "laps") {
    const out = timed.filter((l) => !l.counts).length;
    return sheet ? `of ${timed.length}${out ? `, ${out} left out` : ""}` : "";
  }
  return "";
}

/** The step that was reached, in the few words that a cell has room for: "warning 95". */
function reached({ steps, verdict, words }: NonNullable<ReturnType<typeof judgementOf>>): string {
  const step = steps.findLast((s) => s.verdict === verdict);
  return step ? `${step.name} ${step.value.toLocaleString("en")}` : words;
}

/** How long what a limit is about was beyond it: ", 12.3 s". */
function beyondFor(found: Assessment, key: string): string {
  const seconds = figureOf(found, `beyond.${key}`)?.value;
  return seconds ? `, ${fixed(seconds, seconds < 100 ? 1 : 0)} s` : "";
}

/** The laps in four figures, and what has a limit with its verdict; each says why on a click. */
export function LapFigures({
  review,
  supposed,
  sheet,
  onWhy,
}: {
  review: Assessed;
  supposed: Assessment | null;
  sheet: LapSheet | undefined;
  onWhy: (figure: Figure) => void;
}) {
  const found = supposed ?? review.reviewed;
  const attention = (f: Figure) => ATTENTION.indexOf(judgementOf(found, f)?.verdict ?? "within");
  const judged = found.figures.filter((f) => !FIRST.includes(f.key) && judgementOf(found, f));
  const limited = [...judged].sort((a, b) => attention(b) - attention(a)).slice(0, MOST);
  const cell = "flex min-w-0 flex-col items-start bg-panel px-3 py-1.5 text-left hover:bg-act-soft";
  const name = "block max-w-full truncate font-medium font-narrow text-[12.5px] text-soft";
  const value = "block whitespace-nowrap font-narrow font-semibold text-[25px] leading-[1.15] max-[1179px]:text-[20px]";
  const frame = "grid auto-cols-fr grid-flow-col gap-px overflow-hidden rounded-lg border border-line bg-line";
  return (
    <div className="mt-2 flex flex-wrap gap-2.5">
      <div className={`${frame} min-w-[400px] flex-[4]`}>
        {FIRST.map((key) => {
          const figure = figureOf(found, key);
          if (!figure) return null;
          const time = TIMES.includes(key) && figure.value !== null;
          return (
            <button key={key} type="button" title="Why this number?" className={cell} onClick={() => onWhy(figure)}>
              <span className={name}>{SHORT[key] ?? figure.name}</span>
              <span className={value}>
                {time ? lapTime(figure.value ?? 0) : stated(figure)}
                <span className="ml-1 font-medium text-[14px] text-soft">
                  {time && (figure.value ?? 0) >= 60 ? "" : unitOf(figure)}
                </span>
              </span>
              <span className="block max-w-full truncate text-[12.5px] text-soft">{beneath(key, found, sheet)}</span>
            </button>
          );
        })}
      </div>
      {limited.length > 0 && (
        <div className={`${frame} min-w-[300px] flex-[3]`}>
          {limited.map((figure) => {
            const judgement = judgementOf(found, figure);
            return (
              <button
                key={figure.key}
                type="button"
                title="Why this number?"
                className={cell}
                onClick={() => onWhy(figure)}
              >
                <span className={name}>{figure.name}</span>
                <span className={value}>
                  {stated(figure)}
                  <span className="ml-1 font-medium text-[14px] text-soft">{unitOf(figure)}</span>
                </span>
                {judgement && (
                  <span className="flex max-w-full overflow-hidden whitespace-nowrap text-[12.5px]">
                    <Verdict
                      verdict={judgement.verdict}
                      words={
                        judgement.verdict === "within" && judgement.limit !== null
                          ? `limit ${judgement.limit.toLocaleString("en")}`
                          : `${reached(judgement)}${beyondFor(found, figure.key)}`
                      }
                    />
                  </span>
                )}
              </button>
            );
          })}
        </div>
      )}
    </div>
  );
}

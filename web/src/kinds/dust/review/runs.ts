import type { Assessment } from "@/sheet/assessed";
import { figureOf } from "@/sheet/assessed";
import type { VerdictWord } from "@/ui/basics";

/** One run of the monitor, as its row in the table says; null where something was not measured. */
export interface Run {
  startS: number;
  lengthS: number;
  low: number | null;
  mean: number | null;
  high: number | null;
  stel: number | null;
  /** The most stretches above the guideline within 24 h: with the factor, and as it was read. */
  above: number | null;
  asRead: number | null;
  measured: number;
  verdict: VerdictWord;
  because: string;
}

export function runsOf(assessment: Assessment): Run[] {
  const table = assessment.tables.find((t) => t.key === "runs");
  if (!table) return [];
  const at = (name: string) => table.columns.findIndex((column) => column.name === name);
  const column = {
    start: at("Start"),
    length: at("Length"),
    low: at("Lowest"),
    mean: at("Mean"),
    high: at("Highest"),
    stel: at("Highest 15 min"),
    above: at("Stretches above"),
    asRead: at("As read"),
    measured: at("Measured"),
    verdict: at("Verdict"),
    because: at("Because"),
  };
  return table.rows.map((row) => {
    const value = (name: keyof typeof column) => {
      const cell = row[column[name]];
      return typeof cell === "number" ? cell : null;
    };
    return {
      startS: value("start") ?? 0,
      lengthS: value("length") ?? 0,
      low: value("low"),
      mean: value("mean"),
      high: value("high"),
      stel: value("stel"),
      above: value("above"),
      asRead: value("asRead"),
      measured: value("measured") ?? 0,
      verdict: String(row[column.verdict] ?? "not assessable") as VerdictWord,
      because: String(row[column.because] ?? ""),
    };
  });
}

const putOf = (assessment: Assessment, figure: string, symbol: string) =>
  figureOf(assessment, figure)?.why.numbers.find((n) => n.symbol === symbol)?.value ?? null;

/** The factor that turns a reading into the concentration. */
export const factorOf = (assessment: Assessment) => putOf(assessment, "mean", "k") ?? 1;

/** What was read on the mean, before any factor. */
export const readingOf = (assessment: Assessment) => putOf(assessment, "mean", "reading");

/** The rule on top: how many stretches above what, how long each at least, need action; null where no rule says. */
export interface RuleOnTop {
  guideline: number | null;
  shortestMin: number;
  needs: number | null;
}

export function ruleOf(assessment: Assessment): RuleOnTop {
  return {
    guideline: putOf(assessment, "stretches", "guideline"),
    shortestMin: putOf(assessment, "stretches", "t") ?? 0,
    needs: assessment.judgements.find((j) => j.figure === "stretches_24h")?.steps[0]?.value ?? null,
  };
}

/** Whether it is about the mean that runs are held against. */
export const isMean = (judgement: Assessment["judgements"][number]) =>
  judgement.figure === "mean_24h" || judgement.figure === "twa_shift";

/** The limit that a mean of a run is held against: the first rule about one. */
export const meanLimit = (assessment: Assessment) => assessment.judgements.find(isMean)?.steps.at(-1)?.value ?? null;

import type { Schemas } from "@/api/client";
import type { Assessed, Assessment, Figure } from "@/sheet/assessed";
import { figureOf } from "@/sheet/assessed";

export const AVERAGE = ".avg";
export const WITH = ["min", "max"];
export const MEAN = ".mean15";
const STEL_S = 900;

export type Judgement = Assessment["judgements"][number];

/** A sensor of the monitor as it stands on the sheet. */
export interface Sensor {
  key: string;
  name: string;
  /** Why it says nothing, or nothing to be relied on; empty: it can be relied on. */
  says: string;
  isOff: boolean;
}

const SHORT: Record<string, string> = { o2: "O2", lel: "LEL", cl2: "Cl2", voc: "VOC" };

/** "NO2" of no2: as the trade writes it. */
export const short = (gas: string) => SHORT[gas] ?? gas.toUpperCase();

const DOUBTS: [code: string, words: (text: string) => string][] = [
  ["failed-bump-test", () => "bump test failed: proves nothing"],
  ["failed-calibration", () => "calibration failed: proves nothing"],
  ["over-range", (text) => text.replace(/;.*/, "")],
  ["overdue-calibration", (text) => text.replace(/ \(.*/, "")],
  ["overdue-bump-test", (text) => text.replace(/ \(.*/, "")],
  ["zero-drift", () => "zero has drifted"],
];

/** Every sensor that is fitted, also one that was switched off: that is told apart from one that nobody fitted. */
export function sensorsOf(review: Assessed): Sensor[] {
  const { findings } = review.reviewed.quality;
  const found: Sensor[] = review.channels
    .filter((c) => c.key.endsWith(AVERAGE))
    .map((c) => {
      const key = c.key.slice(0, -AVERAGE.length);
      const doubt = DOUBTS.flatMap(([code, words]) => {
        const finding = findings.find((f) => f.code === `${code}.${key}`);
        return finding ? [words(finding.text.replace(/^[^:]*: /, ""))] : [];
      });
      return { key, name: short(key), says: doubt[0] ?? "", isOff: false };
    });
  for (const finding of findings) {
    const [what, key = ""] = finding.code.split(".");
    if (what !== "off") continue;
    const known = found.find((each) => each.key === key);
    const says = finding.text.replace(/^[^:]*: the sensor was /, "");
    if (known) Object.assign(known, { says, isOff: true });
    else found.push({ key, name: short(key), says, isOff: true });
  }
  return found;
}

export interface Of {
  figure: Figure | undefined;
  judgement: Judgement | undefined;
}

export const of = (assessment: Assessment, gas: string, what: string): Of => ({
  figure: figureOf(assessment, `${gas}.${what}`),
  judgement: assessment.judgements.find((j) => j.figure === `${gas}.${what}`),
});

/** The 15 minutes that the short-term figure is of. */
export function shortTerm(
  assessment: Assessment,
  gas: string,
): { startS: number; endS: number; text: string } | undefined {
  const { figure } = of(assessment, gas, "stel");
  if (!figure || figure.value === null || figure.at_s === null) return undefined;
  return { startS: figure.at_s, endS: figure.at_s + STEL_S, text: "15 min" };
}

/** Whether the 15 minutes are worth a mark: a quarter of the limit, or more. */
export function worthMarking(assessment: Assessment, gas: string): boolean {
  const { figure, judgement } = of(assessment, gas, "stel");
  const limit = judgement?.steps.at(-1)?.value;
  return figure?.value != null && limit !== undefined && figure.value >= limit / 4;
}

/** Gases that act alike, so that their shares of the limit are added; by what they do. */
export const alikeOf = (kind: Schemas["Kind"]): [words: string, gases: string[]][] =>
  (kind.decisions.find((each) => each.key === "additive")?.offers ?? []).map((each) => [
    each.words,
    each.value.split(","),
  ]);

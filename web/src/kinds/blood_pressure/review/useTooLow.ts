import { useState } from "react";
import { counts, type Period, type Reading } from "./readings";
import { pairTyped } from "./useWhatIf";

/** Pressures below which a reading counts as too low, as they are typed, "90/60"; nothing is kept, and no limit set has such. */
export function useTooLow() {
  const [texts, setTexts] = useState<Record<Period, string>>({ awake: "", asleep: "" });
  const pairs = { awake: pairOf(texts.awake), asleep: pairOf(texts.asleep) };
  const isLow = (r: Reading, which: "systolic" | "diastolic") => {
    const pair = pairs[r.period];
    const [value, edge] = which === "systolic" ? [r.systolic, pair?.[0]] : [r.diastolic, pair?.[1]];
    return counts(r) && value !== null && edge !== undefined && value < edge;
  };
  return {
    texts,
    asked: texts.awake.trim() !== "" || texts.asleep.trim() !== "",
    wrong: (period: Period) => {
      const found = texts[period].trim() ? pairTyped(texts[period]) : null;
      return typeof found === "string" ? found : null;
    },
    type: (period: Period, text: string) => setTexts((now) => ({ ...now, [period]: text })),
    isLow,
    /** How many of the readings that are held against a pair lie below it, and of how many. */
    count: (readings: Reading[]) => {
      const held = readings.filter((r) => counts(r) && pairs[r.period]);
      return { low: held.filter((r) => isLow(r, "systolic") || isLow(r, "diastolic")).length, of: held.length };
    },
  };
}

const pairOf = (text: string): [number, number] | null => {
  const found = text.trim() ? pairTyped(text) : "";
  return typeof found === "string" ? null : found;
};

export type TooLow = ReturnType<typeof useTooLow>;

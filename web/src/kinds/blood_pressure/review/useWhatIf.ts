import { useEffect, useState } from "react";
import { type LimitSet, rulesOf } from "@/limits/rules";
import type { LimitWish } from "@/limits/typedLimits";
import type { Supposed } from "@/sheet/useSupposed";
import { numberOf } from "@/ui/entry";
import type { Period } from "./readings";

const PERIODS = ["awake", "asleep"] as const;
const QUANTITIES = ["systolic", "diastolic"] as const;
const PAIR = /^\s*(\d{2,3})\s*[/\s]\s*(\d{2,3})\s*$/;

const figure = (period: Period, quantity: (typeof QUANTITIES)[number]) => `${period}.${quantity}.mean`;

/** The limits of a period as one types them, "135/85"; empty where a set has none. */
export function pairOf(set: LimitSet, period: Period): string {
  const values = QUANTITIES.map((q) => {
    const rule = rulesOf(set).find((r) => r.figure === figure(period, q));
    return rule?.steps.at(-1)?.value;
  });
  return values.some((v) => v === undefined) ? "" : values.join("/");
}

/** "130/80" or "130 80" as two numbers, or what is wrong with it. */
export function pairTyped(text: string): [number, number] | string {
  const found = PAIR.exec(text);
  if (!found) return "Type both, such as 130/80.";
  const [sys, dia] = [found[1], found[2]].map((t) => numberOf(t ?? "", { unit: "mmHg", low: 30, high: 280 }));
  if (!sys || !dia || "wrong" in sys || "wrong" in dia) return "From 30 to 280 mmHg.";
  if ((sys.value ?? 0) <= (dia.value ?? 0)) return "The systolic one comes first, and is higher.";
  return [sys.value ?? 0, dia.value ?? 0];
}

/** A limit set with other last steps for the means of waking and sleep. */
function wishOf(base: LimitSet, pairs: Record<Period, [number, number]>): LimitWish {
  const wanted = new Map(PERIODS.flatMap((p) => QUANTITIES.map((q, i) => [figure(p, q), pairs[p][i] ?? 0] as const)));
  return {
    based_on: base.id,
    name: `${base.name}, ${pairs.awake.join("/")} and ${pairs.asleep.join("/")}`,
    issuer: base.shipped ? "" : base.issuer,
    valid_from: new Date().toISOString().slice(0, 10),
    why: "",
    minimum_coverage: Number(base.data.minimum_coverage ?? 0.7),
    rules: rulesOf(base).map((rule) => ({
      figure: rule.figure,
      name: rule.name,
      parameters: rule.parameters,
      // Steps below another last one keep their distance from nothing: one that would lie above it goes.
      steps: rule.steps.flatMap((step, i) => {
        const value = wanted.get(rule.figure);
        if (value === undefined) return [step];
        if (i < rule.steps.length - 1) return step.value < value ? [step] : [];
        return [{ ...step, value }];
      }),
    })),
  };
}

/**
 * Other limits tried on the readings: the server holds them against what is typed; nothing is kept, and verdicts stay, as long as
 * nobody keeps them as a set.
 */
export function useWhatIf(base: LimitSet | undefined, supposed: Supposed) {
  const usual = { awake: base ? pairOf(base, "awake") : "", asleep: base ? pairOf(base, "asleep") : "" };
  const [typed, setTyped] = useState<Partial<Record<Period, string>>>({});
  const { hold } = supposed;
  const baseId = base?.id;
  // Another set is another question.
  // biome-ignore lint/correctness/useExhaustiveDependencies: only the set matters
  useEffect(() => {
    setTyped({});
    return () => hold(null);
  }, [baseId, hold]);
  const texts = { awake: typed.awake ?? usual.awake, asleep: typed.asleep ?? usual.asleep };
  const wishFor = (now: Record<Period, string>): LimitWish | null => {
    const pairs = { awake: pairTyped(now.awake), asleep: pairTyped(now.asleep) };
    if (!base || typeof pairs.awake === "string" || typeof pairs.asleep === "string") return null;
    return wishOf(base, { awake: pairs.awake, asleep: pairs.asleep });
  };
  const changed = PERIODS.some((p) => texts[p].replace(/\s+/g, "/") !== usual[p]);
  return {
    possible: usual.awake !== "" && usual.asleep !== "",
    texts,
    changed,
    wrong: (period: Period) => {
      const pair = pairTyped(texts[period]);
      return typeof pair === "string" ? pair : null;
    },
    wish: changed ? wishFor(texts) : null,
    type: (period: Period, text: string) => {
      const next = { ...texts, [period]: text };
      setTyped({ ...typed, [period]: text });
      const wish = wishFor(next);
      if (!wish) return;
      hold(PERIODS.every((p) => next[p].replace(/\s+/g, "/") === usual[p]) ? null : wish);
    },
    back: () => {
      setTyped({});
      hold(null);
    },
  };
}

export type WhatIfPairs = ReturnType<typeof useWhatIf>;

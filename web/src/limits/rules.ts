import type { Schemas } from "@/api/client";

export type LimitSet = Schemas["LimitSet"];
export type Step = Schemas["LimitStep"];

/** A rule of a limit set as it stands on record. */
export interface Rule {
  figure: string;
  name: string;
  unit: string;
  parameters: Record<string, number | string>;
  steps: Required<Step>[];
}

/** The rules of a set; a step says of itself whether it lies below. */
export function rulesOf(set: LimitSet): Rule[] {
  return (set.data.rules as Rule[]).map((rule) => ({
    ...rule,
    parameters: rule.parameters ?? {},
    steps: rule.steps.map((s) => ({ ...s, beyond: s.beyond ?? false, below: s.below ?? false })),
  }));
}

/** How the figure of a rule is counted, where that may differ. */
export function counted(p: Rule["parameters"]): string {
  if (!p.criterion_db) return "";
  const threshold = p.threshold_db ? `, counted from ${p.threshold_db} dB` : "";
  return `${p.exchange_rate_db} dB rate, ${p.criterion_db} dB for ${p.criterion_h} h${threshold}`;
}

export const edge = (step: Step) => (step.below ? (step.beyond ? "below" : "down to") : step.beyond ? "above" : "from");

/** Newest versions only, in the order of the list. */
export function newest(sets: LimitSet[]): LimitSet[] {
  const last = new Map(sets.map((s) => [s.key, s.id]));
  return sets.filter((s) => last.get(s.key) === s.id);
}

export const sameRule = (a: Rule, b: Rule) =>
  a.figure === b.figure && JSON.stringify(a.parameters) === JSON.stringify(b.parameters);

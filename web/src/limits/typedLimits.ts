import type { Schemas } from "@/api/client";
import { backTo, keptUnit } from "@/api/readers";
import { numberOf } from "@/ui/entry";
import type { LimitSet, Rule } from "./rules";

export type LimitWish = Schemas["LimitWish"];
/** A rule while it is typed: its values are still text. */
export type Typed = Omit<Rule, "steps"> & {
  steps: (Omit<Rule["steps"][number], "value"> & { text: string; as?: { text: string; kept: number } })[];
};

/** What is typed about a set beside its rules. */
export interface About {
  name: string;
  issuer: string;
  validFrom: string;
  coverage: string;
  why?: string;
}

export function typedOf(rule: Rule): Typed {
  return {
    ...rule,
    steps: rule.steps.map((step) => {
      const { value, kept_value, ...rest } = step as typeof step & { kept_value?: number };
      const text = String(value);
      return kept_value === undefined ? { ...rest, text } : { ...rest, text, as: { text, kept: kept_value } };
    }),
  };
}

/** The wish that was typed, or what is wrong with it. */
export function wishOf(base: LimitSet, about: About, rules: Typed[]): LimitWish | string {
  const coverage = numberOf(about.coverage, { unit: "%", low: 1, high: 100 });
  if ("wrong" in coverage || coverage.value === null) return "Coverage: a number from 1 to 100 %.";
  if (!about.name.trim()) return "A name is needed.";
  const found: LimitWish["rules"] = [];
  for (const rule of rules) {
    const steps: LimitWish["rules"][number]["steps"] = [];
    for (const { text, as, ...step } of rule.steps) {
      const value = numberOf(text, { unit: rule.unit, kept: keptUnit(rule) });
      if ("wrong" in value || value.value === null) return `${rule.name}: “${text}” is not a number.`;
      // What nobody touched goes back as it is kept, not as it was read.
      steps.push({ ...step, value: as?.text === text ? as.kept : backTo(rule, value.value) });
    }
    const rising = steps.every((s, i) => {
      const before = steps[i - 1];
      return !before || (s.below ? s.value < before.value : s.value > before.value);
    });
    if (!rising) return `${rule.name}: each step must lie ${steps[0]?.below ? "below" : "above"} the one before it.`;
    if (steps.some((s) => !s.name.trim())) return `${rule.name}: a step needs a name.`;
    found.push({ figure: rule.figure, name: rule.name, parameters: rule.parameters, steps });
  }
  return {
    based_on: base.id,
    name: about.name.trim(),
    issuer: about.issuer.trim(),
    valid_from: about.validFrom,
    minimum_coverage: coverage.value / 100,
    rules: found,
    why: about.why?.trim() ?? "",
  };
}

/** What a set is called and holds from, to begin with. */
export const aboutOf = (base: LimitSet): About => ({
  name: base.shipped ? `${base.name}, own` : base.name,
  issuer: base.shipped ? "" : base.issuer,
  validFrom: new Date().toISOString().slice(0, 10),
  coverage: String(Math.round(Number(base.data.minimum_coverage ?? 0.75) * 100)),
});

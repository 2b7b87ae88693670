import { useEffect, useRef, useState } from "react";
import type { Schemas } from "@/api/client";
import type { LimitPlace } from "@/charts/limitLine";
import { Field, inputLook } from "@/ui/basics";
import { DateField } from "@/ui/date-field";
import { numberOf } from "@/ui/entry";
import { unitWords } from "@/ui/format";
import { counted, edge, type LimitSet, type Rule, rulesOf, sameRule } from "./rules";

export type LimitWish = Schemas["LimitWish"];
type Typed = Omit<Rule, "steps"> & { steps: (Omit<Rule["steps"][number], "value"> & { text: string })[] };

const small = "min-h-7 rounded border border-line bg-panel px-1.5";

function typedOf(rule: Rule): Typed {
  return { ...rule, steps: rule.steps.map(({ value, ...s }) => ({ ...s, text: String(value) })) };
}

/** The wish that was typed, or what is wrong with it. */
function wishOf(
  base: LimitSet,
  about: { name: string; issuer: string; validFrom: string; coverage: string },
  rules: Typed[],
): LimitWish | string {
  const coverage = numberOf(about.coverage, { unit: "%", low: 1, high: 100 });
  if ("wrong" in coverage || coverage.value === null) return "Coverage: a number from 1 to 100 %.";
  if (!about.name.trim()) return "A name is needed.";
  const found: LimitWish["rules"] = [];
  for (const rule of rules) {
    const steps: LimitWish["rules"][number]["steps"] = [];
    for (const { text, ...step } of rule.steps) {
      const value = numberOf(text, { unit: rule.unit });
      if ("wrong" in value || value.value === null) return `${rule.name}: “${text}” is not a number.`;
      steps.push({ ...step, value: value.value });
    }
    found.push({ figure: rule.figure, name: rule.name, parameters: rule.parameters, steps });
  }
  return {
    based_on: base.id,
    name: about.name.trim(),
    issuer: about.issuer.trim(),
    valid_from: about.validFrom,
    minimum_coverage: coverage.value / 100,
    rules: found,
  };
}

/** A limit set as a form: steps typed, added, taken away; every change says at once what it would do. */
export function LimitEditor({
  base,
  known,
  named = true,
  compact = false,
  moved = null,
  onWish,
  actions,
}: {
  /** The set that this one is made from. */
  base: LimitSet;
  /** Every rule that a set of this kind may have. */
  known: Rule[];
  /** Whether the name, issuer and date of the set are asked for. */
  named?: boolean;
  /** The values of the steps alone, side by side. */
  compact?: boolean;
  /** A step that was set elsewhere, such as by its line in a picture. */
  moved?: { limit: LimitPlace; value: number } | null;
  /** Called with each change that can be understood. */
  onWish: (wish: LimitWish) => void;
  actions: (wish: LimitWish | null) => React.ReactNode;
}) {
  const [about, setAbout] = useState({
    name: base.shipped ? `${base.name}, own` : base.name,
    issuer: base.shipped ? "" : base.issuer,
    validFrom: new Date().toISOString().slice(0, 10),
    coverage: String(Math.round(Number(base.data.minimum_coverage ?? 0.75) * 100)),
  });
  const [rules, setRules] = useState<Typed[]>(() => rulesOf(base).map(typedOf));
  const now = wishOf(base, about, rules);
  const change = (next: Typed[]) => {
    setRules(next);
    const wish = wishOf(base, about, next);
    if (typeof wish !== "string") onWish(wish);
  };
  const latest = useRef({ rules, change });
  latest.current = { rules, change };
  useEffect(() => {
    if (!moved) return;
    const { limit, value } = moved;
    latest.current.change(
      latest.current.rules.map((r) =>
        r.figure === limit.figure && JSON.stringify(r.parameters) === limit.parameters
          ? { ...r, steps: r.steps.map((s, i) => (i === limit.step ? { ...s, text: String(value) } : s)) }
          : r,
      ),
    );
  }, [moved]);
  const changeStep = (at: number, i: number, what: Partial<Typed["steps"][number]>) =>
    change(
      rules.map((r, n) => (n === at ? { ...r, steps: r.steps.map((s, m) => (m === i ? { ...s, ...what } : s)) } : r)),
    );
  const missing = known.filter((k) => !rules.some((r) => sameRule(k, { ...r, steps: [] })));
  return (
    <div>
      <div
        hidden={!named}
        className="mb-3 grid grid-cols-2 gap-3 min-[900px]:grid-cols-[minmax(0,2fr)_minmax(0,1fr)_150px_110px] [&[hidden]]:hidden"
      >
        <Field label="Name">
          <input
            className={inputLook}
            value={about.name}
            maxLength={120}
            onChange={(e) => setAbout({ ...about, name: e.target.value })}
          />
        </Field>
        <Field label="Whose">
          <input
            className={inputLook}
            placeholder="own"
            value={about.issuer}
            maxLength={120}
            onChange={(e) => setAbout({ ...about, issuer: e.target.value })}
          />
        </Field>
        <Field label="Valid from">
          <DateField value={about.validFrom} required onChange={(validFrom) => setAbout({ ...about, validFrom })} />
        </Field>
        <Field label="Least coverage, %">
          <input
            className={inputLook}
            value={about.coverage}
            onChange={(e) => {
              const next = { ...about, coverage: e.target.value };
              setAbout(next);
              const wish = wishOf(base, next, rules);
              if (typeof wish !== "string") onWish(wish);
            }}
          />
        </Field>
      </div>
      {compact && (
        <ul aria-label="Rules" className="flex max-h-[70px] flex-wrap gap-x-6 gap-y-1 overflow-auto">
          {rules.map((rule, at) => (
            <li
              key={`${rule.figure} ${JSON.stringify(rule.parameters)}`}
              className="flex flex-wrap items-center gap-x-2 text-[13px]"
            >
              <span title={counted(rule.parameters) || undefined}>
                {rule.name}
                {rule.unit && <span className="text-soft">, {unitWords(rule.unit)}</span>}
              </span>
              {rule.steps.map((step, i) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: a step is known by its place alone
                <label key={i} className="flex items-center gap-1">
                  <span className="text-soft">{edge({ ...step, value: 0 })}</span>
                  <input
                    aria-label={`${rule.name}, step ${i + 1}: value`}
                    title={step.name}
                    className={`${small} w-14 text-right`}
                    value={step.text}
                    onChange={(e) => changeStep(at, i, { text: e.target.value })}
                  />
                </label>
              ))}
            </li>
          ))}
        </ul>
      )}
      <ul aria-label={compact ? undefined : "Rules"} hidden={compact}>
        {(compact ? [] : rules).map((rule, at) => (
          <li
            key={`${rule.figure} ${JSON.stringify(rule.parameters)}`}
            className="grid grid-cols-[minmax(0,200px)_minmax(0,1fr)] gap-x-3 border-hair border-t py-1.5"
          >
            <span className="pt-1">
              {rule.name}
              <span className="block text-[12.5px] text-soft">
                {[rule.unit, counted(rule.parameters)].filter(Boolean).join(", ")}
              </span>
              <button
                type="button"
                className="text-[12.5px] text-act hover:underline"
                onClick={() => change(rules.filter((_, n) => n !== at))}
                aria-label={`take away the rule ${rule.name}`}
              >
                take away
              </button>
            </span>
            <span className="grid gap-1">
              {rule.steps.map((step, i) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: a step is known by its place alone
                <span key={i} className="flex flex-wrap items-center gap-1.5">
                  <select
                    aria-label={`${rule.name}, step ${i + 1}: reached`}
                    className={small}
                    value={step.beyond ? "beyond" : "at"}
                    onChange={(e) => changeStep(at, i, { beyond: e.target.value === "beyond" })}
                  >
                    <option value="at">{step.below ? "down to" : "from"}</option>
                    <option value="beyond">{step.below ? "below" : "above"}</option>
                  </select>
                  <input
                    aria-label={`${rule.name}, step ${i + 1}: value`}
                    className={`${small} w-20 text-right`}
                    value={step.text}
                    onChange={(e) => changeStep(at, i, { text: e.target.value })}
                  />
                  <select
                    aria-label={`${rule.name}, step ${i + 1}: what it is`}
                    className={small}
                    value={step.verdict}
                    onChange={(e) => changeStep(at, i, { verdict: e.target.value as typeof step.verdict })}
                  >
                    <option value="action level reached">action level</option>
                    <option value="above limit">limit</option>
                  </select>
                  <input
                    aria-label={`${rule.name}, step ${i + 1}: name`}
                    className={`${small} min-w-32 flex-1`}
                    value={step.name}
                    maxLength={80}
                    onChange={(e) => changeStep(at, i, { name: e.target.value })}
                  />
                  {rule.steps.length > 1 && (
                    <button
                      type="button"
                      className="min-h-6 min-w-6 text-act hover:underline"
                      onClick={() =>
                        change(rules.map((r, n) => (n === at ? { ...r, steps: r.steps.filter((_, m) => m !== i) } : r)))
                      }
                      aria-label={`Take step ${i + 1} of ${rule.name} away`}
                    >
                      –
                    </button>
                  )}
                  {i === rule.steps.length - 1 && rule.steps.length < 6 && (
                    <button
                      type="button"
                      className="min-h-6 min-w-6 text-act hover:underline"
                      onClick={() =>
                        change(
                          rules.map((r, n) =>
                            n === at ? { ...r, steps: [...r.steps, { ...step, name: "", text: "" }] } : r,
                          ),
                        )
                      }
                      aria-label={`Add a step to ${rule.name}`}
                    >
                      +
                    </button>
                  )}
                </span>
              ))}
            </span>
          </li>
        ))}
      </ul>
      {!compact && missing.length > 0 && (
        <select
          aria-label="Add a rule"
          className={`${small} mt-2`}
          value=""
          onChange={(e) => {
            const added = missing[Number(e.target.value)];
            if (added) change([...rules, typedOf(added)]);
          }}
        >
          <option value="">add a rule …</option>
          {missing.map((rule, i) => (
            <option key={`${rule.figure} ${JSON.stringify(rule.parameters)}`} value={i}>
              {[rule.name, counted(rule.parameters)].filter(Boolean).join(", ")}
            </option>
          ))}
        </select>
      )}
      {typeof now === "string" && (
        <p role="alert" className="mt-2 text-[13px] text-above">
          {now}
        </p>
      )}
      <div className={`${compact ? "mt-1.5" : "mt-3"} flex flex-wrap items-center gap-2`}>
        {actions(typeof now === "string" ? null : now)}
      </div>
    </div>
  );
}

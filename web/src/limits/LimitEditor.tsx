import { useEffect, useRef, useState } from "react";
import type { LimitPlace } from "@/charts/limitLine";
import { Field, inputLook } from "@/ui/basics";
import { DateField } from "@/ui/date-field";
import { unitWords } from "@/ui/format";
import { counted, edge, type LimitSet, type Rule, rulesOf, sameRule } from "./rules";
import { StepFields, small } from "./StepFields";
import { aboutOf, type LimitWish, type Typed, typedOf, wishOf } from "./typedLimits";

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
  const [about, setAbout] = useState(() => aboutOf(base));
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
        className="mb-3 grid grid-cols-2 gap-3 min-[900px]:grid-cols-[minmax(0,2fr)_minmax(0,1fr)_150px_minmax(0,1fr)_110px] [&[hidden]]:hidden"
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
        <Field label="Why">
          <input
            className={inputLook}
            value={about.why ?? ""}
            maxLength={200}
            onChange={(e) => setAbout({ ...about, why: e.target.value })}
          />
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
            <StepFields rule={rule} onChange={(next) => change(rules.map((r, n) => (n === at ? next : r)))} />
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

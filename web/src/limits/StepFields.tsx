import type { Typed } from "./typedLimits";

export const small = "min-h-7 rounded border border-line bg-panel px-1.5";

/** The steps of a rule as fields: where each is reached, its value, what it is and is called; added and taken away. */
export function StepFields({ rule, onChange }: { rule: Typed; onChange: (rule: Typed) => void }) {
  const put = (at: number, what: Partial<Typed["steps"][number]>) =>
    onChange({ ...rule, steps: rule.steps.map((s, i) => (i === at ? { ...s, ...what } : s)) });
  return (
    <span className="grid gap-1">
      {rule.steps.map((step, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a step is known by its place alone
        <span key={i} className="flex flex-wrap items-center gap-1.5">
          <select
            aria-label={`${rule.name}, step ${i + 1}: reached`}
            className={small}
            value={step.beyond ? "beyond" : "at"}
            onChange={(e) => put(i, { beyond: e.target.value === "beyond" })}
          >
            <option value="at">{step.below ? "down to" : "from"}</option>
            <option value="beyond">{step.below ? "below" : "above"}</option>
          </select>
          <input
            aria-label={`${rule.name}, step ${i + 1}: value`}
            className={`${small} w-20 text-right`}
            value={step.text}
            onChange={(e) => put(i, { text: e.target.value })}
          />
          <select
            aria-label={`${rule.name}, step ${i + 1}: what it is`}
            className={small}
            value={step.verdict}
            onChange={(e) => put(i, { verdict: e.target.value as typeof step.verdict })}
          >
            <option value="action level reached">action level</option>
            <option value="above limit">limit</option>
          </select>
          <input
            aria-label={`${rule.name}, step ${i + 1}: name`}
            className={`${small} min-w-32 flex-1`}
            value={step.name}
            maxLength={80}
            onChange={(e) => put(i, { name: e.target.value })}
          />
          {rule.steps.length > 1 && (
            <button
              type="button"
              className="min-h-6 min-w-6 text-act hover:underline"
              onClick={() => onChange({ ...rule, steps: rule.steps.filter((_, m) => m !== i) })}
              aria-label={`Take step ${i + 1} of ${rule.name} away`}
            >
              –
            </button>
          )}
          {i === rule.steps.length - 1 && rule.steps.length < 6 && (
            <button
              type="button"
              className="min-h-6 min-w-6 text-act hover:underline"
              onClick={() => onChange({ ...rule, steps: [...rule.steps, { ...step, name: "", text: "" }] })}
              aria-label={`Add a step to ${rule.name}`}
            >
              +
            </button>
          )}
        </span>
      ))}
    </span>
  );
}

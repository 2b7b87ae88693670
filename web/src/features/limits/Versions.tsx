import { type LimitSet, rulesOf } from "@/limits/rules";
import { dayMonth, unitWords } from "@/ui/format";

/** What a version changed against the one before: "Peak, limit value 140 to 137 dB(C)". */
export function changesOf(before: LimitSet | undefined, after: LimitSet): string {
  if (!before) return "the first";
  const found: string[] = [];
  const share = (set: LimitSet) => Math.round(Number(set.data.minimum_coverage ?? 0.75) * 100);
  if (share(before) !== share(after)) found.push(`least share ${share(before)} to ${share(after)} %`);
  const old = rulesOf(before);
  for (const rule of rulesOf(after)) {
    const was = old.find(
      (r) => r.figure === rule.figure && JSON.stringify(r.parameters) === JSON.stringify(rule.parameters),
    );
    if (!was) found.push(`${rule.name} added`);
    else
      for (const [i, step] of rule.steps.entries()) {
        const than = was.steps[i];
        if (!than) found.push(`${rule.name}, ${step.name} added`);
        else if (than.value !== step.value)
          found.push(`${rule.name}, ${step.name} ${than.value} to ${step.value} ${unitWords(rule.unit)}`);
      }
  }
  const gone = old.filter((r) => !rulesOf(after).some((o) => o.figure === r.figure));
  found.push(...gone.map((r) => `${r.name} taken away`));
  return found.join("; ") || "names and words alone";
}

/** The versions of a set, the newest first: from when each holds, what it changed and why. */
export function Versions({ versions }: { versions: LimitSet[] }) {
  const today = new Date().toISOString().slice(0, 10);
  const inForce = versions.findLast((v) => v.valid_from <= today) ?? versions[0];
  return (
    <section aria-label="Versions">
      <h2 className="mb-1 text-[15px]">Versions</h2>
      <ul>
        {versions
          .map((v, i) => [v, versions[i - 1]] as const)
          .reverse()
          .map(([v, before]) => (
            <li key={v.id} className="border-hair border-t py-1 text-[13px]">
              <span className="font-medium">{v.version}</span>, from {dayMonth(v.valid_from)}{" "}
              {v === inForce ? <span className="text-within">in force</span> : v.valid_from > today ? "not yet" : ""}
              <span className="block text-soft">
                {changesOf(before, v)}
                {v.why ? `: “${v.why}”` : ""}
              </span>
            </li>
          ))}
      </ul>
    </section>
  );
}

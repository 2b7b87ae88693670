import type { Schemas } from "@/api/client";
import { Token, Verdict } from "@/ui/basics";
import { dayMonth } from "@/ui/format";

/** Checks and calibrations that are due: recorders bring these along by themselves. */
export function Checks({ checks }: { checks: Schemas["PlanCheck"][] }) {
  if (checks.length === 0) return null;
  return (
    <section aria-label="Checks of recorders" className="mt-4">
      <h2 className="mb-1">Checks of recorders</h2>
      <ul className="text-[13px]">
        {checks.map((check) => (
          <li
            key={`${check.recorder_id} ${check.label} ${check.sensor}`}
            className="flex items-center gap-2 border-hair border-t py-1"
          >
            <Token name={check.token} size="small" />
            <span className="min-w-0 flex-1">{check.overdue ? check.words : check.label}</span>
            {check.overdue ? (
              <Verdict verdict="action level reached" words="overdue" bare />
            ) : (
              <span className="text-soft">{dayMonth(check.on)}</span>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}

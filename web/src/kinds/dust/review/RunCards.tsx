import type { ReactNode } from "react";
import { Verdict, type VerdictWord } from "@/ui/basics";
import { hoursMinutes, number } from "@/ui/format";
import type { RuleOnTop, Run } from "./runs";

const SOFT = "font-narrow text-[13px] text-soft";

function Card({ name, value, unit, children }: { name: string; value: string; unit: string; children: ReactNode }) {
  return (
    <div className="bg-panel px-3 py-2">
      <span className="block truncate font-medium font-narrow text-[12.5px] text-soft">{name}</span>
      <span className="block font-narrow font-semibold text-[27px] leading-[1.15]">
        {value}
        <span className="ml-1 font-medium text-[14px] text-soft">{unit}</span>
      </span>
      {children}
    </div>
  );
}

const three = (value: number | null) => (value === null ? "–" : number(value, 3));

/** What the chosen run came to: mean, stretches above, highest 15 minutes, how much was measured. */
export function RunCards({
  run,
  before,
  rule,
  limit,
}: {
  run: Run;
  /** The run as it is, while something is only supposed. */
  before: Run | undefined;
  rule: RuleOnTop;
  limit: number | null;
}) {
  const above: VerdictWord = limit !== null && run.mean !== null && run.mean > limit ? "above limit" : "within";
  const needs = rule.needs;
  const counted: VerdictWord =
    needs !== null && run.above !== null && run.above >= needs ? "action level reached" : "within";
  const supposed = before && (before.mean !== run.mean || before.above !== run.above);
  return (
    <div
      className={`mt-2.5 grid grid-cols-2 gap-px overflow-hidden rounded-lg border border-line bg-line min-[900px]:grid-cols-4 ${supposed ? "shadow-[inset_0_3px_0_var(--act)]" : ""}`}
    >
      <Card name={`Mean of ${hoursMinutes(run.lengthS)} h`} value={three(run.mean)} unit="mg/m³">
        {limit === null || run.mean === null ? (
          <span className={SOFT}>no limit in this set</span>
        ) : (
          <Verdict verdict={above} words={`${number((100 * run.mean) / limit, 0)} % of ${number(limit, 3)}`} />
        )}
      </Card>
      <Card
        name={rule.guideline === null ? "Stretches above" : `Stretches above ${number(rule.guideline, 3)}`}
        value={run.above === null ? "–" : String(run.above)}
        unit="in 24 h"
      >
        {needs === null || run.above === null ? (
          <span className={SOFT}>no rule in this set</span>
        ) : (
          <Verdict
            verdict={counted}
            words={counted === "within" ? `${needs} would need action` : `${needs} or more need action`}
          />
        )}
      </Card>
      <Card name="Highest 15-min mean" value={three(run.stel)} unit="mg/m³">
        <span className={SOFT}>{run.stel === null ? "no 15 min without a gap" : "no limit in this set"}</span>
      </Card>
      <Card
        name="Time measured"
        value={hoursMinutes((run.lengthS * run.measured) / 100)}
        unit={`of ${hoursMinutes(run.lengthS)} h`}
      >
        {run.because === "flow fault" ? (
          <Verdict verdict="not assessable" words="flow fault" />
        ) : (
          <Verdict
            verdict={run.measured < 75 ? "not assessable" : "within"}
            words={`${number(run.measured, 0)} % measured`}
          />
        )}
      </Card>
    </div>
  );
}

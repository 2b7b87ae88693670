import { useState } from "react";
import type { Schemas } from "@/api/client";
import { day, number, unitWords } from "@/ui/format";
import type { Assessed } from "./assessed";
import type { CompareProps } from "./contract";
import { OverLanes } from "./OverLanes";

const FOREMOST = 8;

type Change = Schemas["FigureChange"];

const STANDS = { beyond: "more than from day to day", within: "as from day to day", "not known": "not known" } as const;

const shortDay = (r: Assessed) => day(r.session.started_at, r.session.utc_offset_min).replace(/ \d{4}$/, "");

function moved(change: Change): string {
  if (change.difference === null) return "–";
  const unit = change.unit === "%" ? "points" : unitWords(change.unit);
  const sign = change.difference > 0 ? "+" : change.difference < 0 ? "−" : "";
  return `${sign}${number(Math.abs(change.difference), change.decimals)} ${unit}`.trim();
}

/** The figures of both, foremost first, each with its difference and what is usual from day to day. */
function Figures({ changes, before, after }: { changes: Change[]; before: Assessed; after: Assessed }) {
  const [all, setAll] = useState(false);
  const shown = all ? changes : changes.slice(0, FOREMOST);
  return (
    <>
      <table className="mt-3 w-full text-[13.5px]">
        <thead className="text-right font-narrow text-[12.5px] text-soft">
          <tr>
            <th className="text-left font-medium">Figure</th>
            <th className="font-medium">{shortDay(before)}</th>
            <th className="font-medium">{shortDay(after)}</th>
            <th className="font-medium">Difference</th>
            <th className="font-medium">Usual</th>
            <th className="pl-3 text-left font-medium">In words</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((change) => (
            <tr key={change.figure} className="border-hair border-t text-right">
              <td className="py-1 text-left">{change.label}</td>
              <td>
                {number(change.before, change.decimals)} {unitWords(change.unit)}
              </td>
              <td>
                {number(change.after, change.decimals)} {unitWords(change.unit)}
              </td>
              <td className={change.standing === "beyond" ? "font-semibold" : ""}>{moved(change)}</td>
              <td className="text-soft">
                {change.span.value === null ? "not known" : `±${number(change.span.value, change.decimals)}`}
              </td>
              <td className="pl-3 text-left text-soft">
                {change.difference === null ? "not measured in both" : STANDS[change.standing as keyof typeof STANDS]}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {changes.length > FOREMOST && (
        <button type="button" className="mt-1 text-[13px] text-act hover:underline" onClick={() => setAll(!all)}>
          {all ? "the foremost only" : `all ${changes.length} figures`}
        </button>
      )}
    </>
  );
}

/** Two recordings side by side, with nothing known about the kind. */
export default function PlainCompare({ before, after, comparison, kind }: CompareProps) {
  return (
    <>
      {comparison.changes.length > 0 && <Figures changes={comparison.changes} before={before} after={after} />}
      <OverLanes of={[before, after]} kind={kind} title="Both on one axis" />
    </>
  );
}

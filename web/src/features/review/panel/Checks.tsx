import type { Assessed, Kind } from "@/sheet/assessed";
import { Verdict } from "@/ui/basics";
import { number } from "@/ui/format";

import { Heading } from "./Heading";

export function Checks({ review, kind }: { review: Assessed; kind: Kind }) {
  if (kind.checks.length === 0) return null;
  const checks = kind.checks.flatMap((word) =>
    review.events.filter((e) => e.code === word.code).map((event) => ({ word, event })),
  );
  const of = (data: Record<string, unknown>, what: string, unit: string) =>
    data[`${what}_${unit.toLowerCase()}`] ?? data[what];
  const drift = review.reviewed.quality.findings.find((f) => f.code === "drift");
  return (
    <>
      <Heading>Checks</Heading>
      {checks.length === 0 && <p className="text-[13px] text-soft">No check on record.</p>}
      <table className="w-full text-[13px]">
        <tbody>
          {checks.map(({ word, event }) => (
            <tr key={`${word.code} ${event.at_s}`} className="border-hair border-t">
              <td className="py-1">
                {word.label}{" "}
                {of(event.data, "applied", word.unit) !== undefined &&
                  `${number(Number(of(event.data, "applied", word.unit)))} ${word.unit}`}
              </td>
              <td className="text-right">
                read {number(Number(of(event.data, "read", word.unit)))}{" "}
                {word === kind.checks.at(-1) && kind.checks.length > 1 && (
                  <Verdict
                    verdict={drift ? "not assessable" : "within"}
                    words={drift ? "drift" : "drift allowed"}
                    bare
                  />
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

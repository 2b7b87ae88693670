import type { Assessed, Kind } from "@/sheet/assessed";
import { Verdict } from "@/ui/basics";
import { number, unitWords } from "@/ui/format";

import { Heading } from "./Heading";

type Event = Assessed["events"][number];
type Word = Kind["checks"][number];

function numberIn(event: Event, what: string, word: Word): number | null {
  const found = event.data[`${what}_${word.unit.toLowerCase()}`] ?? event.data[what];
  return typeof found === "number" ? found : null;
}

/** Which sensor was checked, where the kind has several. */
const sensorOf = (event: Event, word: Word) => (word.sensor_in ? String(event.data[word.sensor_in] ?? "") : "");

/** Checks against a reference that the recording carries: what was applied, what was read, what came of it. */
export function Checks({ review, kind }: { review: Assessed; kind: Kind }) {
  if (kind.checks.length === 0) return null;
  const checks = kind.checks.flatMap((word) =>
    review.events.filter((e) => e.code === word.code).map((event) => ({ word, event })),
  );
  const { findings } = review.reviewed.quality;
  return (
    <>
      <Heading>Checks</Heading>
      {checks.length === 0 && <p className="text-[13px] text-soft">No check on record.</p>}
      <table className="w-full text-[13px]">
        <tbody>
          {checks.map(({ word, event }) => {
            const [applied, read, sensor] = [
              numberIn(event, "applied", word),
              numberIn(event, "read", word),
              sensorOf(event, word),
            ];
            const failed = findings.find(
              (f) => f.code === word.judged_by || (sensor && f.code === `${word.judged_by}.${sensor}`),
            );
            return (
              <tr key={`${word.code} ${sensor} ${event.at_s}`} className="border-hair border-t">
                <td className="py-1">
                  {[word.label, sensor.toUpperCase()].filter(Boolean).join(" ")}
                  {applied !== null && ` ${number(applied)} ${unitWords(word.unit)}`}
                </td>
                <td className="text-right">
                  {read !== null && `read ${number(read)} `}
                  {word.judged_by && (
                    <Verdict
                      verdict={failed ? "not assessable" : "within"}
                      words={failed ? failed.text : "passed"}
                      bare={read !== null && !failed}
                    />
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </>
  );
}

import type { Assessed, Kind } from "@/sheet/assessed";
import { Heading } from "@/sheet/Heading";
import { Verdict } from "@/ui/basics";
import { number, unitWords } from "@/ui/format";

type Event = Assessed["events"][number];
type Word = Kind["checks"][number];

/** Which sensor was checked, where the kind has several. */
const sensorOf = (event: Event, word: Word) => (word.sensor_in ? String(event.data[word.sensor_in] ?? "") : "");

/** What is noted of a check: "applied 94 dB, read 94.1 dB"; what was not is passed over. */
function noted(event: Event, word: Word): string {
  const sensor = sensorOf(event, word);
  return word.inputs
    .flatMap(({ key, label, unit, units }) => {
      const value = event.data[key];
      return typeof value === "number" ? [`${label} ${number(value)} ${unitWords(units[sensor] ?? unit)}`.trim()] : [];
    })
    .join(", ");
}

/** What came of a check, in words; nothing where it cannot be said: one that was not noted, one whose counterpart is missing. */
function outcome(event: Event, word: Word, finding: string | undefined, whole: boolean): string | null {
  if (!word.judged_by) return null;
  const { passed } = event.data;
  if (typeof passed === "boolean") return passed ? "passed" : (finding ?? "failed");
  if (finding) return finding;
  return whole && noted(event, word) ? "passed" : null;
}

/** Checks against a reference that the recording carries: what was applied, what was read, what came of it. */
export function Checks({ review, kind }: { review: Assessed; kind: Kind }) {
  if (kind.checks.length === 0) return null;
  const { findings } = review.reviewed.quality;
  const rows = kind.checks.flatMap((word): { word: Word; event: Event | null }[] => {
    const made = review.events.filter((e) => e.code === word.code);
    // What is due with every recording is missed where it is not there; what is due now and then is not.
    return made.length > 0 || word.every_days > 0 ? made.map((event) => ({ word, event })) : [{ word, event: null }];
  });
  const whole = rows.every((r) => r.event !== null);
  return (
    <>
      <Heading>Checks</Heading>
      {rows.length === 0 && <p className="text-[13px] text-soft">No check on record.</p>}
      <table className="w-full text-[13px]">
        <tbody>
          {rows.map(({ word, event }) => {
            const sensor = event ? sensorOf(event, word) : "";
            const finding = findings.find(
              (f) => f.code === word.judged_by || (sensor && f.code === `${word.judged_by}.${sensor}`),
            );
            const words = event && outcome(event, word, finding?.text, whole);
            return (
              <tr key={`${word.code} ${sensor} ${event?.at_s}`} className="border-hair border-t align-top">
                <td className="py-1 pr-2">
                  {[word.label, sensor.toUpperCase()].filter(Boolean).join(" ")}
                  <span className="block text-soft">{event ? noted(event, word) : "not on record"}</span>
                </td>
                <td className="py-1 text-right">
                  {words && <Verdict verdict={words === "passed" ? "within" : "not assessable"} words={words} />}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </>
  );
}

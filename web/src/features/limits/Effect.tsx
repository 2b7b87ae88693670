import { Link } from "react-router";
import { backTo, keptOf } from "@/api/readers";
import { Verdict } from "@/ui/basics";
import { unitWords } from "@/ui/format";
import { beyondStep } from "./counting";
import type { ScaleStep } from "./Scale";
import type { Measured, Moved } from "./useMeasured";
import { useHit } from "./useMeasured";

const MOST_SHOWN = 8;
/** The server names no more. */
const MOST_NAMED = 12;

/** What one moved step would do: sessions and people before and after, and whom it hits. */
export function Effect({
  id,
  measured,
  at,
  unit,
  now,
  then,
}: {
  id: number;
  measured: Measured;
  /** Which rule it is a step of. */
  at: number;
  unit: string;
  now: ScaleStep;
  then: ScaleStep;
}) {
  const scale = measured.scales[at];
  const kept = (step: ScaleStep) => ({ ...step, value: scale ? backTo(scale, step.value) : step.value });
  const moved: Moved | null = scale ? { key: scale.key, now: { ...now, value: keptOf(now) }, tried: kept(then) } : null;
  const hit = useHit(id, measured.since, moved);
  if (!scale) return null;
  const sessions = [beyondStep(scale.values, now), beyondStep(scale.values, then)] as const;
  const people = [beyondStep(scale.extremes, now), beyondStep(scale.extremes, then)] as const;
  const listed = hit.data ?? [];
  return (
    <section aria-label="What it would do">
      <h2 className="mb-1 text-[15px]">
        If {now.value} became {then.value} {unitWords(unit)}
      </h2>
      <p className="mb-1.5 flex items-center gap-2 rounded-lg border border-line bg-panel px-3 py-2" role="status">
        <span
          className={`whitespace-nowrap font-narrow font-semibold text-[20px] ${then.verdict === "above limit" ? "text-above" : "text-action"}`}
        >
          <Verdict verdict={then.verdict} words={then.verdict} bare /> {sessions[0]} → {sessions[1]}
        </span>
        <span className="text-[13px] text-soft">
          sessions reach it, of {people[0] === people[1] ? people[1] : `${people[0]} → ${people[1]}`} people
        </span>
      </p>
      {listed.length > 0 && (
        <ul aria-label="Whom it hits" className={hit.isPlaceholderData ? "opacity-60" : ""}>
          {listed.slice(0, MOST_SHOWN).map((each) => (
            <li key={each.person_id} className="flex gap-3 border-hair border-t py-1 text-[13.5px]">
              <Link to={`/people/${each.person_id}`} className="min-w-0 flex-1 truncate hover:underline">
                {each.name}
              </Link>
              <span className="text-soft">
                {Math.abs(each.more)} {each.more > 0 ? "more" : "fewer"}
                {each.others ? "" : each.more > 0 ? ", the first" : ", none left"}
              </span>
            </li>
          ))}
          {listed.length > MOST_SHOWN && (
            <li className="border-hair border-t py-1 text-[13px] text-soft">
              and {listed.length - MOST_SHOWN}
              {listed.length === MOST_NAMED ? " or more" : " more"}
            </li>
          )}
        </ul>
      )}
      {hit.data && listed.length === 0 && (
        <p className="text-[13px] text-soft">Nobody by name would be judged otherwise.</p>
      )}
    </section>
  );
}

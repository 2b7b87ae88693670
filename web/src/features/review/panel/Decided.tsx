import { type Assessed, type Decision, type Kind, type Stretch, stretchesOf } from "@/sheet/assessed";
import { Heading } from "@/sheet/Heading";
import { Warn } from "@/ui/basics";
import { offsetChanges, wallMoment } from "@/ui/format";
import type { ReviewActions } from "../useReview";

/** Moved sleep, events left out or counted by hand, and those that the computation no longer finds. */
export function Decided({
  review,
  kind,
  actions,
  locked,
  onChange,
}: {
  review: Assessed;
  kind: Kind;
  actions: ReviewActions;
  locked: boolean;
  onChange: (stretch: Stretch) => void;
}) {
  const clock = wallMoment(review.session, offsetChanges(review.events));
  const asleep = stretchesOf(review, "asleep");
  const events = review.decisions.filter((d) => ABOUT_EVENTS.has(d.what));
  const seen = new Set(review.decisions.filter((d) => d.what === "accepted").map((d) => d.key));
  const lost = events.filter((d) => d.lost && !seen.has(lostKey(d.key)));
  const computed = review.reviewed.stretches ?? [];
  const canMove = kind.stretches.some((w) => w.what === "asleep");
  return (
    <>
      {lost.length > 0 && (
        <div className="mt-2">
          <Warn>
            {lost.length === 1 ? "A decision is" : `${lost.length} decisions are`} about an event that is no longer
            found: {lost.map((d) => clock(momentOf(d.key), true)).join(", ")}.
            {!locked && (
              <button
                type="button"
                className="block text-act hover:underline"
                onClick={() =>
                  actions.decide(
                    lost.map((d) => ({ what: "accepted", key: lostKey(d.key), reason: "no longer found, seen" })),
                  )
                }
              >
                Seen; sign without it
              </button>
            )}
          </Warn>
        </div>
      )}
      {canMove && (
        <>
          <Heading>Asleep</Heading>
          {asleep.length === 0 && (
            <p className="text-[13px] text-soft">
              {computed.length === 0
                ? "No sleep found."
                : `${computed.map((s) => `${clock(s.start_s)} to ${clock(s.end_s)}`).join(", ")}, as computed.`}{" "}
              {!locked && computed[0] && (
                <button
                  type="button"
                  className="text-act hover:underline"
                  onClick={() =>
                    actions.decide(
                      computed.map((s) => ({ what: "asleep", start_s: s.start_s, end_s: s.end_s, reason: "by hand" })),
                    )
                  }
                >
                  set by hand
                </button>
              )}
            </p>
          )}
          {asleep.map((s) => (
            <p key={s.id} className="flex justify-between border-hair border-t py-1 text-[13px]">
              {clock(s.start_s)} to {clock(s.end_s)}
              <button
                type="button"
                className="text-act hover:underline"
                disabled={locked}
                onClick={() => onChange(s)}
                aria-label={`Change the sleep from ${clock(s.start_s)}`}
              >
                change
              </button>
            </p>
          ))}
        </>
      )}
      {events.length > 0 && (
        <>
          <Heading>Events by hand</Heading>
          <ul className="max-h-40 overflow-auto text-[13px]">
            {events.map((d) => (
              <li key={d.id} className="flex justify-between gap-2 border-hair border-t py-1">
                <span className="min-w-0 truncate" title={d.reason}>
                  {clock(momentOf(d.key), true)}, {wordsOf(d)}
                </span>
                {!locked && (
                  <button type="button" className="text-act hover:underline" onClick={() => actions.takeBack([d.id])}>
                    {d.what === "dropped" ? "count it" : "take back"}
                  </button>
                )}
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  );
}

const ABOUT_EVENTS = new Set<Decision["what"]>(["dropped", "kept", "edge", "type"]);

/** What was decided about an event. */
function wordsOf(decision: Decision): string {
  if (decision.what === "kept") return "counts";
  if (decision.what === "type") return String(decision.value);
  if (decision.what === "edge") return decision.value === "begins" ? "an event begins" : "joined with the one before";
  return decision.reason;
}

const lostKey = (key: string) => `lost ${key}`;
const momentOf = (key: string) => Number.parseFloat(key.split("@")[1] ?? "0");

import type { Assessed } from "@/sheet/assessed";
import { Heading } from "@/sheet/Heading";
import { length, offsetChanges, wallMoment } from "@/ui/format";
import type { ReviewActions } from "../useReview";

export function Suggestions({ review, actions }: { review: Assessed; actions: ReviewActions }) {
  const clock = wallMoment(review.session, offsetChanges(review.events));
  const found = review.reviewed.suggestions;
  if (found.length === 0) return null;
  return (
    <>
      <Heading>Might be left out</Heading>
      <ul className="text-[13px]">
        {found.slice(0, 6).map((s) => (
          <li key={`${s.code} ${s.start_s}`} className="border-hair border-t py-1">
            <span className="flex justify-between gap-2">
              {clock(s.start_s, true)}, {length(s.end_s - s.start_s)}
              <button
                type="button"
                className="text-act hover:underline"
                onClick={() => actions.mark("left out", s.start_s, s.end_s, s.reason)}
              >
                leave out
              </button>
            </span>
            <span className="text-soft">{s.reason}</span>
          </li>
        ))}
        {found.length > 6 && <li className="py-1 text-soft">and {found.length - 6} more</li>}
      </ul>
    </>
  );
}

import { useState } from "react";
import type { Assessed } from "@/sheet/assessed";
import { Button } from "@/ui/basics";
import { day } from "@/ui/format";
import { ReasonDialog } from "@/ui/reason";

/** What would stand on the page otherwise today, and who signed before. */
export function Signatures({ review }: { review: Assessed }) {
  const differs = review.signature?.differs ?? [];
  return (
    <>
      {differs.length > 0 && (
        <div className="mt-2 text-[13px] text-soft">
          Made today, the page would differ; what was signed stays:
          <ul className="list-disc pl-4">
            {differs.map((each) => (
              <li key={each}>{each}</li>
            ))}
          </ul>
        </div>
      )}
      {review.earlier.length > 0 && (
        <details className="mt-2 text-[13px] text-soft">
          <summary className="cursor-pointer text-act">signed before</summary>
          <ul>
            {review.earlier.map((each) => (
              <li key={each.at} className="border-hair border-t py-1">
                {each.by}, {day(each.at)}; opened again by {each.opened_by}: {each.opened_why}
              </li>
            ))}
          </ul>
        </details>
      )}
    </>
  );
}

/** Opening a signed session: what was signed stays on record, with the reason. */
export function OpenAgain({ onOpen }: { onOpen: (why: string) => void }) {
  const [asking, setAsking] = useState(false);
  return (
    <>
      <Button onClick={() => setAsking(true)}>Open again</Button>
      {asking && (
        <ReasonDialog
          title="Open this session again?"
          hint="what has to be changed"
          action="Open again"
          note="What was signed, by whom and when stays on record. The session has to be signed anew."
          onClose={() => setAsking(false)}
          onReason={(why) => {
            setAsking(false);
            onOpen(why);
          }}
        />
      )}
    </>
  );
}

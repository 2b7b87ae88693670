import { useState } from "react";
import type { Schemas } from "@/api/client";
import { type Assessed, acceptedOf } from "@/sheet/assessed";
import { Warn } from "@/ui/basics";
import { ReasonDialog } from "@/ui/reason";
import type { ReviewActions } from "../useReview";

export function Findings({ review, actions, locked }: { review: Assessed; actions: ReviewActions; locked: boolean }) {
  const [accepting, setAccepting] = useState<Schemas["Finding"] | null>(null);
  const blocking = review.reviewed.quality.findings.filter((f) => f.blocks);
  if (blocking.length === 0) return null;
  return (
    <div className="mb-3 grid gap-2">
      {blocking.map((f) => (
        <Warn key={f.code}>
          {f.text}
          {acceptedOf(review, f.code) ? (
            <span className="block text-soft">
              accepted: {acceptedOf(review, f.code)?.reason}{" "}
              {!locked && (
                <button
                  type="button"
                  className="text-act hover:underline"
                  onClick={() => actions.takeBack([acceptedOf(review, f.code)?.id ?? 0])}
                >
                  take back
                </button>
              )}
            </span>
          ) : (
            !locked && (
              <button type="button" className="block text-act hover:underline" onClick={() => setAccepting(f)}>
                Accept it with a reason
              </button>
            )
          )}
        </Warn>
      ))}
      {accepting && (
        <ReasonDialog
          title="Accept with a reason"
          text={`${accepting.text}.`}
          hint="why it can be judged all the same"
          action="Accept"
          note="The reason is printed on the report."
          onClose={() => setAccepting(null)}
          onReason={(reason) => {
            actions.accept(accepting.code, reason);
            setAccepting(null);
          }}
        />
      )}
    </div>
  );
}

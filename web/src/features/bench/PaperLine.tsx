import { useState } from "react";
import type { Schemas } from "@/api/client";
import { Verdict } from "@/ui/basics";
import { ReasonDialog } from "@/ui/reason";
import { useBenchDeeds } from "./useBench";

/** A certificate in a line: its paper, whether it was passed, and revoking it. */
export function PaperLine({ paper }: { paper: Schemas["Certificate"] }) {
  const { revoke } = useBenchDeeds();
  const [revoking, setRevoking] = useState(false);
  return (
    <>
      <a
        className="min-w-0 flex-1 truncate text-act hover:underline"
        href={`/api/certificates/${paper.id}/pdf`}
        target="_blank"
        rel="noreferrer"
      >
        {paper.number}, {paper.title}
      </a>
      {paper.revoked_at ? (
        <span className="text-soft" title={paper.revoked_why}>
          revoked
        </span>
      ) : (
        <>
          <Verdict
            verdict={paper.passed ? "within" : "above limit"}
            words={paper.passed ? "passed" : "not passed"}
            bare
          />
          <button
            type="button"
            className="min-h-6 text-soft hover:underline"
            aria-label={`Revoke ${paper.number}`}
            onClick={() => setRevoking(true)}
          >
            revoke
          </button>
        </>
      )}
      {revoking && (
        <ReasonDialog
          title={`Revoke ${paper.number}`}
          text="It stays on record with this reason, and is not printed with the others of its day any more."
          hint="such as wrong bottle"
          action="Revoke it"
          reasons={["wrong bottle", "wrong recorder"]}
          onClose={() => setRevoking(false)}
          onReason={(why) => {
            revoke.mutate({ id: paper.id, why: why.slice(0, 200) });
            setRevoking(false);
          }}
        />
      )}
    </>
  );
}

import { Button } from "@/ui/basics";
import type { Clearing } from "./ClearDialog";

/** What of the recorders in view may be cleared. */
export function ClearPart({
  toClear,
  all,
  onClear,
}: {
  toClear: Clearing[];
  all: boolean;
  onClear: (chosen: Clearing[]) => void;
}) {
  if (toClear.length === 0) return null;
  const count = toClear.reduce((sum, each) => sum + each.sessions.length, 0);
  const where = toClear.length === 1 ? toClear[0]?.bay.recorder.token : `${toClear.length} recorders`;
  return (
    <section aria-label="Clear" className="mt-4 border-line border-t pt-3 text-[13px]">
      <h2>Clear</h2>
      <p className="my-1.5 text-soft">
        {count} session{count === 1 ? "" : "s"} on {where} {count === 1 ? "is" : "are"} stored here. Each copy is read
        again before its original goes.
        {all && " Choose a recorder above to clear it alone; files on sticks and cards never go with all."}
      </p>
      <Button onClick={() => onClear(toClear)}>
        Clear {count} on {where}
      </Button>
    </section>
  );
}

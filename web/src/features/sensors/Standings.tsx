import type { Schemas } from "@/api/client";
import { Verdict } from "@/ui/basics";
import { day } from "@/ui/format";

/** A recorder without sensors to calibrate here: how its checks stand. */
export function Standings({ bench }: { bench: Schemas["SensorBench"] }) {
  return (
    <section aria-label="What is due" className="rounded-lg border border-line bg-panel px-3 py-2.5">
      <h2 className="mb-1">What is due</h2>
      {bench.standings.length === 0 && (
        <p className="text-[13px] text-soft">
          No check with a date is on record for this recorder. Keep the one from its last certificate, and it is said
          here and at hand-out when the next is due.
        </p>
      )}
      {bench.standings.map((s) => (
        <p
          key={`${s.check} ${s.sensor}`}
          className="flex justify-between gap-3 border-hair border-t py-1 first:border-t-0"
        >
          <span>{s.label}</span>
          {s.state === "right" ? (
            <Verdict verdict="within" words={s.due_at ? `until ${day(s.due_at, undefined, true)}` : "done"} />
          ) : (
            <Verdict
              verdict={s.state === "failed" ? "above limit" : "action level reached"}
              words={s.words.split(": ").slice(1).join(": ")}
            />
          )}
        </p>
      ))}
    </section>
  );
}

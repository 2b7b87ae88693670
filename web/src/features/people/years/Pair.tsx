import { Link } from "react-router";
import { Button, Verdict, type VerdictWord } from "@/ui/basics";
import { day, number, unitWords } from "@/ui/format";
import type { Lane, Mark } from "./draw";
import { decimals, endsOf } from "./YearsPicture";

/** The sessions that were chosen: one to open, or two against each other. */
export function Pair({ lane, marks, onClear }: { lane: Lane; marks: Mark[]; onClear: () => void }) {
  const [a, b] = marks;
  const less = (from: number | null | undefined, of: number | null | undefined) =>
    from == null || of == null ? [] : [`${of > from ? "+" : ""}${number(of - from, decimals(lane))}`];
  const apart = [...less(a?.value, b?.value), ...less(a?.low, b?.low)].join("/");
  const unit = unitWords(lane.unit);
  return (
    <section aria-label="Chosen" className="mb-4">
      <h2 className="mb-1.5">{b ? "A and B" : "A"}</h2>
      <div className="grid grid-cols-2 rounded-lg border border-line bg-panel">
        {marks.map((mark, i) => (
          <div key={mark.session_id} className={`px-2.5 py-2 ${i ? "border-line border-l" : ""}`}>
            <span className="flex items-center gap-1.5 text-[13px]">
              <i className="grid size-5 flex-none place-items-center rounded-full bg-act font-narrow font-semibold text-[12px] text-panel not-italic">
                {"AB"[i]}
              </i>
              {day(mark.started_at, mark.utc_offset_min, true)}
            </span>
            <span className="block whitespace-nowrap">
              <b className="font-narrow font-semibold text-[21px]">{endsOf(lane, mark)}</b>{" "}
              <span className="text-soft">
                {unit}
                {mark.projected && ", projected"}
              </span>
            </span>
            <Verdict verdict={mark.verdict as VerdictWord} />
            <Link className="block text-[13px] text-act hover:underline" to={`/review/${mark.session_id}`}>
              open {"AB"[i]}
            </Link>
          </div>
        ))}
      </div>
      {apart && (
        <p className="mt-1.5 text-[13px]">
          B less A: <b className="whitespace-nowrap font-semibold">{`${apart} ${unit}`}</b>
        </p>
      )}
      <p className="mt-1 flex gap-1">
        {a && b && (
          <Link
            className="inline-flex min-h-[34px] items-center whitespace-nowrap rounded-md bg-act px-3 font-medium text-panel"
            to={`/review/${b.session_id}/compare?with=${a.session_id}`}
          >
            Compare A with B
          </Link>
        )}
        <Button look="quiet" onClick={onClear}>
          choose others
        </Button>
      </p>
    </section>
  );
}

import { Link } from "react-router";
import type { PanelProps } from "@/sheet/contract";
import { Heading } from "@/sheet/Heading";
import { Verdict } from "@/ui/basics";
import { offsetChanges, wallMoment } from "@/ui/format";
import { isValid, readingsOf, rowsOf } from "./readings";

/** Tries that failed, by what stopped them, and whether what is left is enough to judge by. */
export default function Panel({ review }: PanelProps) {
  const clock = wallMoment(review.session, offsetChanges(review.events));
  const failed = new Map<string, number[]>();
  for (const r of readingsOf(review.reviewed))
    if (!isValid(r)) failed.set(r.state, [...(failed.get(r.state) ?? []), r.atS]);
  return (
    <>
      <Heading>Failed tries</Heading>
      {failed.size === 0 && <p className="text-[13px] text-soft">None.</p>}
      <ul className="text-[13px]">
        {[...failed].map(([why, at]) => (
          <li key={why} className="flex justify-between gap-2 border-hair border-t py-1">
            <span className="min-w-0">
              {at
                .slice(0, 4)
                .map((s) => clock(s))
                .join(", ")}
              {at.length > 4 && ` and ${at.length - 4} more`}
            </span>
            <span className="text-right text-soft">{why}</span>
          </li>
        ))}
      </ul>
      <Heading>Enough to judge by?</Heading>
      <ul className="text-[13px]">
        {rowsOf(review.reviewed, "enough").map((row) => (
          <li key={String(row.What)} className="flex justify-between gap-2 border-hair border-t py-1">
            <span>
              {row.What} {row["There are"]}, <span className="text-soft">{row.Needed} needed</span>
            </span>
            <Verdict
              verdict={row.Enough === "yes" ? "within" : "not assessable"}
              words={row.Enough === "yes" ? "enough" : "too few"}
              bare
            />
          </li>
        ))}
      </ul>
      {review.session.person_id !== null && (
        <Link
          className="mt-2 inline-block min-h-6 text-[13px] text-act hover:underline"
          to={`/review/${review.session.id}/compare`}
        >
          Compare with another recording
        </Link>
      )}
    </>
  );
}

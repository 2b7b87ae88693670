import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import type { Schemas } from "@/api/client";
import type { ReviewSheetProps } from "@/sheet/contract";
import { Empty, Loading, Trouble } from "@/ui/basics";
import { moment } from "@/ui/format";
import { lapTime, othersOf } from "./laps";

type Other = Schemas["OtherSession"];

/** Somebody else by the first name; one's own other session by its day. */
export function shortName(other: Other, person: string): string {
  if (other.person && other.person !== person) return other.person.split(" ")[0] ?? other.person;
  return moment(other.started_at, other.utc_offset_min);
}

/** A session on the same course is chosen; its laps are laid beside those of this one. */
export function Compare({ review, laps }: ReviewSheetProps & { laps: (beside: Other) => ReactNode }) {
  const { session } = review;
  const others = useQuery(othersOf(session.id, review.version));
  const [chosen, setChosen] = useState<number | null>(null);
  if (others.isError && !others.data) return <Trouble error={others.error} again={() => others.refetch()} />;
  if (!others.data) return <Loading what="the sessions on this course" />;
  const own = others.data.find(
    (o) => o.person !== "" && o.person === session.person && o.started_at < session.started_at,
  );
  const beside = others.data.find((o) => o.id === chosen) ?? own ?? others.data[0];
  if (!beside)
    return (
      <Empty title="No other session on this course yet">
        As soon as a second one is taken in, by this driver or by another, its laps can be laid beside these. A course
        that is not in the register yet is kept from a lap first: in Laps, above its picture.
      </Empty>
    );
  return (
    <>
      <div className="mt-2 flex flex-wrap items-center gap-2 text-[13.5px]">
        <label className="flex flex-wrap items-center gap-2">
          Beside
          <select
            className="min-h-8 max-w-full rounded-md border border-line bg-panel px-1.5"
            aria-label="Beside which session"
            value={beside.id}
            onChange={(e) => setChosen(Number(e.target.value))}
          >
            {others.data.map((o) => (
              <option key={o.id} value={o.id}>
                {[
                  o.person || "nobody",
                  moment(o.started_at, o.utc_offset_min),
                  o.vehicle,
                  o.run,
                  o.best_s === null ? "no lap counts" : `best ${lapTime(o.best_s)}`,
                ]
                  .filter(Boolean)
                  .join(", ")}
              </option>
            ))}
          </select>
          <span className="text-soft">
            {others.data.length} session{others.data.length === 1 ? "" : "s"} on this course
          </span>
        </label>
        <a
          className="ml-auto min-h-6 text-act hover:underline"
          href={`/api/sessions/${session.id}/day-sheet`}
          target="_blank"
          rel="noreferrer"
        >
          Sheet of the day (PDF)
        </a>
      </div>
      {laps(beside)}
    </>
  );
}

import { Link } from "react-router";
import { Verdict, type VerdictWord } from "@/ui/basics";
import { dayMonth, number, unitWords } from "@/ui/format";
import type { Group, Measured } from "./useGroup";

interface Row {
  id: number;
  name: string;
  counted: Measured[];
  /** How many do not count: left out, or not signed off yet. */
  others: number;
  above: Measured[];
  /** The first of those above that every one since was above, too. */
  since: string | null;
}

/** By person: how many of what counts reach the step that the group is held against, and since when all of them do. */
function rowsOf(group: Group): Row[] {
  const limit = group.step?.value ?? Number.POSITIVE_INFINITY;
  return group.members
    .map((member) => {
      const all = group.measured.filter((m) => m.person_id === member.id);
      const mine = all.filter((m) => !m.why_not && m.value !== null);
      const reaches = (m: Measured) => (m.value ?? 0) >= limit;
      const lastWithin = mine.findLastIndex((m) => !reaches(m));
      return {
        id: member.id,
        name: member.name,
        counted: mine,
        others: all.length - mine.length,
        above: mine.filter(reaches),
        since: mine[lastWithin + 1]?.day ?? null,
      };
    })
    .sort((a, b) => b.above.length - a.above.length || a.name.localeCompare(b.name));
}

/** Who of the group is above, and since when; each can be left out for a moment, to see what the rest says. */
export function WhoIsAbove({
  group,
  without,
  onWithout,
}: {
  group: Group;
  without: number[];
  onWithout: (people: number[]) => void;
}) {
  if (!group.step || group.members.length === 0) return null;
  const rows = rowsOf(group);
  const above = rows.filter((row) => row.above.length > 0).length;
  return (
    <section aria-label="Who is above" className="mt-2.5 rounded-lg border border-line bg-panel p-3">
      <h2 className="mb-1 flex items-baseline gap-3">
        Who is above
        <span className="font-normal text-[13px] text-soft">
          {above} of {rows.length} reached {group.step.value} {unitWords(group.unit)}, {group.step.name}
        </span>
      </h2>
      {without.length > 0 && (
        <p className="mb-1 text-[13px] text-action" role="status">
          Everything above and beside is without{" "}
          {rows
            .filter((row) => without.includes(row.id))
            .map((row) => row.name)
            .join(", ")}
          , for this look alone.{" "}
          <button type="button" className="min-h-6 text-act hover:underline" onClick={() => onWithout([])}>
            With everybody
          </button>
        </p>
      )}
      <table className="w-full text-[13.5px]">
        <thead>
          <tr className="text-left text-[13px] text-soft">
            <th className="font-normal">Who</th>
            <th className="text-right font-normal">Highest</th>
            <th className="pl-4 font-normal">Reached it</th>
            <th className="font-normal">Since</th>
            <th className="text-right font-normal">In this look</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => {
            const highest = Math.max(...row.counted.map((m) => m.value ?? Number.NEGATIVE_INFINITY));
            const out = without.includes(row.id);
            return (
              <tr key={row.id} className={`border-hair border-t ${out ? "text-soft" : ""}`}>
                <td className="py-1">
                  <Link to={`/people/${row.id}`} className="hover:underline">
                    {row.name}
                  </Link>
                </td>
                <td className="text-right">{row.counted.length ? number(highest, group.logarithmic ? 3 : 1) : "–"}</td>
                <td className="pl-4">
                  {row.counted.length === 0 ? (
                    <span className="text-soft">{row.others ? "" : "not measured"}</span>
                  ) : row.above.length === 0 ? (
                    <Verdict verdict="within" words={`0 of ${row.counted.length}`} />
                  ) : (
                    <Verdict
                      verdict={(group.step?.verdict ?? "") as VerdictWord}
                      words={`${row.above.length} of ${row.counted.length}`}
                    />
                  )}
                  {row.others > 0 && (
                    <span className="ml-2 text-[12.5px] text-soft">
                      {row.others} more {row.others === 1 ? "does" : "do"} not count
                    </span>
                  )}
                </td>
                <td>
                  {row.above.length === 0
                    ? ""
                    : row.since
                      ? `each since ${dayMonth(row.since)}`
                      : `last ${dayMonth(row.above.at(-1)?.day ?? "")}`}
                </td>
                <td className="text-right">
                  <label className="inline-flex min-h-6 items-center gap-1.5">
                    <input
                      type="checkbox"
                      className="size-4 accent-(--act)"
                      aria-label={`${row.name} in this look`}
                      checked={!out}
                      onChange={() => onWithout(out ? without.filter((id) => id !== row.id) : [...without, row.id])}
                    />
                  </label>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}

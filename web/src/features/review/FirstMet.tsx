import { useState } from "react";
import { Link } from "react-router";
import type { Assessed, Kind } from "@/sheet/assessed";
import { clock } from "@/ui/format";

import { FrontMap } from "./FrontMap";

const MOST_COLUMNS = 8;

interface Met {
  /** When it first was, ms since 1970. */
  at: number;
  text: string;
  clock: string;
}

/** What an event is of, without the number that each has of its own: "Nitrogen dioxide: high alarm". */
const of = (text: string) => text.replace(/, .*/, "");

/** When each of them first met what any of them met: the order in which it came to them, and where they were. */
export function FirstMet({ all, kind }: { all: Assessed[]; kind: Kind }) {
  const counted = new Set(kind.events.map((word) => word.code));
  const names = new Map<string, string>();
  const rows = all.map((review) => {
    const { session } = review;
    const begins = new Date(session.started_at).getTime();
    const met = new Map<string, Met>();
    for (const event of review.reviewed.events ?? []) {
      if (!event.kept || !counted.has(event.code.split(".").at(-1) ?? "") || event.code.startsWith("log.")) continue;
      const at = begins + 1000 * event.at_s;
      const known = met.get(event.code);
      if (known && known.at <= at) continue;
      names.set(event.code, of(event.text));
      const when = clock(new Date(at).toISOString(), session.utc_offset_min);
      met.set(event.code, { at, text: event.text.replace(/^.*?, /, ""), clock: when });
    }
    return { session, met };
  });
  const first = (code: string) => Math.min(...rows.map((row) => row.met.get(code)?.at ?? Number.POSITIVE_INFINITY));
  const columns = [...names.keys()].sort((a, b) => first(a) - first(b)).slice(0, MOST_COLUMNS);
  const [by, setBy] = useState<string | null>(null);
  const sorted = by ?? columns[0];
  if (sorted === undefined) return null;
  const order = [...rows].sort(
    (a, b) => (a.met.get(sorted)?.at ?? Number.POSITIVE_INFINITY) - (b.met.get(sorted)?.at ?? Number.POSITIVE_INFINITY),
  );
  const located = all.some((each) => (each.reviewed.events ?? []).some((e) => typeof e.numbers.lat === "number"));
  return (
    <section aria-label="Who met it when" className="mt-3 rounded-lg border border-line bg-panel px-3 py-2">
      <h2>Who met it when</h2>
      <div className="overflow-x-auto">
        <table className="w-full text-[13.5px]">
          <thead>
            <tr className="text-left align-bottom font-narrow text-[13px]">
              <th className="py-1 pr-3 font-normal text-soft">Who</th>
              <th className="pr-3 font-normal text-soft">Place</th>
              {columns.map((code) => (
                <th
                  key={code}
                  scope="col"
                  className="pr-3 font-medium"
                  aria-sort={code === sorted ? "ascending" : undefined}
                >
                  <button type="button" className="min-h-6 text-left hover:underline" onClick={() => setBy(code)}>
                    {names.get(code)}
                    {code === sorted ? " ↓" : ""}
                  </button>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {order.map(({ session, met }) => (
              <tr key={session.id} className="border-hair border-t align-baseline">
                <th scope="row" className="py-1 pr-3 text-left font-normal">
                  <Link to={`/review/${session.id}`} className="hover:underline">
                    {session.person || "unclaimed"}
                  </Link>{" "}
                  <span className="text-soft">{session.token}</span>
                </th>
                <td className="pr-3 text-soft">{session.tags.place ?? ""}</td>
                {columns.map((code) => {
                  const found = met.get(code);
                  const after = found ? Math.round((found.at - first(code)) / 60_000) : 0;
                  return (
                    <td key={code} className="pr-3">
                      {found ? (
                        <>
                          <b className="font-semibold">{found.clock}</b>
                          {after > 0 && <span className="text-soft"> +{after} min</span>}
                          <span className="block text-[12.5px] text-soft">{found.text}</span>
                        </>
                      ) : (
                        <span className="text-soft">not</span>
                      )}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {located && <FrontMap all={all} event={sorted} name={names.get(sorted) ?? ""} />}
      <p className="pt-1 text-[12.5px] text-soft">
        By the recorders’ clocks as they were corrected; + is after the first. Press a head to order by it.
      </p>
    </section>
  );
}

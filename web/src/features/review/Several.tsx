import { useQueries } from "@tanstack/react-query";
import { Suspense, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { kindName, severalOf, useKindWords } from "@/kinds/kinds";
import { type Assessed, figureOf, isAssessed, settingOf } from "@/sheet/assessed";
import { namesOf, OverLanes } from "@/sheet/OverLanes";
import { Button, Empty, Loading, Trouble, Verdict } from "@/ui/basics";
import { number, unitWords } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { useTitle } from "@/ui/title";
import { reviewOf } from "./ahead";
import { FirstMet } from "./FirstMet";
import { InOneTable } from "./InOneTable";
import { useReview } from "./useReview";

const MOST = 12;
/** So many stand on a page of a report. */
const MOST_ON_PAGE = 6;
const NONE = "–";
const COMPARED = "compared_with";

interface Row {
  key: string;
  name: string;
  unit: string;
  decimals: number;
  values: (number | null)[];
}

/** The figures that at least two have, those that lead first; each as it is stated. */
function rowsOf(all: Assessed[]): Row[] {
  const first = all[0]?.reviewed;
  if (!first) return [];
  const keys = [...new Set([...first.key_figures, ...all.flatMap((r) => r.reviewed.figures.map((f) => f.key))])];
  return keys.flatMap((key) => {
    const found = all.map((r) => figureOf(r.reviewed, key));
    const one = found.find((f) => f !== undefined);
    const values = found.map((f) => (f && f.value !== null && f.unit === one?.unit ? f.value : null));
    if (!one || values.filter((v) => v !== null).length < 2) return [];
    return [{ key, name: one.name, unit: one.unit, decimals: one.decimals, values }];
  });
}

/** By how much a value lies from the first that there is. */
function apart(row: Row, at: number): string {
  const first = row.values.findIndex((v) => v !== null);
  const [base, value] = [row.values[first], row.values[at]];
  if (at === first || base == null || value == null) return "";
  const difference = Number((value - base).toFixed(row.decimals));
  const sign = difference > 0 ? "+" : difference < 0 ? "−" : "±";
  return `${sign}${number(Math.abs(difference), row.decimals)}`;
}

/** Puts the table on a page of the newest one's report, as long as that is not signed; told where it stands there. */
function AsPage({ of }: { of: Assessed[] }) {
  const last = of.at(-1) as Assessed;
  const { set, query } = useReview(last.session.id);
  const [busy, setBusy] = useState(false);
  const { fail } = useNotices();
  const now = query.data && isAssessed(query.data) ? query.data : last;
  const people = new Set(of.map((each) => each.session.person_id));
  const others = of.slice(0, -1).map((each) => each.session.id);
  const value = others.length === 1 ? (others[0] ?? null) : others.join(",");
  const isIn = settingOf(now, COMPARED) === value;
  if (people.size > 1 || last.session.person_id === null)
    return <p className="mt-1 text-[12.5px] text-soft">Of one person they could be a page of a report.</p>;
  const day = namesOf(of).at(-1);
  if (now.session.signed_at !== null)
    return (
      <p className="mt-1 text-[12.5px] text-soft">
        {isIn ? `This is a page of the report of ${day}.` : `The report of ${day} is signed without this page.`}
      </p>
    );
  const put = (wanted: typeof value) => {
    setBusy(true);
    set(COMPARED, wanted)
      .catch(fail)
      .finally(() => setBusy(false));
  };
  return (
    <p className="mt-2 flex flex-wrap items-center gap-3 text-[13px]">
      <Button disabled={busy} onClick={() => put(isIn ? null : value)}>
        {isIn ? `Off the report of ${day}` : `As a page of the report of ${day}`}
      </Button>
      {isIn && (
        <span className="text-soft" role="status">
          The table is a page of that report; tick “Compared with another recording” there.
        </span>
      )}
    </p>
  );
}

/** Up to twelve recordings of one kind beside one another: their figures, who met what when, and what all have on one axis. */
export default function Several() {
  const [params] = useSearchParams();
  const ids = [...new Set((params.get("sessions") ?? "").split(",").map(Number))].filter((id) => id > 0).slice(0, MOST);
  const kinds = useKindWords();
  const [every, setEvery] = useState(false);
  const found = useQueries({ queries: ids.map((id) => reviewOf(id, null)) });
  useTitle("Compare", `${ids.length} recordings`);
  const failed = found.find((each) => each.isError);
  if (failed?.error) return <Trouble view="Compare" error={failed.error} again={() => failed.refetch()} />;
  if (found.some((each) => !each.data) || !kinds.data) return <Loading view="Compare" what="the recordings" />;
  const all = found
    .flatMap((each) => (each.data && isAssessed(each.data) ? [each.data] : []))
    .sort((a, b) => a.session.started_at.localeCompare(b.session.started_at));
  const kind = kinds.data.find((each) => each.key === all[0]?.session.kind);
  if (!kind || all.length < 2)
    return (
      <Empty title="Two recordings with figures are needed">
        Tick two to twelve of one kind in <Link to="/sessions">Sessions</Link>.
      </Empty>
    );
  if (all.some((each) => each.session.kind !== kind.key))
    return (
      <Empty title="Only recordings of one kind are compared">
        These are of {[...new Set(all.map((each) => kindName(each.session.kind)))].join(" and ")}. Tick others in{" "}
        <Link to="/sessions">Sessions</Link>.
      </Empty>
    );
  const names = namesOf(all);
  const rows = rowsOf(all);
  const people = new Set(all.map((each) => each.session.person_id));
  const lead = new Set(
    all.flatMap((each) => [...each.reviewed.key_figures, ...each.reviewed.judgements.map((j) => j.figure)]),
  );
  const leading = rows.filter((row) => lead.has(row.key));
  const shown = every || leading.length === 0 ? rows : leading;
  const isCrew = people.size > 1;
  const Own = severalOf(kind.key);
  const sets = new Set(all.map((each) => each.limit_set_id));
  return (
    <main className="h-full overflow-auto px-5 py-[18px]">
      <header className="mb-2 flex flex-wrap items-baseline gap-x-3">
        <h1>{isCrew ? `${people.size} people on one clock` : `${all.length} recordings`}</h1>
        <span className="text-soft">
          {kind.name}, {[...new Set(all.map((each) => each.session.person || "unclaimed"))].join(", ")}
        </span>
      </header>
      {sets.size > 1 && (
        <p className="mb-2 text-[13px] text-action">
          They were held against different limits: their verdicts do not compare, their figures do.
        </p>
      )}
      {Own && (
        <Suspense fallback={null}>
          <Own all={all} names={names} />
        </Suspense>
      )}
      {isCrew && (
        <>
          <FirstMet all={all} kind={kind} />
          <OverLanes of={all} kind={kind} title="All on one clock" />
        </>
      )}
      <div className="mt-3 overflow-x-auto rounded-lg border border-line bg-panel px-3 py-1.5">
        <table className="w-full text-[13.5px]">
          <thead>
            <tr className="text-right align-bottom font-narrow text-[13px]">
              <th className="text-left font-normal text-soft">Figure</th>
              {all.map((each, i) => (
                <th key={each.session.id} scope="col" className="py-1 pl-3 font-medium">
                  <Link to={`/review/${each.session.id}`} className="hover:underline">
                    {names[i]}
                  </Link>
                  <span className="block">
                    <Verdict verdict={each.session.verdict} words={each.session.verdict_step || each.session.verdict} />
                  </span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {shown.map((row) => (
              <tr key={row.key} className="border-hair border-t text-right align-baseline">
                <th scope="row" className="py-1 text-left font-normal">
                  {row.name}
                  <span className="text-soft">{row.unit ? `, ${unitWords(row.unit)}` : ""}</span>
                </th>
                {row.values.map((value, i) => (
                  <td key={all[i]?.session.id} className="pl-3">
                    {value === null ? NONE : number(value, row.decimals)}
                    <span className="ml-1.5 inline-block min-w-12 font-narrow text-[12.5px] text-soft">
                      {apart(row, i)}
                    </span>
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {shown.length < rows.length && (
        <Button look="quiet" size="small" onClick={() => setEvery(true)}>
          all {rows.length} figures
        </Button>
      )}
      <p className="mt-1 text-[12.5px] text-soft">
        The small numbers are differences from the {isCrew ? "first" : "oldest"}. How much a figure moves by itself from
        day to day stands where two are compared.
      </p>
      <InOneTable all={all} kind={kind} names={names} />
      {all.length <= MOST_ON_PAGE && <AsPage of={all} />}
      {!isCrew && <OverLanes of={all} kind={kind} title="All on one axis" />}
    </main>
  );
}

import { useMemo, useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "@/api/client";
import { Button, Loading, Token, Trouble, Verdict } from "@/ui/basics";
import { day } from "@/ui/format";
import { type Key, useKeys } from "@/ui/keys";
import { useTitle } from "@/ui/title";
import { Asks } from "./Asks";
import { Drifts } from "./Drifts";
import { PaperLine } from "./PaperLine";
import { References } from "./References";
import { RunTable } from "./RunTable";
import { type Bay, dueOf, isAtWork, useBench, useBenchDeeds } from "./useBench";

const MOST_DUE = 14;
const KEYS = 8;

function BayCard({ bay, chosen, onChoose }: { bay: Bay; chosen: boolean; onChoose: () => void }) {
  const run = bay.run;
  const atWork = run !== null && isAtWork(run);
  const done = run?.rows.filter((row) => row.state === "passed" || row.state === "failed").length ?? 0;
  const failed = run && !atWork && run.rows.some((row) => row.state === "failed");
  const [first] = bay.due;
  return (
    <li>
      <button
        type="button"
        aria-pressed={chosen}
        className={`grid w-full justify-items-center gap-0.5 rounded-lg border bg-panel px-1.5 py-2 text-center text-[12.5px] hover:bg-act-soft ${chosen ? "border-act shadow-[0_0_0_1px_var(--act)]" : "border-line"}`}
        onClick={onChoose}
      >
        <span className="truncate text-soft">{bay.place || "in reach"}</span>
        <Token name={bay.token} />
        {atWork ? (
          <>
            <span className="text-act">{bay.checks.find((c) => c.key === run.what)?.label ?? run.what}</span>
            <span className="text-soft">
              {done} of {run.rows.length}
            </span>
            <progress
              className="h-1.5 w-20 accent-(--act)"
              value={done}
              max={run.rows.length}
              aria-label="sensors done"
            />
          </>
        ) : failed ? (
          <Verdict verdict="above limit" words="failed" />
        ) : first ? (
          <>
            <Verdict
              verdict={first.state === "failed" ? "above limit" : "action level reached"}
              words={first.state === "never" ? "never checked" : first.state === "failed" ? "failed" : "due"}
            />
            <span className="max-w-full truncate text-soft" title={bay.due.map((d) => d.words).join("; ")}>
              {bay.due.length === 1 ? first.label : `${bay.due.length} checks`}
            </span>
          </>
        ) : (
          <Verdict verdict="within" words="nothing due" />
        )}
      </button>
    </li>
  );
}

const STATES: Record<Schemas["CheckStanding"]["state"], [Parameters<typeof Verdict>[0]["verdict"], string]> = {
  failed: ["above limit", "failed"],
  overdue: ["above limit", "overdue"],
  never: ["action level reached", "never"],
  right: ["within", "due"],
};

type Due = Schemas["BenchDue"];

/** One line for what stands alike on a recorder: its most urgent check, and how many more. */
function grouped(due: Due[]): { row: Due; more: number }[] {
  const found = new Map<string, { row: Due; more: number }>();
  for (const row of due) {
    const key = `${row.recorder_id} ${row.standing.state}`;
    const known = found.get(key);
    if (known) known.more += 1;
    else found.set(key, { row, more: 0 });
  }
  return [...found.values()];
}

/** Checks of recorders made here: bays, what is due, references, sensor by sensor what came of it, certificates. */
export default function BenchPage() {
  const bench = useBench();
  const { begin, stop } = useBenchDeeds();
  const [chosen, setChosen] = useState<number | null>(null);
  const [all, setAll] = useState(false);
  useTitle("Check bench");
  const bays = bench.data?.bays ?? [];
  const keys = useMemo<Key[]>(
    () =>
      bays.slice(0, KEYS).map((bay, i) => ({
        keys: `Alt ${i + 1}`,
        does: `show ${bay.token}`,
        run: () => setChosen(bay.recorder_id),
      })),
    [bays],
  );
  useKeys(keys);
  if (bench.isError && !bench.data)
    return <Trouble view="Check bench" error={bench.error} again={() => bench.refetch()} />;
  if (!bench.data) return <Loading view="Check bench" what="the bench" />;
  const { due, asks, references, today } = bench.data;
  const rows = grouped(due);
  const at =
    bays.find((bay) => bay.recorder_id === chosen) ??
    bays.find((bay) => bay.run?.state === "running") ??
    bays.find((bay) => bay.run) ??
    bays.find((bay) => bay.due.length) ??
    bays[0];
  // Those that nothing is due of stand in a line, so that what is at work stays in sight.
  const wanted = bays.filter((bay) => bay.due.length > 0 || bay.run !== null || bay.recorder_id === at?.recorder_id);
  const calm = bays.filter((bay) => !wanted.includes(bay));
  // The check that most are due for leads.
  const words = new Map(bays.flatMap((bay) => bay.checks.map((check) => [check.key, check] as const)));
  const lead = [...words.values()]
    .filter((each) => !each.by_hand)
    .sort((a, b) => dueOf(bays, b.key).length - dueOf(bays, a.key).length)[0];
  const waiting = lead ? dueOf(bays, lead.key) : [];
  const atWork = bays.filter((bay) => isAtWork(bay.run)).length;
  const holding = today.filter((paper) => paper.revoked_at === null);
  return (
    <main className="grid h-full grid-cols-[minmax(0,1fr)_316px] max-[1023px]:grid-cols-1 max-[1023px]:overflow-auto">
      <div className="grid content-start gap-2.5 overflow-auto px-5 py-[18px]">
        <header className="flex flex-wrap items-center gap-x-3 gap-y-1">
          <h1>Check bench</h1>
          <span className="text-soft">
            {bays.length} in reach{atWork ? `, ${atWork} at work` : ""}
          </span>
          <Link to="/recorders" className="text-act hover:underline">
            Recorders
          </Link>
          {lead && waiting.length > 0 && (
            <span className="ml-auto">
              <Button
                look="primary"
                disabled={begin.isPending}
                title={lead.connect}
                onClick={() =>
                  begin.mutate({ recorders: waiting.slice(0, 16).map((b) => b.recorder_id), what: lead.key })
                }
              >
                {lead.label} of the {waiting.length} that {waiting.length === 1 ? "is" : "are"} due
              </Button>
            </span>
          )}
        </header>
        {bays.length === 0 && <p className="py-6">No recorder that can be checked here is in reach.</p>}
        <ul aria-label="Bays" className="grid grid-cols-8 gap-2 max-[1179px]:grid-cols-6 max-[899px]:grid-cols-4">
          {wanted.map((bay) => (
            <BayCard
              key={bay.recorder_id}
              bay={bay}
              chosen={bay.recorder_id === at?.recorder_id}
              onChoose={() => setChosen(bay.recorder_id)}
            />
          ))}
        </ul>
        {calm.length > 0 && (
          <ul aria-label="Nothing due" className="flex flex-wrap items-center gap-1.5 text-[13px]">
            <li className="text-soft">Nothing due:</li>
            {calm.map((bay) => (
              <li key={bay.recorder_id}>
                <button
                  type="button"
                  aria-label={`Show ${bay.token}, nothing due`}
                  title={[bay.name, bay.place, bay.holder && `with ${bay.holder}`].filter(Boolean).join(", ")}
                  className="grid min-h-8 min-w-8 place-items-center rounded-md hover:bg-act-soft"
                  onClick={() => setChosen(bay.recorder_id)}
                >
                  <Token name={bay.token} size="small" />
                </button>
              </li>
            ))}
          </ul>
        )}
        <References all={references} />
        {at && (
          <>
            <section aria-label={`Checks of ${at.token}`} className="flex flex-wrap items-center gap-2 text-[13px]">
              <b className="font-semibold">{at.token}</b>
              {at.checks.map((check) => (
                <Button
                  key={check.key}
                  size="small"
                  disabled={at.run?.state === "running" || begin.isPending}
                  title={`${check.connect} Allowed: ${check.allowed} (${check.source})`}
                  onClick={() => {
                    setChosen(at.recorder_id);
                    begin.mutate({ recorders: [at.recorder_id], what: check.key });
                  }}
                >
                  {check.label}
                </Button>
              ))}
              <span className="text-soft">{at.checks[0]?.connect}</span>
            </section>
            {at.run && <RunTable bay={at} run={at.run} asks={asks} onStop={(run) => stop.mutate(run.id)} />}
            <Drifts key={at.recorder_id} recorder={at.recorder_id} />
          </>
        )}
      </div>
      <aside aria-label="Due and certificates" className="overflow-auto border-line border-l bg-panel px-4 py-3.5">
        <Asks asks={asks} />
        <h2 className="pb-1">Due and overdue</h2>
        <ul className="text-[13px]">
          {rows.slice(0, all ? rows.length : MOST_DUE).map(({ row, more }) => (
            <li
              key={`${row.recorder_id} ${row.standing.check} ${row.standing.sensor}`}
              className="flex items-center gap-2 border-hair border-t py-1"
            >
              <Token name={row.token} size="small" away={!row.in_reach} />
              <span className="min-w-0 flex-1">
                <span className="block truncate">{row.standing.label}</span>
                <span className="block truncate text-soft">
                  {[more > 0 && `and ${more} more`, row.holder && `with ${row.holder}`].filter(Boolean).join(", ")}
                </span>
              </span>
              <Verdict
                verdict={STATES[row.standing.state][0]}
                words={
                  row.standing.due_at && row.standing.state !== "failed"
                    ? `${STATES[row.standing.state][1]} ${day(row.standing.due_at).replace(/^\w+,? /, "")}`
                    : STATES[row.standing.state][1]
                }
              />
            </li>
          ))}
          {due.length === 0 && <li className="text-soft">Nothing is due within two weeks.</li>}
        </ul>
        {rows.length > MOST_DUE && (
          <button type="button" className="min-h-6 text-[13px] text-act hover:underline" onClick={() => setAll(!all)}>
            {all ? "fewer" : `${rows.length - MOST_DUE} more`}
          </button>
        )}
        <div className="flex items-baseline gap-2 pt-4 pb-1">
          <h2 className="flex-1">Certificates of today</h2>
          {holding.length > 0 && (
            <a
              className="text-[13px] text-act hover:underline"
              href={`/api/certificates/day/${new Date().toLocaleDateString("sv")}/pdf`}
              target="_blank"
              rel="noreferrer"
            >
              All {holding.length} to print
            </a>
          )}
        </div>
        <ul className="text-[13px]">
          {today.map((paper) => (
            <li key={paper.id} className="flex items-center gap-2 border-hair border-t py-1">
              <PaperLine paper={paper} />
            </li>
          ))}
          {today.length === 0 && <li className="text-soft">None yet.</li>}
        </ul>
        <Link to="/certificates" className="text-[13px] text-act hover:underline">
          All certificates
        </Link>
      </aside>
    </main>
  );
}

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask } from "@/api/client";
import { kindName } from "@/kinds/kinds";
import { LimitEditor } from "@/limits/LimitEditor";
import { counted, edge, type LimitSet, newest, rulesOf } from "@/limits/rules";
import { useKeepLimits, useRulesKnown } from "@/limits/useKeepLimits";
import { Button, Loading, Trouble, Verdict, type VerdictWord } from "@/ui/basics";
import { day, moment } from "@/ui/format";
import { type TriedSession, useEffects } from "./useEffects";

function Rules({ set }: { set: LimitSet }) {
  return (
    <table className="mt-2 w-full">
      <tbody>
        {rulesOf(set).map((rule) => (
          <tr key={`${rule.name} ${counted(rule.parameters)}`} className="border-hair border-t align-top">
            <td className="w-64 py-1.5 pr-3">
              {rule.name}
              <span className="block text-[12.5px] text-soft">{counted(rule.parameters)}</span>
            </td>
            <td className="py-1.5">
              {rule.steps.map((s) => (
                <span key={s.name} className="mr-5 inline-block">
                  <Verdict verdict={s.verdict} words={`${edge(s)} ${s.value} ${rule.unit}, ${s.name}`} />
                </span>
              ))}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** What the set would do: verdicts of the newest sessions that would be others. */
function Tried({ tried, wrong }: { tried: TriedSession[] | null; wrong: string | null }) {
  if (wrong) return <p className="text-[13px] text-above">{wrong}</p>;
  if (tried === null) return <p className="text-[13px] text-soft">Change a value to see what it would do.</p>;
  if (tried.length === 0) return <p className="text-[13px] text-soft">No session of this kind has figures yet.</p>;
  const changed = tried.filter(({ effect }) => effect.verdict !== effect.now || effect.step !== effect.step_now);
  return (
    <div className="text-[13px]" role="status">
      <p>
        {changed.length === 0
          ? `The verdicts of the ${tried.length} newest sessions would stay as they are.`
          : `Of the ${tried.length} newest sessions ${changed.length} would be judged otherwise:`}
      </p>
      <table className="mt-1 w-full">
        <tbody>
          {changed.slice(0, 8).map(({ session, effect }) => (
            <tr key={session.id} className="border-hair border-t align-top">
              <td className="max-w-32 py-1 pr-3">
                <span className="block truncate">{session.person || "unclaimed"}</span>
                <span className="block text-soft">{moment(session.started_at, session.utc_offset_min)}</span>
              </td>
              <td className="py-1">
                <span className="block text-soft">
                  now <Verdict verdict={effect.now as VerdictWord} words={effect.step_now || effect.now} />
                </span>
                <Verdict verdict={effect.verdict as VerdictWord} words={effect.why || effect.words || effect.verdict} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Editing({ base, sets, onDone }: { base: LimitSet; sets: LimitSet[]; onDone: () => void }) {
  const effects = useEffects(base.kind);
  const known = useRulesKnown(sets, base.kind);
  const { keep, keeping, words } = useKeepLimits(base, onDone);
  return (
    <div className="mt-3 grid gap-x-5 gap-y-3 border-line border-t pt-3 min-[1180px]:grid-cols-[minmax(0,1fr)_340px]">
      <section
        aria-label="What it would do"
        className="self-start rounded-md bg-salt px-3 py-2 min-[1180px]:sticky min-[1180px]:top-0 min-[1180px]:order-2"
      >
        <Tried tried={effects.tried} wrong={effects.wrong} />
      </section>
      <LimitEditor
        base={base}
        known={known}
        onWish={effects.tryIt}
        actions={(wish) => (
          <>
            <Button look="primary" disabled={!wish || keeping} onClick={() => wish && keep(wish)}>
              {words}
            </Button>
            <Button look="quiet" onClick={onDone}>
              Cancel
            </Button>
          </>
        )}
      />
    </div>
  );
}

/** The limit sets on record, with issuer, version and date; copies of the house can be changed. */
export default function Limits() {
  const sets = useQuery({ queryKey: ["limit-sets"], queryFn: () => ask(api.GET("/api/limit-sets")) });
  const [editing, setEditing] = useState<number | null>(null);
  if (sets.isError && !sets.data) return <Trouble view="Limits" error={sets.error} again={() => sets.refetch()} />;
  if (!sets.data) return <Loading view="Limits" what="the limit sets" />;
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: it scrolls, and what it holds may not take the focus
    <main tabIndex={0} className="h-full overflow-auto px-5 py-[18px]">
      <h1>Limits</h1>
      <p className="mb-4 max-w-[80ch] text-soft">
        Shipped sets are read-only; copies of the house change in versions. What was computed or printed keeps the
        version it was held against. Which set is usual for a kind stands in Settings.
      </p>
      {newest(sets.data).map((set) => (
        <article
          key={set.key}
          aria-label={set.name}
          className="mb-3 max-w-[1240px] rounded-lg border border-line bg-panel px-4 py-3"
        >
          <div className="flex items-baseline gap-3">
            <h2>{set.name}</h2>
            <span className="text-soft">
              {kindName(set.kind)}, {set.issuer}, {set.version}, valid from {day(set.valid_from)}
            </span>
            <span className="ml-auto" />
            {editing !== set.id && (
              <Button look="quiet" size="small" onClick={() => setEditing(set.id)}>
                {set.shipped ? "Copy and change" : "Change"}
              </Button>
            )}
          </div>
          {editing === set.id ? (
            <Editing base={set} sets={sets.data} onDone={() => setEditing(null)} />
          ) : (
            <Rules set={set} />
          )}
        </article>
      ))}
    </main>
  );
}

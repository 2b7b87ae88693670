import { useState } from "react";
import { type LimitSet, rulesOf } from "@/limits/rules";
import { aboutOf, type LimitWish } from "@/limits/typedLimits";
import { useKeepLimits } from "@/limits/useKeepLimits";
import type { SheetActions } from "@/sheet/contract";
import type { Supposed } from "@/sheet/useSupposed";
import { Button } from "@/ui/basics";
import { numberOf } from "@/ui/entry";
import { number } from "@/ui/format";
import type { RuleOnTop, Run } from "./runs";

const MOST_CHIPS = 8;
const box = "min-h-7 rounded border border-line bg-panel px-1.5 text-right";

const ON_TOP = "stretches_24h";

/** The wish that the set of these limits has another rule on top for what was measured; null where it has no limit for that. */
function versionOf(base: LimitSet, rule: RuleOnTop, fraction: string | undefined): LimitWish | null {
  const rules = rulesOf(base);
  if (fraction === undefined || rule.guideline === null || rule.needs === null) return null;
  const { guideline, needs, shortestMin } = rule;
  const about = aboutOf(base);
  const isMine = (each: (typeof rules)[number]) => each.figure === ON_TOP && each.parameters.fraction === fraction;
  const onTop = {
    figure: ON_TOP,
    name: `${fraction}, stretches in 24 h`,
    parameters: { fraction, guideline, shortest_min: shortestMin },
    steps: [
      {
        value: needs,
        verdict: "action level reached" as const,
        name: "number that needs action",
        beyond: false,
        below: false,
      },
    ],
  };
  return {
    based_on: base.id,
    name: base.shipped ? `${about.name.split(",")[0]}, ${needs} stretches need action` : about.name,
    issuer: about.issuer,
    valid_from: about.validFrom,
    minimum_coverage: Number(about.coverage) / 100,
    why: "changed on the sheet",
    rules: [
      ...rules.map((each) => {
        const { figure, name, parameters, steps } = each;
        return isMine(each)
          ? {
              figure,
              name,
              parameters: { ...parameters, guideline, shortest_min: shortestMin },
              steps: steps.map((step, i) => (i === 0 ? { ...step, value: needs } : step)),
            }
          : { figure, name, parameters, steps };
      }),
      ...(rules.some(isMine) ? [] : [onTop]),
    ],
  };
}

/** The rule above the figures, how far this run fills it, and what it would be with other numbers. */
export function RulePanel({
  run,
  rule,
  limitSet,
  measured,
  locked,
  supposed,
  actions,
  onKept,
}: {
  run: Run;
  rule: RuleOnTop;
  limitSet: LimitSet | undefined;
  /** The name of the rule that the mean was held against. */
  measured: string | undefined;
  locked: boolean;
  supposed: Supposed;
  actions: SheetActions;
  onKept: (limitSetId: number) => void;
}) {
  const [typed, setTyped] = useState<{ needs: string; guideline: string; shortest: string } | null>(null);
  const reached = run.above ?? 0;
  const now = typed && {
    needs: numberOf(typed.needs, { unit: "", low: 1, high: 99 }),
    guideline: numberOf(typed.guideline, { unit: "mg/m3", low: 0.0001, high: 10_000 }),
    shortest: numberOf(typed.shortest, { unit: "min", low: 0, high: 1440 }),
  };
  const wrong = now && Object.values(now).find((entry) => "wrong" in entry);
  const wished = (from: NonNullable<typeof now>): RuleOnTop | null => {
    const value = (entry: ReturnType<typeof numberOf>) => ("wrong" in entry ? null : entry.value);
    const [needs, guideline, shortest] = [value(from.needs), value(from.guideline), value(from.shortest)];
    return needs === null || guideline === null || shortest === null
      ? null
      : { needs, guideline, shortestMin: shortest };
  };
  const rows = (of: RuleOnTop) =>
    [
      ["guideline", of.guideline],
      ["shortest_min", of.shortestMin],
      ["needs_action", of.needs],
    ] as const;
  const type = (next: NonNullable<typeof typed>) => {
    setTyped(next);
    const wish = wished({
      needs: numberOf(next.needs, { unit: "", low: 1, high: 99 }),
      guideline: numberOf(next.guideline, { unit: "mg/m3", low: 0.0001, high: 10_000 }),
      shortest: numberOf(next.shortest, { unit: "min", low: 0, high: 1440 }),
    });
    if (wish) supposed.suppose({ add: rows(wish).map(([key, value]) => ({ what: "setting", key, value })) });
  };
  const close = () => {
    setTyped(null);
    supposed.forget();
  };
  const wish = now && wished(now);
  const of = limitSet && rulesOf(limitSet).find((each) => each.name === measured)?.parameters.fraction;
  const version = wish && limitSet && versionOf(limitSet, wish, of === undefined ? undefined : String(of));
  return (
    <section aria-label="Rule on top" className="text-[13px]">
      <h2 className="pb-0.5">Rule on top</h2>
      {rule.guideline === null ? (
        <p className="text-soft">No guideline is set for this fraction.</p>
      ) : (
        <p>
          {rule.needs === null ? "Stretches" : `${number(rule.needs, 0)} or more stretches`} above{" "}
          {number(rule.guideline, 3)} mg/m³{rule.shortestMin > 0 && ` of at least ${number(rule.shortestMin, 0)} min`}{" "}
          in 24 h
          {rule.needs === null ? " are counted; no rule in this set says how many need action." : " need action."}
        </p>
      )}
      <div className="flex flex-wrap items-center gap-1.5 py-1.5">
        {rule.needs !== null &&
          rule.needs <= MOST_CHIPS &&
          Array.from({ length: rule.needs }, (_, i) => (
            <span
              // biome-ignore lint/suspicious/noArrayIndexKey: a place is known by its number alone
              key={i}
              aria-hidden="true"
              className={`grid size-7 place-items-center rounded border font-semibold ${i < reached ? "border-ink bg-ink text-panel" : "border-line border-dashed text-soft"}`}
            >
              {i + 1}
            </span>
          ))}
        <span>
          <b className="font-semibold">
            {reached}
            {rule.needs !== null && ` of ${number(rule.needs, 0)}`}
          </b>{" "}
          reached
        </span>
        {!typed && (
          <button
            type="button"
            className="min-h-6 text-act hover:underline"
            onClick={() =>
              setTyped({
                needs: String(rule.needs ?? 3),
                guideline: String(rule.guideline ?? ""),
                shortest: String(rule.shortestMin),
              })
            }
          >
            change the rule
          </button>
        )}
      </div>
      {typed && (
        <div className="grid gap-1.5 border-hair border-t pt-1.5">
          <span className="flex flex-wrap items-center gap-x-1.5 gap-y-1">
            <input
              aria-label="Stretches that need action"
              className={`${box} w-10`}
              value={typed.needs}
              onChange={(e) => type({ ...typed, needs: e.target.value })}
            />
            or more above
            <input
              aria-label="Guideline, mg/m³"
              className={`${box} w-16`}
              value={typed.guideline}
              onChange={(e) => type({ ...typed, guideline: e.target.value })}
            />
            mg/m³ of at least
            <input
              aria-label="Shortest stretch, min"
              className={`${box} w-12`}
              value={typed.shortest}
              onChange={(e) => type({ ...typed, shortest: e.target.value })}
            />
            min
          </span>
          {wrong && "wrong" in wrong && (
            <p role="alert" className="text-above">
              {wrong.wrong}
            </p>
          )}
          {supposed.wrong && (
            <p role="alert" className="text-above">
              {supposed.wrong}
            </p>
          )}
          <span className="flex flex-wrap gap-1.5">
            {!locked && (
              <Button
                size="small"
                disabled={!wish}
                onClick={async () => {
                  if (wish && (await actions.setMany(rows(wish)))) close();
                }}
              >
                For this session
              </Button>
            )}
            {version && limitSet && <Keep base={limitSet} wish={version} onKept={onKept} done={close} />}
            <Button size="small" look="quiet" onClick={close}>
              Back
            </Button>
          </span>
          {!version && wish && (
            <p className="text-soft">
              These limits say nothing of what was measured: choose a set that does to keep a version.
            </p>
          )}
        </div>
      )}
    </section>
  );
}

function Keep({
  base,
  wish,
  onKept,
  done,
}: {
  base: LimitSet;
  wish: LimitWish;
  onKept: (id: number) => void;
  done: () => void;
}) {
  const { keep, keeping, words } = useKeepLimits(base, (made) => {
    done();
    onKept(made.id);
  });
  return (
    <Button size="small" disabled={keeping} onClick={() => keep(wish)}>
      {words}
    </Button>
  );
}

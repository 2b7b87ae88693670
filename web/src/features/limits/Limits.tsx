import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { api, ask } from "@/api/client";
import { keptUnit } from "@/api/readers";
import { kindName } from "@/kinds/kinds";
import { counted, type LimitSet, newest, type Rule, rulesOf, sameRule } from "@/limits/rules";
import { StepFields, small } from "@/limits/StepFields";
import { type About, aboutOf, type Typed, typedOf, wishOf } from "@/limits/typedLimits";
import { useKeepLimits, useRulesKnown } from "@/limits/useKeepLimits";
import { Button, Field, inputLook, Loading, Trouble } from "@/ui/basics";
import { DateField } from "@/ui/date-field";
import { numberOf } from "@/ui/entry";
import { dayMonth, unitWords } from "@/ui/format";
import { useTitle } from "@/ui/title";
import { Effect } from "./Effect";
import { Scale, type ScaleStep } from "./Scale";
import { SetList, usedWords } from "./SetList";
import { type Measured, useInUse, useMeasured } from "./useMeasured";
import { Versions } from "./Versions";

interface Draft {
  about: About;
  rules: Typed[];
}
/** A step that was moved last: of which rule, which of its steps. */
interface Place {
  rule: number;
  step: number;
}

const nameOf = (rule: Typed | Rule) => `${rule.figure} ${JSON.stringify(rule.parameters)}`;
const stepsNow = (rule: Rule | undefined): ScaleStep[] => (rule?.steps ?? []) as ScaleStep[];
const stepsThen = (rule: Typed): ScaleStep[] =>
  rule.steps.map((s) => {
    const value = numberOf(s.text, { unit: rule.unit, kept: keptUnit(rule) });
    return { ...s, value: "wrong" in value || value.value === null ? Number.NaN : value.value } as ScaleStep;
  });
const share = (percent: number): ScaleStep[] => [
  { value: percent, beyond: true, below: true, verdict: "not assessable", name: "not assessable" },
];

/** The limit sets on record: every figure a scale with last year's sessions over it, and what a moved number would do to them. */
export default function Limits() {
  const sets = useQuery({ queryKey: ["limit-sets"], queryFn: () => ask(api.GET("/api/limit-sets")) });
  const inUse = useInUse();
  const [params, setParams] = useSearchParams();
  const [draft, setDraft] = useState<Draft | null>(null);
  useTitle("Limits");
  if (sets.isError && !sets.data) return <Trouble view="Limits" error={sets.error} again={() => sets.refetch()} />;
  if (!sets.data) return <Loading view="Limits" what="the limit sets" />;
  const all = newest(sets.data);
  const wanted = params.get("set");
  const set = all.find((s) => s.key === wanted) ?? all.find((s) => s.kind === wanted) ?? all[0];
  const open = (next: string) => {
    setDraft(null);
    setParams({ set: next }, { replace: true });
  };
  if (!set) return <Loading view="Limits" what="the limit sets" />;
  return (
    <main className="grid h-full grid-cols-[170px_minmax(0,1fr)] min-[900px]:grid-cols-[176px_minmax(0,1fr)_262px] min-[1180px]:grid-cols-[220px_minmax(0,1fr)_306px]">
      <SetList
        sets={all}
        here={set.key}
        inUse={inUse.data}
        draft={draft !== null}
        onOpen={(chosen) => open(chosen.key)}
      />
      <OneSet
        key={set.id}
        set={set}
        sets={sets.data}
        used={usedWords(set, inUse.data)}
        draft={draft}
        onDraft={setDraft}
        onKept={(made) => open(made.key)}
      />
    </main>
  );
}

function OneSet({
  set,
  sets,
  used,
  draft,
  onDraft,
  onKept,
}: {
  set: LimitSet;
  sets: LimitSet[];
  used: string;
  draft: Draft | null;
  onDraft: (draft: Draft | null) => void;
  onKept: (made: LimitSet) => void;
}) {
  const measured = useMeasured(set.id);
  const known = useRulesKnown(sets, set.kind);
  const [chosen, setChosen] = useState<string | null>(null);
  const [moved, setMoved] = useState<Place | null>(null);
  const page = useRef<HTMLDivElement>(null);
  const base = rulesOf(set);
  const now: Draft = draft ?? { about: aboutOf(set), rules: base.map(typedOf) };
  const put = (change: Partial<Draft>) => onDraft({ ...now, ...change });
  const putRule = (rule: Typed) =>
    put({ rules: now.rules.map((each) => (nameOf(each) === nameOf(rule) ? rule : each)) });
  const missing = known.filter((k) => !now.rules.some((r) => sameRule(k, { ...r, steps: [] })));
  const scaleOf = (rule: Typed) => measured.data?.scales[base.findIndex((b) => nameOf(b) === nameOf(rule))];
  const focusValue = (rule: Typed, step: number) => {
    setChosen(nameOf(rule));
    window.requestAnimationFrame(() => {
      const box = page.current?.querySelector<HTMLInputElement>(
        `input[aria-label="${CSS.escape(`${rule.name}, step ${step + 1}: value`).replace(/\\ /g, " ")}"]`,
      );
      box?.focus();
      box?.select();
    });
  };
  return (
    <>
      <div ref={page} className="overflow-auto px-5 py-[18px]">
        <header className="mb-3 flex flex-wrap items-baseline gap-x-3 gap-y-1">
          <h2 className="text-[21px]">{set.name}</h2>
          <span className="min-w-0 flex-1 text-soft">
            {kindName(set.kind)}, {set.issuer}, {set.version}
            {measured.data &&
              (measured.data.sessions
                ? `; ${measured.data.sessions} sessions of ${measured.data.people} people since ${dayMonth(measured.data.since)}`
                : "; nothing measured in the last year, counts follow")}
          </span>
          {!draft && <Button onClick={() => put({})}>{set.shipped ? "Copy and change" : "Change"}</Button>}
        </header>
        {now.rules.map((rule, at) => {
          const before = base.find((b) => nameOf(b) === nameOf(rule));
          const scale = scaleOf(rule);
          const opened = draft !== null && chosen === nameOf(rule);
          return (
            <article
              key={nameOf(rule)}
              aria-label={[rule.name, counted(rule.parameters)].filter(Boolean).join(", ")}
              className={`mb-2.5 rounded-lg border bg-panel px-3.5 pt-2 pb-2 ${opened ? "border-act" : "border-line"}`}
            >
              <div className="flex flex-wrap items-baseline gap-x-3">
                <h3 className="font-semibold">{rule.name}</h3>
                <span className="flex-1 text-[13px] text-soft">
                  {[counted(rule.parameters), unitWords(rule.unit)].filter(Boolean).join("; ")}
                </span>
                {draft && (
                  <Button
                    look="quiet"
                    size="small"
                    aria-expanded={opened}
                    aria-label={opened ? `Close the steps of ${rule.name}` : `Steps of ${rule.name}`}
                    onClick={() => setChosen(opened ? null : nameOf(rule))}
                  >
                    {opened ? "Close" : "Steps"}
                  </Button>
                )}
              </div>
              {before ? (
                <Scale
                  title={rule.name}
                  unit={rule.unit}
                  counted={scale?.values ?? []}
                  unknown={scale?.unknown ?? 0}
                  now={stepsNow(before)}
                  then={stepsThen(rule)}
                  onMove={(step, value) => {
                    setMoved({ rule: at, step });
                    putRule({
                      ...rule,
                      steps: rule.steps.map((s, i) => (i === step ? { ...s, text: String(value) } : s)),
                    });
                  }}
                  onPress={(step) => {
                    put({});
                    focusValue(rule, step);
                  }}
                />
              ) : (
                <p className="text-[13px] text-soft">Its sessions are counted once it stands in a version.</p>
              )}
              {(opened || (draft && !before)) && (
                <div className="mt-1.5 border-hair border-t pt-2">
                  <StepFields
                    rule={rule}
                    onChange={(next) => {
                      const step = next.steps.findIndex((s, i) => s.text !== rule.steps[i]?.text);
                      if (step >= 0) setMoved({ rule: at, step });
                      putRule(next);
                    }}
                  />
                  <button
                    type="button"
                    className="mt-1 min-h-6 text-[12.5px] text-act hover:underline"
                    aria-label={`take away the rule ${rule.name}`}
                    onClick={() => {
                      setMoved(null);
                      put({ rules: now.rules.filter((r) => nameOf(r) !== nameOf(rule)) });
                    }}
                  >
                    take away
                  </button>
                </div>
              )}
            </article>
          );
        })}
        <ShareMeasured set={set} measured={measured.data} draft={now} onPut={put} />
        {draft && missing.length > 0 && (
          <select
            aria-label="Add a rule"
            className={`${small} mt-1`}
            value=""
            onChange={(e) => {
              const added = missing[Number(e.target.value)];
              if (added) put({ rules: [...now.rules, typedOf(added)] });
            }}
          >
            <option value="">add a rule …</option>
            {missing.map((rule, i) => (
              <option key={nameOf(rule)} value={i}>
                {[rule.name, counted(rule.parameters)].filter(Boolean).join(", ")}
              </option>
            ))}
          </select>
        )}
      </div>
      <aside
        aria-label="What changes"
        className="grid content-start gap-4 overflow-auto border-line px-4 py-[18px] max-[899px]:col-start-2 max-[899px]:border-t min-[900px]:border-l"
      >
        {draft ? (
          <Changing
            set={set}
            draft={draft}
            measured={measured.data}
            moved={moved}
            onPut={put}
            onDrop={() => {
              setMoved(null);
              setChosen(null);
              onDraft(null);
            }}
            onKept={onKept}
          />
        ) : (
          <section aria-label="Used by">
            <h2 className="mb-1 text-[15px]">Used by</h2>
            <p className="text-[13px]">
              {used
                ? `${used.replace("usual", `what is usual for ${kindName(set.kind)}`)}.`
                : "Nothing by itself: a session, a vehicle or the Settings choose it."}
            </p>
            <p className="mt-2 text-[13px] text-soft">
              {set.shipped
                ? "Shipped as it was issued, and read-only: a number that is moved becomes a copy of the house."
                : "A change is a new version with a day of its own: what starts before it, what is signed and every report keep theirs."}
            </p>
          </section>
        )}
        <Versions versions={sets.filter((s) => s.key === set.key)} />
      </aside>
    </>
  );
}

function ShareMeasured({
  set,
  measured,
  draft,
  onPut,
}: {
  set: LimitSet;
  measured: Measured | undefined;
  draft: Draft;
  onPut: (change: Partial<Draft>) => void;
}) {
  const before = Math.round(Number(set.data.minimum_coverage ?? 0.75) * 100);
  const typed = numberOf(draft.about.coverage, { unit: "%", low: 1, high: 100 });
  const value = "wrong" in typed || typed.value === null ? Number.NaN : typed.value;
  const boxed = useRef<HTMLInputElement>(null);
  return (
    <article aria-label="Share measured" className="mb-2.5 rounded-lg border border-line bg-panel px-3.5 pt-2 pb-2">
      <div className="flex items-baseline gap-3">
        <h3 className="font-semibold">Share of the planned time measured</h3>
        <span className="flex-1 text-[13px] text-soft">least that can be judged</span>
        <label className="text-[13px] text-soft">
          Least share, %{" "}
          <input
            ref={boxed}
            className={`${small} w-14 text-right text-ink`}
            value={draft.about.coverage}
            aria-invalid={Number.isNaN(value)}
            onChange={(e) => onPut({ about: { ...draft.about, coverage: e.target.value } })}
          />
        </label>
      </div>
      <Scale
        title="Share measured"
        unit="%"
        counted={measured?.shares ?? []}
        unknown={0}
        now={share(before)}
        then={share(value)}
        withinWords="can be judged"
        onMove={(_, percent) =>
          percent >= 1 && percent <= 100 && onPut({ about: { ...draft.about, coverage: String(Math.round(percent)) } })
        }
        onPress={() => boxed.current?.select()}
      />
    </article>
  );
}

/** A draft: what the number moved last would do, from when it holds, why, and its name where it becomes a set of its own. */
function Changing({
  set,
  draft,
  measured,
  moved,
  onPut,
  onDrop,
  onKept,
}: {
  set: LimitSet;
  draft: Draft;
  measured: Measured | undefined;
  moved: Place | null;
  onPut: (change: Partial<Draft>) => void;
  onDrop: () => void;
  onKept: (made: LimitSet) => void;
}) {
  const { keep, keeping, words } = useKeepLimits(set, (made) => {
    onDrop();
    onKept(made);
  });
  const { about } = draft;
  const wish = wishOf(set, about, draft.rules);
  const wrong = typeof wish === "string" ? wish : null;
  const rule = moved ? draft.rules[moved.rule] : undefined;
  const base = rulesOf(set);
  const at = rule ? base.findIndex((b) => nameOf(b) === nameOf(rule)) : -1;
  const now = moved ? stepsNow(base[at])[moved.step] : undefined;
  const then = rule && moved ? stepsThen(rule)[moved.step] : undefined;
  const lacksWhy = !set.shipped && !about.why?.trim();
  return (
    <>
      {measured && rule && now && then && Number.isFinite(then.value) && now.value !== then.value ? (
        <Effect id={set.id} measured={measured} at={at} unit={rule.unit} now={now} then={then} />
      ) : (
        <p className="text-[13px] text-soft" role="status">
          Drag a flag, or press it and type: what it would do to the sessions of the last year stands here at once.
        </p>
      )}
      <section aria-label="It holds from" className="grid gap-2">
        {set.shipped && (
          <>
            <Field label="Name">
              <input
                className={inputLook}
                value={about.name}
                maxLength={120}
                onChange={(e) => onPut({ about: { ...about, name: e.target.value } })}
              />
            </Field>
            <Field label="Whose">
              <input
                className={inputLook}
                placeholder="own"
                value={about.issuer}
                maxLength={120}
                onChange={(e) => onPut({ about: { ...about, issuer: e.target.value } })}
              />
            </Field>
          </>
        )}
        <Field label="Holds from">
          <DateField
            value={about.validFrom}
            required
            earliest={set.shipped ? "" : set.valid_from}
            onChange={(validFrom) => onPut({ about: { ...about, validFrom } })}
          />
        </Field>
        <Field label="Why">
          <input
            className={inputLook}
            value={about.why ?? ""}
            maxLength={200}
            placeholder={set.shipped ? "" : "needed for a new version"}
            onChange={(e) => onPut({ about: { ...about, why: e.target.value } })}
          />
        </Field>
        <p className="text-[13px] text-soft">
          {set.shipped
            ? "It becomes a set of the house. Sessions are held against it once it is chosen in Settings, for a vehicle or for a session."
            : `Sessions that start before that day keep what they have. The ${measured?.signed ?? 0} signed ones and every report stay as they are.`}
        </p>
        {wrong && (
          <p role="alert" className="text-[13px] text-above">
            {wrong}
          </p>
        )}
        <div className="flex flex-wrap gap-2">
          <Button
            look="primary"
            disabled={wrong !== null || keeping || lacksWhy}
            onClick={() => typeof wish !== "string" && keep(wish)}
          >
            {words}
          </Button>
          <Button look="quiet" onClick={onDrop}>
            Drop the draft
          </Button>
        </div>
      </section>
    </>
  );
}

import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import type { Schemas } from "@/api/client";
import { type Assessed, acceptedOf, type Kind, type Stretch, settingOf, stretchesOf } from "@/sheet/assessed";
import type { Supposed } from "@/sheet/useSupposed";
import { Button, Refused, Verdict, Warn } from "@/ui/basics";
import { type Entry, lengthOf, numberOf, refusedEntry } from "@/ui/entry";
import { day, hoursMinutes, length, number, offsetChanges, wallClock } from "@/ui/format";
import { ReasonDialog } from "@/ui/reason";
import { Conclusion, type Kept } from "./Conclusion";
import { StretchDialog } from "./StretchDialog";
import type { ReviewActions } from "./useReview";

type ReviewData = Assessed;

function Heading({ children }: { children: string }) {
  return <h2 className="mt-3.5 mb-1 first:mt-0">{children}</h2>;
}

function Suggestions({ review, actions }: { review: ReviewData; actions: ReviewActions }) {
  const clock = wallClock(review.session, offsetChanges(review.events));
  const found = review.reviewed.suggestions;
  if (found.length === 0) return null;
  return (
    <>
      <Heading>Might be left out</Heading>
      <ul className="text-[13px]">
        {found.slice(0, 6).map((s) => (
          <li key={`${s.code} ${s.start_s}`} className="border-hair border-t py-1">
            <span className="flex justify-between gap-2">
              {clock(s.start_s, true)}, {length(s.end_s - s.start_s)}
              <button
                type="button"
                className="text-act hover:underline"
                onClick={() => actions.mark("left out", s.start_s, s.end_s, s.reason)}
              >
                leave out
              </button>
            </span>
            <span className="text-soft">{s.reason}</span>
          </li>
        ))}
        {found.length > 6 && <li className="py-1 text-soft">and {found.length - 6} more</li>}
      </ul>
    </>
  );
}

/** Moved sleep, events left out or counted by hand, and those that the computation no longer finds. */
function Decided({
  review,
  kind,
  actions,
  locked,
  onChange,
}: {
  review: ReviewData;
  kind: Kind;
  actions: ReviewActions;
  locked: boolean;
  onChange: (stretch: Stretch) => void;
}) {
  const clock = wallClock(review.session, offsetChanges(review.events));
  const asleep = stretchesOf(review, "asleep");
  const events = review.decisions.filter((d) => d.what === "dropped" || d.what === "kept");
  const seen = new Set(review.decisions.filter((d) => d.what === "accepted").map((d) => d.key));
  const lost = events.filter((d) => d.lost && !seen.has(lostKey(d.key)));
  const computed = review.reviewed.stretches ?? [];
  const canMove = kind.stretches.some((w) => w.what === "asleep");
  return (
    <>
      {lost.length > 0 && (
        <div className="mt-2">
          <Warn>
            {lost.length === 1 ? "A decision is" : `${lost.length} decisions are`} about an event that is no longer
            found: {lost.map((d) => clock(momentOf(d.key), true)).join(", ")}.
            {!locked && (
              <button
                type="button"
                className="block text-act hover:underline"
                onClick={() =>
                  actions.decide(
                    lost.map((d) => ({ what: "accepted", key: lostKey(d.key), reason: "no longer found, seen" })),
                  )
                }
              >
                Seen; sign without it
              </button>
            )}
          </Warn>
        </div>
      )}
      {canMove && (
        <>
          <Heading>Asleep</Heading>
          {asleep.length === 0 && (
            <p className="text-[13px] text-soft">
              {computed.length === 0
                ? "No sleep found."
                : `${computed.map((s) => `${clock(s.start_s)} to ${clock(s.end_s)}`).join(", ")}, as computed.`}{" "}
              {!locked && computed[0] && (
                <button
                  type="button"
                  className="text-act hover:underline"
                  onClick={() =>
                    actions.decide(
                      computed.map((s) => ({ what: "asleep", start_s: s.start_s, end_s: s.end_s, reason: "by hand" })),
                    )
                  }
                >
                  set by hand
                </button>
              )}
            </p>
          )}
          {asleep.map((s) => (
            <p key={s.id} className="flex justify-between border-hair border-t py-1 text-[13px]">
              {clock(s.start_s)} to {clock(s.end_s)}
              <button
                type="button"
                className="text-act hover:underline"
                disabled={locked}
                onClick={() => onChange(s)}
                aria-label={`Change the sleep from ${clock(s.start_s)}`}
              >
                change
              </button>
            </p>
          ))}
        </>
      )}
      {events.length > 0 && (
        <>
          <Heading>Events by hand</Heading>
          <ul className="max-h-40 overflow-auto text-[13px]">
            {events.map((d) => (
              <li key={d.id} className="flex justify-between gap-2 border-hair border-t py-1">
                <span className="min-w-0 truncate" title={d.reason}>
                  {clock(momentOf(d.key), true)}, {d.what === "kept" ? "counts" : d.reason}
                </span>
                {!locked && (
                  <button type="button" className="text-act hover:underline" onClick={() => actions.takeBack([d.id])}>
                    {d.what === "kept" ? "take back" : "count it"}
                  </button>
                )}
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  );
}

const lostKey = (key: string) => `lost ${key}`;
const momentOf = (key: string) => Number.parseFloat(key.split("@")[1] ?? "0");

function Checks({ review, kind }: { review: ReviewData; kind: Kind }) {
  if (kind.checks.length === 0) return null;
  const checks = kind.checks.flatMap((word) =>
    review.events.filter((e) => e.code === word.code).map((event) => ({ word, event })),
  );
  const of = (data: Record<string, unknown>, what: string, unit: string) =>
    data[`${what}_${unit.toLowerCase()}`] ?? data[what];
  const drift = review.reviewed.quality.findings.find((f) => f.code === "drift");
  return (
    <>
      <Heading>Checks</Heading>
      {checks.length === 0 && <p className="text-[13px] text-soft">No check on record.</p>}
      <table className="w-full text-[13px]">
        <tbody>
          {checks.map(({ word, event }) => (
            <tr key={`${word.code} ${event.at_s}`} className="border-hair border-t">
              <td className="py-1">
                {word.label}{" "}
                {of(event.data, "applied", word.unit) !== undefined &&
                  `${number(Number(of(event.data, "applied", word.unit)))} ${word.unit}`}
              </td>
              <td className="text-right">
                read {number(Number(of(event.data, "read", word.unit)))}{" "}
                {word === kind.checks.at(-1) && kind.checks.length > 1 && (
                  <Verdict
                    verdict={drift ? "not assessable" : "within"}
                    words={drift ? "drift" : "drift allowed"}
                    bare
                  />
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

function Findings({ review, actions, locked }: { review: ReviewData; actions: ReviewActions; locked: boolean }) {
  const [accepting, setAccepting] = useState<Schemas["Finding"] | null>(null);
  const blocking = review.reviewed.quality.findings.filter((f) => f.blocks);
  if (blocking.length === 0) return null;
  return (
    <div className="mb-3 grid gap-2">
      {blocking.map((f) => (
        <Warn key={f.code}>
          {f.text}
          {acceptedOf(review, f.code) ? (
            <span className="block text-soft">
              accepted: {acceptedOf(review, f.code)?.reason}{" "}
              {!locked && (
                <button
                  type="button"
                  className="text-act hover:underline"
                  onClick={() => actions.takeBack([acceptedOf(review, f.code)?.id ?? 0])}
                >
                  take back
                </button>
              )}
            </span>
          ) : (
            !locked && (
              <button type="button" className="block text-act hover:underline" onClick={() => setAccepting(f)}>
                Accept it with a reason
              </button>
            )
          )}
        </Warn>
      ))}
      {accepting && (
        <ReasonDialog
          title="Accept with a reason"
          text={`${accepting.text}.`}
          hint="why it can be judged all the same"
          action="Accept"
          note="The reason is printed on the report."
          onClose={() => setAccepting(null)}
          onReason={(reason) => {
            actions.accept(accepting.code, reason);
            setAccepting(null);
          }}
        />
      )}
    </div>
  );
}

function Setting({
  label,
  unit,
  value,
  parse,
  onSet,
  onTyping,
  locked,
  hint,
  wide = false,
}: {
  label: string;
  unit: string;
  value: string;
  parse: (text: string) => Entry | { value: string | null };
  /** Sets the value; a promise is waited for. */
  onSet: (value: number | string | null) => unknown;
  /** What would hold while it is typed; undefined when it is not understood, or nobody types any more. */
  onTyping?: (value: number | string | null | undefined) => void;
  locked: boolean;
  hint: string;
  wide?: boolean;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const [wrong, setWrong] = useState<string | null>(null);
  const typing = (text: string) => {
    setTyped(text);
    const entry = parse(text);
    onTyping?.("wrong" in entry || text.trim() === value ? undefined : entry.value);
  };
  const commit = () => {
    if (typed === null) return;
    if (typed.trim() === value) {
      onTyping?.(undefined);
      setTyped(null);
      setWrong(null);
      return;
    }
    const entry = parse(typed);
    // What is not understood stays in the field, and what was there before stays in force.
    if ("wrong" in entry) return setWrong(entry.wrong);
    setWrong(null);
    // What was typed stands until the answer is here; what is typed meanwhile is newer.
    void Promise.resolve(onSet(entry.value)).then(() => {
      onTyping?.(undefined);
      setTyped((now) => (now === typed ? null : now));
    });
  };
  return (
    <label className="flex flex-wrap items-center justify-between gap-x-2 border-hair border-t py-1 text-[13px]">
      <span className="text-soft">{label}</span>
      <span className="flex items-center gap-1">
        <input
          aria-label={label}
          className={`${wide ? "w-32" : "w-20"} rounded border bg-transparent px-1 text-right hover:border-line ${wrong ? "border-above" : "border-transparent"}`}
          aria-invalid={wrong !== null}
          placeholder={hint}
          value={typed ?? value}
          readOnly={locked}
          onChange={(e) => typing(e.target.value)}
          onBlur={commit}
          onKeyDown={(e) => e.key === "Enter" && commit()}
        />
        {unit}
      </span>
      <Refused why={wrong} right />
    </label>
  );
}

/** What the kind lets a reviewer set for one session; empty is as usual. */
function ForThisSession({
  review,
  kind,
  actions,
  supposed,
  locked,
}: {
  review: ReviewData;
  kind: Kind;
  actions: ReviewActions;
  supposed: Supposed;
  locked: boolean;
}) {
  const [explaining, setExplaining] = useState<{ word: Kind["decisions"][number]; value: number } | null>(null);
  if (kind.decisions.length === 0) return null;
  return (
    <>
      <Heading>For this session</Heading>
      {kind.decisions.map((word) => {
        const value = settingOf(review, word.key);
        if (word.type === "choice")
          return (
            <label
              key={word.key}
              className="flex items-center justify-between gap-2 border-hair border-t py-1 text-[13px]"
            >
              <span className="text-soft">{word.label}</span>
              <select
                className="rounded border border-transparent bg-transparent text-right hover:border-line"
                value={value === null ? "" : String(value)}
                disabled={locked}
                onChange={(e) => actions.set(word.key, e.target.value || null)}
              >
                <option value="">{word.hint || "as usual"}</option>
                {word.choices.map((choice) => (
                  <option key={choice.value} value={choice.value}>
                    {choice.words}
                  </option>
                ))}
              </select>
            </label>
          );
        const planned = word.key === "working_day_s" ? hoursMinutes(review.reviewed.quality.planned_s) : word.hint;
        return (
          <Setting
            key={word.key}
            label={word.label}
            unit={word.unit}
            hint={planned}
            wide={word.type === "text"}
            value={
              value === null
                ? ""
                : word.type === "length"
                  ? hoursMinutes(Number(value))
                  : typeof value === "number"
                    ? number(value, decimalsOf(value))
                    : value
            }
            parse={parserOf(word)}
            locked={locked}
            onTyping={(v) =>
              v === undefined
                ? supposed.forget()
                : supposed.suppose({ add: [{ what: "setting", key: word.key, value: v, reason: "supposed" }] })
            }
            onSet={(v) =>
              word.needs_reason && typeof v === "number" ? setExplaining({ word, value: v }) : actions.set(word.key, v)
            }
          />
        );
      })}
      {explaining && (
        <ReasonDialog
          title={`${explaining.word.label} ${explaining.value} ${explaining.word.unit}`.trim()}
          hint="where the value comes from"
          action="Set it"
          onClose={() => setExplaining(null)}
          onReason={(reason) => {
            actions.set(explaining.word.key, explaining.value, reason);
            setExplaining(null);
          }}
        />
      )}
    </>
  );
}

const decimalsOf = (value: number) => Math.min((String(value).split(".")[1] ?? "").length, 3);

function parserOf(word: Kind["decisions"][number]): (text: string) => Entry | { value: string | null } {
  if (word.type === "length") return lengthOf;
  if (word.type === "text") return (text) => ({ value: text.trim() || null });
  const also: Record<string, number> = word.unit === "dB" ? { "db(a)": 1 } : {};
  return (text) =>
    numberOf(text, { unit: word.unit, also, low: word.low ?? undefined, high: word.high ?? undefined, empty: true });
}

/** What would stand on the page otherwise today, and who signed before. */
function Signatures({ review }: { review: ReviewData }) {
  const differs = review.signature?.differs ?? [];
  return (
    <>
      {differs.length > 0 && (
        <div className="mt-2 text-[13px] text-soft">
          Made today, the page would differ; what was signed stays:
          <ul className="list-disc pl-4">
            {differs.map((each) => (
              <li key={each}>{each}</li>
            ))}
          </ul>
        </div>
      )}
      {review.earlier.length > 0 && (
        <details className="mt-2 text-[13px] text-soft">
          <summary className="cursor-pointer text-act">signed before</summary>
          <ul>
            {review.earlier.map((each) => (
              <li key={each.at} className="border-hair border-t py-1">
                {each.by}, {day(each.at)}; opened again by {each.opened_by}: {each.opened_why}
              </li>
            ))}
          </ul>
        </details>
      )}
    </>
  );
}

/** Opening a signed session: what was signed stays on record, with the reason. */
function OpenAgain({ onOpen }: { onOpen: (why: string) => void }) {
  const [asking, setAsking] = useState(false);
  return (
    <>
      <Button onClick={() => setAsking(true)}>Open again</Button>
      {asking && (
        <ReasonDialog
          title="Open this session again?"
          hint="what has to be changed"
          action="Open again"
          note="What was signed, by whom and when stays on record. The session has to be signed anew."
          onClose={() => setAsking(false)}
          onReason={(why) => {
            setAsking(false);
            onOpen(why);
          }}
        />
      )}
    </>
  );
}

/** Right: tasks, what was left out and why, checks, conclusion, sign-off. */
export function SidePanel({
  review,
  kind,
  actions,
  supposed,
  onWhy,
  onFail,
  next,
}: {
  review: ReviewData;
  kind: Kind;
  actions: ReviewActions;
  supposed: Supposed;
  onWhy: (figure: Schemas["Figure"]) => void;
  onFail: (error: unknown) => void;
  next: number | null;
}) {
  const { session } = review;
  const clock = wallClock(session, offsetChanges(review.events));
  const locked = session.signed_at !== null;
  const [editing, setEditing] = useState<Stretch | null>(null);
  const [signing, setSigning] = useState(false);
  const conclusion = useRef<Kept | null>(null);
  const panel = useRef<HTMLElement>(null);
  const toReport = useRef<HTMLButtonElement>(null);
  const signedHere = useRef(false);
  // Signing takes its button away: the next step is the report.
  useEffect(() => {
    if (locked && signedHere.current) toReport.current?.focus();
    signedHere.current = !locked;
  }, [locked]);
  const navigate = useNavigate();
  const tasks = review.reviewed.tables.find((t) => t.key === "tasks")?.rows ?? [];
  const hasTasks = kind.stretches.some((w) => w.what === "task");
  const leftOut = stretchesOf(review, "left out");
  const marked = stretchesOf(review, "task");
  const lead = review.reviewed.figures.find((f) => f.key === review.reviewed.key_figures[0]);
  const stretchRow = (s: Stretch) => (
    <tr key={s.id} className="border-hair border-t align-top">
      <td className="py-1 pr-2 whitespace-nowrap">
        {clock(s.start_s)}, {length(s.end_s - s.start_s)}
      </td>
      <td className="py-1 text-right text-soft">
        <button
          type="button"
          className="text-right hover:text-act hover:underline"
          disabled={locked}
          onClick={() => setEditing(s)}
          aria-label={`Change ${s.reason}`}
        >
          {s.reason}
        </button>
      </td>
    </tr>
  );
  return (
    <aside ref={panel} aria-label="Decisions" className="overflow-auto border-line border-l bg-panel px-4 py-3.5">
      <Findings review={review} actions={actions} locked={locked} />
      {hasTasks && <Heading>Tasks</Heading>}
      {hasTasks && tasks.length === 0 && (
        <p className="text-[13px] text-soft">Drag over the picture to mark a task or to leave a stretch out.</p>
      )}
      {tasks.length > 0 && (
        <table className="w-full text-[13px]">
          <tbody>
            {tasks.map((row) => (
              <tr key={String(row[0])} className="border-hair border-t">
                <td className="max-w-24 truncate py-1">{row[0]}</td>
                <td className="text-right">{hoursMinutes(Number(row[1]))}</td>
                <td className="text-right font-narrow font-semibold">{number(row[2] as number | null)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {marked.length > 0 && (
        <details className="text-[13px]">
          <summary className="cursor-pointer py-1 text-act">
            {marked.length} marked stretch{marked.length === 1 ? "" : "es"}
          </summary>
          <table className="w-full">
            <tbody>{marked.map(stretchRow)}</tbody>
          </table>
        </details>
      )}
      <Heading>Left out</Heading>
      {leftOut.length === 0 && (
        <p className="text-[13px] text-soft">
          {hasTasks || locked ? "Nothing." : "Nothing. Drag over the picture to leave a stretch out."}
        </p>
      )}
      <table className="w-full text-[13px]">
        <tbody>{leftOut.map(stretchRow)}</tbody>
      </table>
      <Decided review={review} kind={kind} actions={actions} locked={locked} onChange={setEditing} />
      {!locked && <Suggestions review={review} actions={actions} />}
      <Checks review={review} kind={kind} />
      <ForThisSession review={review} kind={kind} actions={actions} supposed={supposed} locked={locked} />
      <Heading>Conclusion</Heading>
      <Conclusion key={`${session.id} ${locked}`} review={review} actions={actions} locked={locked} kept={conclusion} />
      <div className="mt-2 flex flex-wrap gap-2">
        {locked ? (
          <>
            <Button main ref={toReport} look="primary" onClick={() => navigate(`/report/${session.id}`)}>
              To the report
            </Button>
            <OpenAgain onOpen={actions.openAgain} />
          </>
        ) : (
          <Button
            main
            look="primary"
            disabled={signing}
            onClick={async () => {
              const entry = refusedEntry(panel.current);
              if (entry) return onFail(new Error(`Not signed. ${entry}`));
              setSigning(true);
              try {
                // Just what is on the screen is signed: first it has to be on record.
                const version = (await conclusion.current?.settle()) ?? review.conclusion_version;
                await actions.sign(version);
              } catch (error) {
                const reason = error instanceof Error ? error.message : "";
                onFail(new Error(`Not signed: the conclusion on the screen could not be kept. ${reason}`));
              } finally {
                setSigning(false);
              }
            }}
          >
            {signing ? "Signing …" : "Sign off"}
          </Button>
        )}
        {lead && <Button onClick={() => onWhy(lead)}>Why {number(lead.value, lead.decimals)}?</Button>}
      </div>
      {locked && (
        <p className="mt-2 text-[13px] text-soft">
          Signed off by {review.signature?.by}, {session.signed_at ? day(session.signed_at) : ""}.{" "}
          {next && (
            <button type="button" className="text-act hover:underline" onClick={() => navigate(`/review/${next}`)}>
              next session
            </button>
          )}
        </p>
      )}
      <Signatures review={review} />
      {editing && (
        <StretchDialog
          words={kind.stretches}
          supposed={supposed}
          lead={review.reviewed.key_figures[0]}
          clock={clock}
          lengthS={session.length_s}
          startS={editing.start_s}
          endS={editing.end_s}
          stretch={editing}
          onClose={() => setEditing(null)}
          onSave={(_, startS, endS, label) => {
            actions.edit(editing, startS, endS, label);
            setEditing(null);
          }}
          onRemove={() => {
            actions.takeBack([editing.id]);
            setEditing(null);
          }}
        />
      )}
    </aside>
  );
}

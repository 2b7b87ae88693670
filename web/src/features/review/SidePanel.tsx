import { Suspense, useEffect, useMemo, useRef, useState } from "react";
import { useNavigate } from "react-router";
import type { Schemas } from "@/api/client";
import { alive, promptly } from "@/api/promptly";
import { panelOf } from "@/kinds/kinds";
import { type Assessed, type Kind, type Stretch, stretchesOf } from "@/sheet/assessed";
import { Heading } from "@/sheet/Heading";
import { StretchDialog } from "@/sheet/StretchDialog";
import type { Supposed } from "@/sheet/useSupposed";
import { Button } from "@/ui/basics";
import type { Kept } from "@/ui/conclusion";
import { refusedEntry } from "@/ui/entry";
import { day, hoursMinutes, length, number, offsetChanges, wallClock, wallMoment } from "@/ui/format";
import { type Key, useKeys } from "@/ui/keys";
import { Conclusion } from "./Conclusion";
import { Checks } from "./panel/Checks";
import { Decided } from "./panel/Decided";
import { Findings } from "./panel/Findings";
import { ForThisSession } from "./panel/ForThisSession";
import { Medicines } from "./panel/Medicines";
import { OpenAgain, Signatures } from "./panel/Signatures";
import { Suggestions } from "./panel/Suggestions";
import { Unchecked } from "./panel/Unchecked";
import type { ReviewActions } from "./useReview";

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
  review: Assessed;
  kind: Kind;
  actions: ReviewActions;
  supposed: Supposed;
  onWhy: (figure: Schemas["Figure"]) => void;
  onFail: (error: unknown) => void;
  next: number | null;
}) {
  const { session } = review;
  const clock = wallClock(session, offsetChanges(review.events));
  const moment = wallMoment(session, offsetChanges(review.events));
  const locked = session.signed_at !== null;
  const [editing, setEditing] = useState<Stretch | null>(null);
  const [signing, setSigning] = useState(false);
  const conclusion = useRef<Kept | null>(null);
  const panel = useRef<HTMLElement>(null);
  const toReport = useRef<HTMLButtonElement>(null);
  const onward = useRef<HTMLButtonElement>(null);
  const { signedHere } = actions;
  // Signing takes its button away: the next step is the report.
  useEffect(() => {
    if (locked && signedHere()) toReport.current?.focus();
  }, [locked, signedHere]);
  const navigate = useNavigate();
  /** Signs what is on the screen; whether it is signed. */
  const signed = async () => {
    const entry = refusedEntry(panel.current);
    if (entry) {
      onFail(new Error(`Not signed. ${entry}`));
      return false;
    }
    setSigning(true);
    try {
      // Just what is on the screen is signed: first it has to be on record.
      const kept = conclusion.current ? promptly(conclusion.current.settle()) : null;
      const version = (await kept) ?? review.conclusion_version;
      await alive();
      await actions.sign(version);
      return true;
    } catch (error) {
      onFail(new Error(`Not signed. ${error instanceof Error ? error.message : ""}`));
      return false;
    } finally {
      setSigning(false);
    }
  };
  const signedOn = async () => {
    // Once it is signed it waits no more, and the list is another one.
    const after = next;
    if (await signed()) navigate(after ? `/review/${after}` : "/report");
  };
  const keys = useMemo<Key[]>(
    () => [
      { keys: "Ctrl Shift Enter", does: "sign off and go on with the next one", run: () => onward.current?.click() },
    ],
    [],
  );
  useKeys(keys);
  const Own = panelOf(kind.key);
  const tasks = review.reviewed.tables.find((t) => t.key === "tasks")?.rows ?? [];
  const hasTasks = kind.stretches.some((w) => w.what === "task");
  const leftOut = stretchesOf(review, "left out");
  const marked = stretchesOf(review, "task");
  const lead = review.reviewed.figures.find((f) => f.key === review.reviewed.key_figures[0]);
  const stretchRow = (s: Stretch) => (
    <tr key={s.id} className="border-hair border-t align-top">
      <td className="py-1 pr-2 whitespace-nowrap">
        {moment(s.start_s)}, {length(s.end_s - s.start_s)}
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
      <Unchecked words={review.unchecked} />
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
      {Own && (
        <Suspense fallback={null}>
          <Own review={review} kind={kind} locked={locked} />
        </Suspense>
      )}
      {kind.patient && <Medicines review={review} />}
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
          <Button main look="primary" disabled={signing} onClick={() => void signed()}>
            {signing ? "Signing …" : "Sign off"}
          </Button>
        )}
        {!locked && (
          <Button
            ref={onward}
            disabled={signing}
            title={`Sign off and go on with ${next ? "the next one" : "the reports"} (Ctrl Shift Enter)`}
            onClick={() => void signedOn()}
          >
            {next ? "Sign, then next" : "Sign, then reports"}
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
          moment={moment}
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

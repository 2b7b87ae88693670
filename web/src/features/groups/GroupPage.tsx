import { useState } from "react";
import { Link, useNavigate } from "react-router";
import type { Schemas } from "@/api/client";
import { kindName } from "@/kinds/kinds";
import { Button, Empty, inputLook, Loading, Trouble, Verdict, type VerdictWord } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { dayMonth, unitWords } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { ReasonDialog } from "@/ui/reason";
import { useTitle } from "@/ui/title";
import { GroupConclusion } from "./GroupConclusion";
import { GroupForm } from "./GroupForm";
import { Scale } from "./Scale";
import { type Group, type Measured, useGroup } from "./useGroup";
import { WhoIsAbove } from "./WhoIsAbove";

const nameOf = (group: Group, id: number) => group.members.find((m) => m.id === id)?.name ?? "somebody";
const LEAVE_OUT = ["not the group's work", "recorder not worn", "unusual day"];

function whoWords(group: Group): string {
  const { wish } = group;
  const whom = wish.people?.length
    ? `${wish.people.length} by name`
    : wish.team
      ? `everybody of ${wish.team}`
      : "whoever fits";
  return [
    whom,
    wish.task ? `task ${wish.task}` : "",
    wish.place ? `at ${wish.place}` : "",
    wish.since ? `from ${dayMonth(wish.since)}` : "",
    wish.until ? `to ${dayMonth(wish.until)}` : "",
  ]
    .filter(Boolean)
    .join(", ");
}

/** The numbers that lead to the verdict. */
function Numbers({ group }: { group: Group }) {
  return (
    <section aria-label="Is the group below the limit?" className="rounded-lg border border-line bg-panel p-3">
      <h2 className="mb-1">Is the group below the limit?</h2>
      {group.step && (
        <p className="mb-1 text-[13px] text-soft">
          {group.figure_name}, held against {group.step.value} {unitWords(group.unit)}, {group.step.name}
        </p>
      )}
      <table className="w-full text-[13.5px]">
        <tbody>
          {group.numbers.map((each) => (
            <tr key={each.label} className="border-hair border-t align-baseline">
              <th scope="row" className="py-1 pr-3 text-left font-normal text-soft">
                {each.label}
              </th>
              <td className="py-1 text-right">{each.value}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-2 text-[12.5px] text-soft">
        {group.logarithmic
          ? "Concentrations are taken as log-normal: EN 689."
          : "Decibels are added as they are; the uncertainty of full days by ISO 9612, simplified: s / √n stands for its table of small numbers."}
      </p>
    </section>
  );
}

/** Every measurement, those that do not count with their reason; by hand they are left out and taken in again. */
function Measurements({
  group,
  onLeaveOut,
  onTakeIn,
}: {
  group: Group;
  onLeaveOut: (m: Measured) => void;
  onTakeIn: (m: Measured) => void;
}) {
  const rows = [...group.measured].reverse();
  return (
    <section aria-label="Every measurement" className="mt-2.5 rounded-lg border border-line bg-panel p-3">
      <h2 className="mb-1">Every measurement</h2>
      <table className="w-full text-[13.5px]">
        <thead>
          <tr className="text-left text-soft">
            <th className="font-normal">Who</th>
            <th className="font-normal">Day</th>
            <th className="text-right font-normal">{unitWords(group.unit)}</th>
            <th className="pl-3 font-normal">Counts</th>
            <th>
              <span className="sr-only">Leave out or take in</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map((m) => (
            <tr key={m.session_id} className={`border-hair border-t ${m.why_not ? "text-soft" : ""}`}>
              <td className="max-w-48 truncate py-1">
                <Link to={`/review/${m.session_id}`} className="hover:underline">
                  {nameOf(group, m.person_id)}
                </Link>
              </td>
              <td className="whitespace-nowrap">{dayMonth(m.day)}</td>
              <td className="text-right">
                {m.value === null
                  ? "–"
                  : group.wish.floor && m.value < group.wish.floor
                    ? `< ${group.wish.floor}`
                    : m.value}
              </td>
              <td className="pl-3">{m.why_not || "yes"}</td>
              <td className="text-right">
                {!group.signed &&
                  (m.by_hand ? (
                    <Button look="quiet" size="small" onClick={() => onTakeIn(m)}>
                      take in again
                    </Button>
                  ) : (
                    !m.why_not && (
                      <Button
                        look="quiet"
                        size="small"
                        aria-label={`leave ${nameOf(group, m.person_id)}, ${m.day} out`}
                        onClick={() => onLeaveOut(m)}
                      >
                        leave out
                      </Button>
                    )
                  ))}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {rows.length === 0 && <p className="text-soft">Nothing that fits was measured yet.</p>}
    </section>
  );
}

/** What a group that is not alike should become: two. */
function SplitDialog({
  group,
  onClose,
  onSplit,
}: {
  group: Group;
  onClose: () => void;
  onSplit: (wish: { name: string; go: number[]; stay: number[] }) => void;
}) {
  const [go, setGo] = useState<number[]>(group.split?.lower ?? []);
  const [name, setName] = useState(go.length === 1 ? nameOf(group, go[0] ?? 0) : `${group.name} 2`);
  const stay = group.members.map((m) => m.id).filter((id) => !go.includes(id));
  return (
    <Dialog title="Split the group" open onClose={onClose}>
      <form
        className="grid gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          onSplit({ name, go, stay });
        }}
      >
        <p className="text-[13px] text-soft">
          Who is ticked becomes a group of their own; the others stay in “{group.name}”.
        </p>
        <ul className="max-h-60 overflow-auto">
          {group.members.map((m) => (
            <li key={m.id}>
              <label className="flex min-h-7 items-center gap-2">
                <input
                  type="checkbox"
                  className="size-4 accent-(--act)"
                  checked={go.includes(m.id)}
                  onChange={(event) => setGo(event.target.checked ? [...go, m.id] : go.filter((id) => id !== m.id))}
                />
                {m.name}
              </label>
            </li>
          ))}
        </ul>
        <input
          className={inputLook}
          aria-label="Name of the new group"
          value={name}
          maxLength={120}
          onChange={(event) => setName(event.target.value)}
        />
        <div>
          <Button look="primary" type="submit" disabled={!go.length || !stay.length || !name.trim()}>
            Split off {go.length === 1 ? nameOf(group, go[0] ?? 0) : `${go.length} people`}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

/** Paper of a group: issued once its conclusion is signed. */
function GroupReport({ group, actions }: { group: Group; actions: ReturnType<typeof useGroup> }) {
  const { fail, say } = useNotices();
  const [named, setNamed] = useState(true);
  const [made, setMade] = useState<Schemas["Report"] | null>(null);
  const [busy, setBusy] = useState(false);
  return (
    <section aria-label="Report of the group" className="mt-4">
      <h2 className="mb-1">On paper</h2>
      <label className="flex min-h-7 items-center gap-2">
        <input
          type="checkbox"
          className="size-4 accent-(--act)"
          checked={!named}
          onChange={(event) => setNamed(!event.target.checked)}
        />
        without names (P1, P2, …)
      </label>
      <div className="mt-1 flex flex-wrap items-center gap-2">
        <Button
          disabled={!group.signed || busy}
          title={group.signed ? undefined : "Sign the conclusion first"}
          onClick={async () => {
            setBusy(true);
            try {
              const report = await actions.issue(named);
              setMade(report);
              say(`${report.number} is issued.`);
            } catch (error) {
              fail(error);
            } finally {
              setBusy(false);
            }
          }}
        >
          {busy ? "Issuing …" : "Issue the group's report"}
        </Button>
        <a className="text-act hover:underline" href={`/api/groups/${group.id}/table.xlsx?named=${named}`} download>
          as a workbook
        </a>
      </div>
      {!group.signed && <p className="text-[13px] text-soft">Sign the conclusion, then it can be issued.</p>}
      <Link
        className="mt-1 block text-act hover:underline"
        to={`/report/many?group=${group.id}${group.signed ? "" : "&page=no"}&name=${encodeURIComponent(group.name)}&sessions=${group.measured
          .filter((m) => !m.by_hand)
          .map((m) => m.session_id)
          .join(",")}`}
      >
        a report for each of them
      </Link>
      {made && (
        <p className="mt-1 text-[13px]">
          {made.number}:{" "}
          {(["pdf", "docx", "html"] as const).map((form) => (
            <a
              key={form}
              className="mr-2 text-act hover:underline"
              href={`/api/reports/${made.id}/file?form=${form}`}
              download
            >
              {{ pdf: "PDF", docx: "Word", html: "web page" }[form]}
            </a>
          ))}
        </p>
      )}
    </section>
  );
}

/** A group: everybody on one scale, the verdict with the numbers that lead to it, what does not count, the conclusion. */
export function GroupPage({ id }: { id: number }) {
  const navigate = useNavigate();
  const [without, setWithout] = useState<number[]>([]);
  const actions = useGroup(id, without);
  const { found: whole } = useGroup(id);
  const [editing, setEditing] = useState(false);
  const [splitting, setSplitting] = useState(false);
  const [leaving, setLeaving] = useState<Measured | null>(null);
  const group = actions.found.data;
  useTitle("Groups", group?.name);
  if (actions.found.isError && !group)
    return <Trouble error={actions.found.error} again={() => actions.found.refetch()} />;
  if (!group) return <Loading what="the group" />;
  const leftOut = group.wish.left_out ?? [];
  const missing = group.members.filter(
    (m) => !without.includes(m.id) && !group.measured.some((each) => each.person_id === m.id && !each.why_not),
  );
  const waiting = group.measured.filter((m) => !m.signed && !m.by_hand);
  return (
    <>
      <section aria-label="Group" className="min-w-0 overflow-auto px-4 py-[18px]">
        <div className="mb-2.5 flex flex-wrap items-center gap-x-3 gap-y-1">
          <h1 className="min-w-0 truncate">{group.name}</h1>
          <span className="text-soft">
            {kindName(group.kind)}, {group.measured.filter((m) => !m.why_not).length} measurements,{" "}
            {group.members.length} people
          </span>
          <span className="ml-auto">
            <Verdict verdict={group.verdict as VerdictWord} words={group.words} />
          </span>
        </div>
        <p className="mb-2 flex flex-wrap items-center gap-2 text-[13px] text-soft">
          {whoWords(group)}
          {!group.signed && (
            <Button look="quiet" size="small" onClick={() => setEditing(true)}>
              change
            </Button>
          )}
        </p>
        <div className="rounded-lg border border-line bg-panel p-3">
          <h2 className="mb-1 flex items-baseline gap-3">
            Everybody on one scale
            <span className="font-normal text-[13px] text-soft">
              {group.figure_name}, {unitWords(group.unit)}; filled counts, hollow does not
            </span>
          </h2>
          {group.members.length > 0 ? (
            <Scale group={group} />
          ) : (
            <Empty title="Nobody fits yet">Change who is in it, or the days.</Empty>
          )}
        </div>
        <div className="mt-2.5">
          {group.numbers.length > 0 && <Numbers group={group} />}
          <WhoIsAbove group={whole.data ?? group} without={without} onWithout={setWithout} />
          <Measurements
            group={group}
            onLeaveOut={setLeaving}
            onTakeIn={(m) =>
              actions.change(
                { ...group.wish, left_out: leftOut.filter((each) => each.session_id !== m.session_id) },
                `${nameOf(group, m.person_id)}, ${dayMonth(m.day)} counts again.`,
              )
            }
          />
        </div>
      </section>
      <aside
        aria-label="What is said of the group"
        className="overflow-auto border-line border-l bg-panel px-4 py-[18px]"
      >
        <h2 className="mb-1">What the rule says</h2>
        <p>{group.told.charAt(0).toUpperCase() + group.told.slice(1)}.</p>
        {group.split && (
          <div className="mt-2 grid gap-2">
            <p className="text-[13px]">{group.split_words}</p>
            {!group.signed && (
              <div>
                <Button disabled={actions.isChanging} onClick={() => setSplitting(true)}>
                  Split the group
                </Button>
              </div>
            )}
          </div>
        )}
        {group.signed && group.signed.differs.length > 0 && (
          <section aria-label="Changed since the conclusion" className="mt-4">
            <h2 className="mb-1">Changed since the conclusion</h2>
            <ul className="text-[13px]">
              {group.signed.differs.map((words) => (
                <li key={words} className="border-hair border-t py-1">
                  {words}
                </li>
              ))}
            </ul>
          </section>
        )}
        {missing.length > 0 && (
          <section aria-label="Who is missing" className="mt-4">
            <h2 className="mb-1">Who is missing</h2>
            <ul className="text-[13px]">
              {missing.map((m) => {
                const waits = waiting.find((each) => each.person_id === m.id);
                return (
                  <li key={m.id} className="flex items-baseline gap-2 border-hair border-t py-1">
                    <span className="min-w-0 flex-1 truncate">{m.name}</span>
                    {waits ? (
                      <Link className="text-act hover:underline" to={`/review/${waits.session_id}`}>
                        waits for review
                      </Link>
                    ) : (
                      <Link className="text-act hover:underline" to={`/hand-out?person=${m.id}`}>
                        hand out
                      </Link>
                    )}
                  </li>
                );
              })}
            </ul>
          </section>
        )}
        {without.length === 0 ? (
          <>
            <GroupConclusion key={`${group.id} ${group.signed ? "signed" : "open"}`} group={group} actions={actions} />
            <GroupReport group={group} actions={actions} />
          </>
        ) : (
          <p className="text-[13px] text-soft">
            Conclusion and paper are of the whole group: they are here again with everybody in the look.
          </p>
        )}
        {!group.signed && (
          <Button
            look="quiet"
            size="small"
            className="mt-4"
            onClick={() => void actions.remove().then(() => navigate("/groups"))}
          >
            take the group off the list
          </Button>
        )}
      </aside>
      {editing && (
        <GroupForm
          draft={{ name: group.name, kind: group.kind, wish: group.wish }}
          people={group.members.filter((m) => group.wish.people?.includes(m.id))}
          steps={group.steps}
          isNew={false}
          error={null}
          onClose={() => setEditing(false)}
          onKeep={(draft) => {
            setEditing(false);
            actions.change(draft.wish, "Kept as a new version.", draft.name);
          }}
        />
      )}
      {splitting && (
        <SplitDialog
          group={group}
          onClose={() => setSplitting(false)}
          onSplit={(wish) => {
            setSplitting(false);
            actions.split(wish);
          }}
        />
      )}
      {leaving && (
        <ReasonDialog
          title={`Leave ${nameOf(group, leaving.person_id)}, ${dayMonth(leaving.day)} out`}
          text="The session stays as it is; it only does not count in this group."
          hint="why it does not count"
          action="Leave it out"
          reasons={LEAVE_OUT}
          onClose={() => setLeaving(null)}
          onReason={(why) => {
            setLeaving(null);
            actions.change(
              { ...group.wish, left_out: [...leftOut, { session_id: leaving.session_id, why }] },
              `${nameOf(group, leaving.person_id)}, ${dayMonth(leaving.day)} is left out.`,
            );
          }}
        />
      )}
    </>
  );
}

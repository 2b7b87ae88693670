import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, Problem } from "@/api/client";
import { Button, inputLook } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { type Bay, type Found, isAtWork } from "./dock";

/** What is removed on a recorder: named session by session. */
export interface Clearing {
  bay: Bay;
  sessions: Found[];
}

/** A stick or a card belongs to somebody else's files, too: what is on it goes only when it is chosen itself, never with all. */
const isFolder = (bay: Bay) => !bay.recorder.sets_up;

/** What may be cleared of these recorders: of those that are not being read; files on a stick only when it is the chosen one. */
export function clearable(bays: Bay[], isChosen: (bay: Bay) => boolean): Clearing[] {
  return bays
    .filter((bay) => !bay.sessions.some(isAtWork) && (isChosen(bay) || !isFolder(bay)))
    .map((bay) => ({ bay, sessions: bay.sessions.filter((s) => s.may_clear) }))
    .filter(({ sessions }) => sessions.length > 0);
}

type Outcome = { count: number } | { why: string; asksPasscode: boolean };

/** Asked once: names the recorders and what goes on each, and says that the stored copies stay. */
export function ClearDialog({
  chosen,
  onClose,
  onCleared,
}: {
  chosen: Clearing[];
  onClose: () => void;
  onCleared: (sessions: number, recorders: number) => void;
}) {
  // What is asked is what is done: a session that comes meanwhile is not among it.
  const [asked] = useState(() =>
    chosen.map(({ bay, sessions }) => ({ bay, sessions: sessions.map((s) => s.recorder_session) })),
  );
  const [outcomes, setOutcomes] = useState<Record<number, Outcome>>({});
  const [working, setWorking] = useState(false);
  const [passcodes, setPasscodes] = useState<Record<number, string>>({});
  const queries = useQueryClient();
  const total = asked.reduce((sum, each) => sum + each.sessions.length, 0);
  const [deleted] = useState(() => chosen.flatMap((c) => c.sessions).filter((s) => s.standing === "deleted").length);
  const go = async () => {
    setWorking(true);
    const now = { ...outcomes };
    for (const { bay, sessions } of asked) {
      const id = bay.recorder.id;
      if ("count" in (now[id] ?? {})) continue;
      try {
        const done = await ask(
          api.POST("/api/recorders/{recorder_id}/clear", {
            params: { path: { recorder_id: id } },
            body: { recorder_sessions: sessions, passcode: passcodes[id] ?? "" },
          }),
        );
        now[id] = { count: done.cleared.length };
      } catch (error) {
        const why = error instanceof Error ? error.message : String(error);
        now[id] = { why, asksPasscode: error instanceof Problem && error.status === 423 };
      }
      setOutcomes({ ...now });
    }
    setWorking(false);
    queries.invalidateQueries();
    const good = Object.values(now).flatMap((o) => ("count" in o ? [o.count] : []));
    if (good.length === asked.length) {
      onCleared(
        good.reduce((a, b) => a + b, 0),
        good.length,
      );
      onClose();
    }
  };
  const left = asked.filter((each) => !("count" in (outcomes[each.bay.recorder.id] ?? {}))).length;
  const where = asked.length === 1 ? asked[0]?.bay.recorder.token : `${asked.length} recorders`;
  return (
    <Dialog title={`Remove ${total} on ${where}?`} open onClose={onClose}>
      <p>
        {total === 1 ? "This session goes" : "These sessions go"} from the recorder{asked.length === 1 ? "" : "s"}. The
        stored copies here are read again and compared first, and stay. This cannot be undone.
        {deleted > 0 && ` ${deleted} of them were removed here earlier.`}
      </p>
      <ul className="my-3 max-h-64 overflow-auto rounded-md border border-line">
        {asked.map(({ bay, sessions }) => {
          const outcome = outcomes[bay.recorder.id];
          return (
            <li key={bay.recorder.id} className="border-hair border-b px-3 py-1.5 last:border-0">
              <span className="flex justify-between gap-3">
                <b className="font-semibold">
                  {bay.recorder.token}, {bay.recorder.name}
                </b>
                <span className="text-soft">
                  {outcome && "count" in outcome
                    ? "cleared"
                    : `${sessions.length} session${sessions.length === 1 ? "" : "s"}`}
                </span>
              </span>
              {outcome && "why" in outcome && (
                <p role="alert" className="text-[13px] text-above">
                  {outcome.why}
                </p>
              )}
              {outcome && "why" in outcome && outcome.asksPasscode && (
                <input
                  className={`${inputLook} my-1`}
                  aria-label="Passcode"
                  placeholder={`passcode of ${bay.recorder.token}`}
                  value={passcodes[bay.recorder.id] ?? ""}
                  onChange={(e) => setPasscodes({ ...passcodes, [bay.recorder.id]: e.target.value })}
                />
              )}
            </li>
          );
        })}
      </ul>
      <div className="flex gap-2">
        <Button look="danger" onClick={go} disabled={working}>
          {working
            ? "Comparing and removing …"
            : left < asked.length
              ? `Go on with ${left}`
              : `Remove ${total} on the recorder${asked.length === 1 ? "" : "s"}`}
        </Button>
        <Button onClick={onClose}>Keep them</Button>
      </div>
    </Dialog>
  );
}

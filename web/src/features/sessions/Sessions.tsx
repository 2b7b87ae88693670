import { useState } from "react";
import { useNavigate } from "react-router";
import { Button, Empty, Loading, Trouble } from "@/ui/basics";
import { ChosenBar } from "@/ui/chosen-bar";
import { PersonPicker } from "@/ui/person-picker";
import { ReasonDialog, SWITCHED_ON } from "@/ui/reason";
import type { Session } from "./columns";
import { ColumnsMenu, Narrow } from "./Narrow";
import { SessionTable } from "./SessionTable";
import { TagMany } from "./TagMany";
import { useSessionDeeds } from "./useSessionDeeds";
import { PAGE, type SessionList, useSessionList } from "./useSessionList";

function Pager({ list: { sessions, page, setPage } }: { list: SessionList }) {
  const data = sessions.data;
  if (!data || data.total <= PAGE) return null;
  return (
    <div className="flex items-center gap-3 pt-3">
      <Button disabled={page === 0} onClick={() => setPage(page - 1)}>
        Newer
      </Button>
      <span className="text-soft">
        {page * PAGE + 1} to {page * PAGE + data.sessions.length} of {data.total.toLocaleString()}
        {data.more ? " or more" : ""}
      </span>
      <Button disabled={(page + 1) * PAGE >= data.total} onClick={() => setPage(page + 1)}>
        Older
      </Button>
    </div>
  );
}

function Nothing({ list }: { list: SessionList }) {
  return (
    <Empty
      title={list.isNarrowed ? "No session matches" : "No session yet"}
      action={list.isNarrowed ? <Button onClick={list.all}>Show all sessions</Button> : undefined}
    >
      {list.isNarrowed ? "Something above narrows the list." : "Take a recorder's sessions in; they are listed here."}
    </Empty>
  );
}

const MOST_COMPARED = 12;

/** Two sessions of one person and one kind, the older first; null where they are not. */
function pairOf(chosen: Session[]) {
  const [before, after] = [...chosen].sort((a, b) => a.started_at.localeCompare(b.started_at));
  if (!before || !after || chosen.length !== 2 || before.person_id === null) return null;
  return before.person_id === after.person_id && before.kind === after.kind ? { before, after } : null;
}

/** One list over all sessions: search, filter, sort, pick columns; give, delete with a way back. */
export default function Sessions() {
  const list = useSessionList();
  const navigate = useNavigate();
  const [picked, setPicked] = useState<number[]>([]);
  const [tagging, setTagging] = useState(false);
  const [asking, setAside] = useState(false);
  const { sessions, narrowed } = list;
  const rows = sessions.data?.sessions ?? [];
  const pair = pairOf(rows.filter((row) => picked.includes(row.id)));
  const ticked = rows.filter((row) => picked.includes(row.id));
  const several =
    !pair && picked.length > 1 && picked.length <= MOST_COMPARED && new Set(ticked.map((s) => s.kind)).size === 1;
  const deeds = useSessionDeeds(rows, () => setPicked([]));
  const [seen, setSeen] = useState(narrowed);
  if (seen !== narrowed) {
    // What was chosen in another list is chosen no more.
    setSeen(narrowed);
    setPicked([]);
  }
  if (sessions.isError && !sessions.data)
    return <Trouble view="Sessions" error={sessions.error} again={() => sessions.refetch()} />;
  if (!sessions.data) return <Loading view="Sessions" what="the sessions" />;
  return (
    <main className="grid h-full grid-rows-[auto_minmax(0,1fr)_auto]">
      <div className="flex flex-wrap items-center gap-2 px-5 pt-[18px] pb-3">
        <h1>Sessions</h1>
        <span className="mr-2 text-soft" role="status">
          {sessions.data.total.toLocaleString()}
          {sessions.data.more ? " or more" : ""}
        </span>
        <Narrow list={list} />
        <span className="ml-auto" />
        <ColumnsMenu list={list} />
      </div>
      <div className="overflow-auto px-5 pb-5">
        {rows.length === 0 ? (
          <Nothing list={list} />
        ) : (
          <SessionTable list={list} rows={rows} picked={picked} setPicked={setPicked} />
        )}
        <Pager list={list} />
      </div>
      {picked.length > 0 && (
        <ChosenBar what={`${picked.length} chosen`} onNone={() => setPicked([])}>
          {narrowed.standing === "deleted" ? (
            <Button onClick={() => void deeds.restore(picked)}>Bring {picked.length} back</Button>
          ) : (
            <>
              <Button look="primary" onClick={() => navigate(`/report/many?sessions=${picked.join(",")}`)}>
                Report{picked.length === 1 ? "" : "s"} …
              </Button>
              {pair && (
                <Button onClick={() => navigate(`/review/${pair.after.id}/compare?with=${pair.before.id}`)}>
                  Compare the two
                </Button>
              )}
              {several && (
                <Button onClick={() => navigate(`/compare?sessions=${picked.join(",")}`)}>
                  Compare the {picked.length}
                </Button>
              )}
              <PersonPicker label={`Give ${picked.length} to …`} onPick={(person) => deeds.give(picked, person)} />
              <Button onClick={() => setTagging(true)}>Tag …</Button>
              {narrowed.standing === "aside" ? (
                <Button onClick={() => deeds.aside(picked, "")}>Bring {picked.length} in</Button>
              ) : (
                <Button onClick={() => setAside(true)}>Set aside …</Button>
              )}
              <Button disabled={deeds.remove.isPending} onClick={() => deeds.remove.mutate(picked)}>
                {deeds.remove.isPending ? "Deleting …" : `Delete ${picked.length} here`}
              </Button>
            </>
          )}
        </ChosenBar>
      )}
      {asking && (
        <ReasonDialog
          title={`Set ${picked.length} session${picked.length === 1 ? "" : "s"} aside`}
          text="They stay stored, count nowhere, and can be brought in again."
          hint="such as worn by nobody"
          action="Set aside"
          reasons={[SWITCHED_ON, "a test run"]}
          onClose={() => setAside(false)}
          onReason={(why) => {
            setAside(false);
            deeds.aside(picked, why.slice(0, 120));
          }}
        />
      )}
      {tagging && (
        <TagMany
          count={picked.length}
          onClose={() => setTagging(false)}
          onTag={(key, value) => {
            setTagging(false);
            deeds.tag(picked, key, value);
          }}
        />
      )}
    </main>
  );
}

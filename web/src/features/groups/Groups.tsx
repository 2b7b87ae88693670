import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useLocation, useNavigate, useParams } from "react-router";
import { api, ask, type Schemas } from "@/api/client";
import { kindName, useKindWords } from "@/kinds/kinds";
import { Button, Empty, Loading, Trouble, Verdict, type VerdictWord } from "@/ui/basics";
import { useTitle } from "@/ui/title";
import { type GroupDraft, GroupForm, type Named } from "./GroupForm";
import { GroupPage } from "./GroupPage";
import { useGroups, type Wish } from "./useGroup";

const NOTHING: Wish = {
  figure: "",
  step: "",
  team: "",
  task: "",
  place: "",
  people: [],
  since: null,
  until: null,
  floor: null,
  left_out: [],
  unsigned: false,
};

function GroupLink({ row, here }: { row: Schemas["GroupRow"]; here: boolean }) {
  return (
    <Link
      to={`/groups/${row.id}`}
      aria-current={here ? "page" : undefined}
      className={`-mx-3 block border-l-[3px] px-3 py-2 ${here ? "border-brass bg-panel" : "border-transparent hover:bg-hair"}`}
    >
      <span className="flex items-center gap-2">
        <span className="min-w-0 flex-1 truncate font-medium">{row.name}</span>
        <Verdict verdict={row.verdict as VerdictWord} words={row.words} bare />
      </span>
      <span className="block text-[12.5px] text-soft">
        {kindName(row.kind)}, {row.counted} measurement{row.counted === 1 ? "" : "s"}, {row.people} people; {row.words}
      </span>
      <span className="block text-[12.5px] text-soft">
        {row.signed ? (row.changed ? `signed; ${row.changed} changed since` : "signed") : "no conclusion signed yet"}
      </span>
    </Link>
  );
}

/** Groups of people whose measurements are looked at together. */
export default function Groups() {
  const { id } = useParams();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const groups = useGroups();
  const kinds = useKindWords();
  const location = useLocation();
  const [came, setCame] = useState("");
  const [making, setMaking] = useState<GroupDraft | null>(null);
  const make = useMutation({
    mutationFn: (draft: GroupDraft) => ask(api.POST("/api/groups", { body: draft })),
    onSuccess: (made) => {
      setMaking(null);
      void queries.invalidateQueries({ queryKey: ["groups"] });
      navigate(`/groups/${made.id}`);
    },
  });
  useTitle("Groups");
  if (groups.isError && !groups.data)
    return <Trouble view="Groups" error={groups.error} again={() => groups.refetch()} />;
  if (!groups.data) return <Loading what="the groups" view="Groups" />;
  const rows = groups.data;
  const first = kinds.data?.find((kind) => kind.groups.length > 0)?.key ?? "";
  const open = id ? Number(id) : null;
  // People who were chosen in their register come along with the way here.
  const come = (location.state as { people?: Named[] } | null)?.people;
  if (come && first && !making && came !== location.key) {
    setCame(location.key);
    setMaking({ name: "", kind: first, wish: { ...NOTHING, people: come.map((each) => each.id) } });
  }
  return (
    <main
      className={`grid h-full ${open ? "grid-cols-[minmax(0,1fr)_280px] min-[1180px]:grid-cols-[220px_minmax(0,1fr)_280px]" : "grid-cols-1"}`}
    >
      <section
        aria-label="All groups"
        className={`overflow-auto px-3 pb-[18px] ${open ? "border-line border-r max-[1179px]:hidden" : "max-w-[720px] px-5"}`}
      >
        <div className="sticky top-0 z-10 flex flex-wrap items-center gap-x-3 gap-y-2 bg-salt pt-[18px] pb-3">
          {open ? <h2>Groups</h2> : <h1>Groups</h1>}
          <span className="text-soft">{rows.length}</span>
          <Button
            look={rows.length ? "plain" : "primary"}
            className="ml-auto"
            onClick={() => setMaking({ name: "", kind: first, wish: NOTHING })}
          >
            New group
          </Button>
        </div>
        {rows.length === 0 && (
          <Empty title="No group yet">
            People with the same job, looked at together: everybody of a team, whoever did a task at a place, or some by
            name.
          </Empty>
        )}
        <ul>
          {rows.map((row) => (
            <li key={row.id}>
              <GroupLink row={row} here={row.id === open} />
            </li>
          ))}
        </ul>
      </section>
      {open && <GroupPage key={open} id={open} />}
      {making && (
        <GroupForm
          draft={making}
          people={come ?? []}
          steps={[]}
          isNew
          error={make.error}
          onClose={() => {
            make.reset();
            setMaking(null);
          }}
          onKeep={(draft) => make.mutate(draft)}
        />
      )}
    </main>
  );
}

import { useMutation } from "@tanstack/react-query";
import { createContext, useContext, useMemo, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, ask, type Schemas } from "@/api/client";
import { Button, Empty, inputLook, Trouble } from "@/ui/basics";
import { ChosenBar } from "@/ui/chosen-bar";
import { moment } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { More, useAddPerson, usePeople, type Which } from "@/ui/people";
import { type RegisterColumn, RegisterTable } from "@/ui/register";
import { Segmented } from "@/ui/segmented";
import { PersonPage } from "./PersonPage";

const COLUMNS: RegisterColumn<Schemas["Person"]>[] = [
  {
    key: "name",
    name: "Name",
    look: "max-w-64 p-0",
    cell: (p) => (
      <Link className="block truncate px-2 py-1.5 font-medium" to={`/people/${p.id}`}>
        {p.name}
        {p.is_place && <span className="ml-2 font-normal text-[12.5px] text-soft">place</span>}
      </Link>
    ),
  },
  { key: "number", name: "Number", look: "px-2 whitespace-nowrap text-soft", cell: (p) => p.number },
  { key: "team", name: "Team", look: "max-w-40 truncate px-2", cell: (p) => p.team },
  { key: "sessions", name: "Sessions", right: true, look: "px-2 text-right", cell: (p) => p.sessions || "" },
  {
    key: "last",
    name: "Last",
    look: "px-2 whitespace-nowrap text-soft",
    cell: (p) => (p.last_session_at ? moment(p.last_session_at) : ""),
  },
];

interface Named {
  id: number;
  name: string;
}

/** Who is chosen. The columns stay the same ones, so that no tick is made anew, and loses the focus, when another is set. */
const Picked = createContext<{ picked: Named[]; setPicked: (picked: Named[]) => void }>({
  picked: [],
  setPicked: () => undefined,
});

function Tick({ person }: { person: Named }) {
  const { picked, setPicked } = useContext(Picked);
  const others = picked.filter((each) => each.id !== person.id);
  return (
    <label className="grid size-6 place-items-center">
      <input
        type="checkbox"
        className="size-4 accent-(--act)"
        aria-label={`Choose ${person.name}`}
        checked={others.length < picked.length}
        onChange={(event) =>
          setPicked(event.target.checked ? [...others, { id: person.id, name: person.name }] : others)
        }
      />
    </label>
  );
}

const TICKED: RegisterColumn<Schemas["Person"]>[] = [
  { key: "choose", name: "Choose", unseen: true, look: "w-9 px-2", cell: (p) => <Tick person={p} /> },
  ...COLUMNS,
];

const MOST_SESSIONS = 200;

/** What can be done with several people. */
function Chosen({ picked, onNone }: { picked: Named[]; onNone: () => void }) {
  const navigate = useNavigate();
  const { fail } = useNotices();
  const report = useMutation({
    mutationFn: () =>
      ask(
        api.GET("/api/sessions", {
          params: { query: { people: picked.map((each) => each.id), standing: "unreported", limit: MOST_SESSIONS } },
        }),
      ),
    onSuccess: ({ sessions }) => {
      if (sessions.length === 0)
        fail(new Error("Nothing of them is signed and waits for a report. Sign in Review first."));
      else navigate(`/report/many?sessions=${sessions.map((s) => s.id).join(",")}`);
    },
    onError: fail,
  });
  return (
    <ChosenBar what={`${picked.length} chosen`} onNone={onNone}>
      <Button look="primary" disabled={report.isPending} onClick={() => report.mutate()}>
        Reports of what is not printed yet …
      </Button>
      <Button onClick={() => navigate("/groups", { state: { people: picked } })}>Make a group of them …</Button>
    </ChosenBar>
  );
}

const inSight = (element: HTMLElement | null) => element?.scrollIntoView({ block: "nearest" });

const WHICH: [Which, string][] = [
  ["", "all"],
  ["people", "people"],
  ["places", "places"],
];

/** The register of people and places. */
export default function People() {
  const [picked, setPicked] = useState<Named[]>([]);
  const chosen = useMemo(() => ({ picked, setPicked }), [picked]);
  const { id } = useParams();
  const navigate = useNavigate();
  const [words, setWords] = useState("");
  const [which, setWhich] = useState<Which>("");
  const people = usePeople(words, which);
  const add = useAddPerson((made) => {
    setWords("");
    navigate(`/people/${made.id}`);
  });
  if (people.isError && !people.data)
    return <Trouble view="People" error={people.error} again={() => people.refetch()} />;
  const rows = people.rows;
  const head = (
    <div
      className={`sticky top-0 z-10 flex items-center gap-x-3 gap-y-2 bg-salt pt-[18px] pb-3 ${id ? "flex-wrap" : ""}`}
    >
      <h1>{id ? "People" : "People and places"}</h1>
      <span className="text-soft">{people.total ?? "…"}</span>
      {!id && (
        <Link className="text-act hover:underline" to="/groups">
          groups of them
        </Link>
      )}
      <Segmented label="Show" value={which} choices={WHICH} onChange={setWhich} />
      <input
        className={`${inputLook} ${id ? "" : "ml-auto max-w-64"}`}
        placeholder="name, number or team"
        aria-label="Find a person or a place"
        value={words}
        onChange={(e) => setWords(e.target.value)}
      />
      {(!id || words.trim()) && (
        <Button
          look="primary"
          className={id ? "max-w-full truncate" : ""}
          disabled={!words.trim() || add.isPending}
          onClick={() => add.ask(words, which === "places")}
        >
          Add {words.trim() ? `“${words.trim().slice(0, 24)}”` : "by name"}
        </Button>
      )}
      {words.trim() && which === "" && (
        <Button look="quiet" disabled={add.isPending} onClick={() => add.ask(words, true)}>
          add as a place
        </Button>
      )}
    </div>
  );
  const empty = people.isSuccess && rows.length === 0 && (
    <Empty title={words ? "Nobody of that name" : "Nobody is here yet"}>
      Type a name above and add it: a person, or a place where a recorder stands. A name is enough; a number is made,
      the rest can follow.
    </Empty>
  );
  if (id)
    return (
      <main className="grid h-full grid-cols-[minmax(0,1fr)_280px] min-[1180px]:grid-cols-[200px_minmax(0,1fr)_280px]">
        <section
          aria-label="Register of people"
          className="overflow-auto border-line border-r px-3 pb-[18px] max-[1179px]:hidden"
        >
          {head}
          {empty}
          <ul>
            {rows.map((p) => (
              <li key={p.id}>
                <Link
                  to={`/people/${p.id}`}
                  aria-current={String(p.id) === id ? "page" : undefined}
                  ref={String(p.id) === id ? inSight : undefined}
                  className={`-mx-3 block border-l-[3px] px-3 py-1.5 ${String(p.id) === id ? "border-brass bg-panel" : "border-transparent hover:bg-hair"}`}
                >
                  <span className="block truncate font-medium">{p.name}</span>
                  <span className="block truncate text-[12.5px] text-soft">
                    {[p.is_place ? "place" : "", p.number, p.team].filter(Boolean).join(", ")}
                  </span>
                </Link>
              </li>
            ))}
          </ul>
          <More list={people} what="people" />
        </section>
        <PersonPage key={id} id={Number(id)} />
        {add.dialog}
      </main>
    );
  return (
    <main className="grid h-full grid-rows-[minmax(0,1fr)_auto]">
      <section aria-label="Register of people" className="overflow-auto px-5 pb-[18px]">
        {head}
        {empty}
        {rows.length > 0 && (
          <Picked.Provider value={chosen}>
            <RegisterTable rows={rows} columns={TICKED} />
          </Picked.Provider>
        )}
        <More list={people} what="people" />
      </section>
      {picked.length > 0 && <Chosen picked={picked} onNone={() => setPicked([])} />}
      {add.dialog}
    </main>
  );
}

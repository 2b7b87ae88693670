import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, ask, type Schemas } from "@/api/client";
import { kindName } from "@/kinds/kinds";
import { Button, Empty, inputLook, Loading, Trouble, Verdict } from "@/ui/basics";
import { moment } from "@/ui/format";
import { More, useAddPerson, usePeople } from "@/ui/people";
import { type RegisterColumn, RegisterTable } from "@/ui/register";
import { useTitle } from "@/ui/title";
import { CLINIC, CodeChoice, FIELDS, Field, StayChoice, useChangePerson } from "./fields";
import { PersonMedicines } from "./PersonMedicines";
import { Trends } from "./Trends";

function Card({ id }: { id: number }) {
  const person = useQuery({
    queryKey: ["people", "one", id],
    queryFn: () => ask(api.GET("/api/people/{person_id}", { params: { path: { person_id: id } } })),
  });
  const sessions = useQuery({
    queryKey: ["sessions", "of", id],
    queryFn: () => ask(api.GET("/api/sessions", { params: { query: { person_id: id, limit: 60 } } })),
  });
  const change = useChangePerson(id);
  const [wished, setOpen] = useState<boolean | null>(null);
  useTitle("People", person.data?.name);
  if (person.isError) return <Trouble error={person.error} again={() => person.refetch()} />;
  if (!person.data) return <Loading what="the person" />;
  const data = person.data;
  const fields = [...FIELDS.filter((f) => f.key !== "name" || !data.real_name), ...CLINIC];
  const known = fields.filter((f) => data[f.key]).length;
  // Of somebody new the form is what one came for, of all others their sessions are.
  const open = wished ?? sessions.data?.total === 0;
  return (
    <>
      <h1 className="truncate">{data.name}</h1>
      <p className="text-soft">
        {[data.number, data.team, data.born ? `born ${data.born.slice(0, 4)}` : ""].filter(Boolean).join(", ")}
      </p>
      <section aria-label="About" className="mt-2 rounded-md border border-line px-3">
        <button
          type="button"
          aria-expanded={open}
          className="flex min-h-[34px] w-full items-center gap-2 text-left"
          onClick={() => setOpen(!open)}
        >
          <span className="font-medium text-act">{open ? "▾" : "▸"} About</span>
          <span className="min-w-0 truncate text-[13px] text-soft" role="status">
            {change.isPending
              ? "keeping …"
              : change.isSuccess
                ? "kept"
                : `${known} of ${fields.length} facts known, medicines`}
          </span>
        </button>
        {open && (
          <div className="pb-3">
            <div className="grid grid-cols-[96px_1fr] gap-y-1.5">
              {fields.map((field) => (
                <Field
                  key={field.key}
                  field={field}
                  value={String(data[field.key] ?? "")}
                  onKeep={(value) => change.mutateAsync({ [field.key]: value } as Schemas["PersonChange"])}
                />
              ))}
              <StayChoice person={data} onKeep={(stay) => change.mutate({ stay } as Schemas["PersonChange"])} />
            </div>
            <div className="mt-2">
              <CodeChoice person={data} />
            </div>
            <PersonMedicines person={id} />
          </div>
        )}
      </section>
      <div className="mt-2 flex gap-2">
        <Link
          className="inline-flex min-h-[34px] items-center rounded-md border border-line bg-panel px-3.5 font-medium"
          to={`/hand-out?person=${id}`}
        >
          Hand a recorder out
        </Link>
      </div>
      <Trends person={id} />
      <h2 className="mt-5 mb-1">Sessions</h2>
      {sessions.data?.total === 0 && <p className="text-soft">None yet.</p>}
      <ul>
        {sessions.data?.sessions.map((s) => (
          <li key={s.id}>
            <Link
              to={`/review/${s.id}`}
              className="flex items-center gap-3 border-hair border-t py-1.5 hover:bg-act-soft"
            >
              <span className="w-36 flex-none">{moment(s.started_at, s.utc_offset_min)}</span>
              <span className="min-w-0 flex-1 truncate text-soft">
                {kindName(s.kind)}, {s.key_figure}
              </span>
              <Verdict verdict={s.verdict} words={s.verdict_step || undefined} bare={!s.verdict_step} />
            </Link>
          </li>
        ))}
      </ul>
    </>
  );
}

const COLUMNS: RegisterColumn<Schemas["Person"]>[] = [
  {
    key: "name",
    name: "Name",
    look: "max-w-64 p-0",
    cell: (p) => (
      <Link className="block truncate px-2 py-1.5 font-medium" to={`/people/${p.id}`}>
        {p.name}
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

/** The register of people. */
export default function People() {
  const { id } = useParams();
  const navigate = useNavigate();
  const [words, setWords] = useState("");
  const people = usePeople(words);
  const add = useAddPerson((made) => {
    setWords("");
    navigate(`/people/${made.id}`);
  });
  if (people.isError && !people.data)
    return <Trouble view="People" error={people.error} again={() => people.refetch()} />;
  const rows = people.rows;
  return (
    <main className="grid h-full grid-cols-[minmax(0,1fr)_320px] min-[960px]:grid-cols-[minmax(0,1fr)_400px]">
      <section aria-label="Register of people" className="overflow-auto px-5 pb-[18px]">
        <div className="sticky top-0 z-10 flex items-center gap-3 bg-salt pt-[18px] pb-3">
          <h1>People</h1>
          <span className="text-soft">{people.total ?? "…"}</span>
          <input
            className={`${inputLook} ml-auto max-w-64`}
            placeholder="name, number or team"
            aria-label="Find a person"
            value={words}
            onChange={(e) => setWords(e.target.value)}
          />
          <Button look="primary" disabled={!words.trim() || add.isPending} onClick={() => add.ask(words)}>
            Add {words.trim() ? `“${words.trim().slice(0, 24)}”` : "by name"}
          </Button>
        </div>
        {people.isSuccess && rows.length === 0 && (
          <Empty title={words ? "Nobody of that name" : "Nobody is here yet"}>
            Type a name above and add it. A name is enough; a number is made, the rest can follow.
          </Empty>
        )}
        {rows.length > 0 && <RegisterTable rows={rows} columns={COLUMNS} {...(id ? { chosen: Number(id) } : {})} />}
        <More list={people} what="people" />
      </section>
      <aside aria-label="Person" className="overflow-auto border-line border-l bg-panel px-5 py-[18px]">
        {id ? (
          <Card key={id} id={Number(id)} />
        ) : (
          <p className="text-soft">Choose somebody to see and change what is known.</p>
        )}
      </aside>
      {add.dialog}
    </main>
  );
}

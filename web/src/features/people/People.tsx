import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, ask, type Schemas } from "@/api/client";
import { kindName } from "@/kinds/kinds";
import { Button, Empty, inputLook, Loading, Trouble, Verdict } from "@/ui/basics";
import { moment } from "@/ui/format";
import { useNotices } from "@/ui/notices";

const FIELDS = [
  ["name", "Name", "text"],
  ["number", "Number", "text"],
  ["team", "Team", "text"],
  ["born", "Born", "date"],
  ["sex", "Sex", "text"],
  ["height_cm", "Height, cm", "number"],
  ["weight_kg", "Weight, kg", "number"],
  ["contact", "Contact", "text"],
  ["notes", "Notes", "text"],
] as const;

function Card({ id }: { id: number }) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const [typed, setTyped] = useState<Record<string, string>>({});
  const person = useQuery({
    queryKey: ["people", "one", id],
    queryFn: () => ask(api.GET("/api/people/{person_id}", { params: { path: { person_id: id } } })),
  });
  const sessions = useQuery({
    queryKey: ["sessions", "of", id],
    queryFn: () => ask(api.GET("/api/sessions", { params: { query: { person_id: id, limit: 60 } } })),
  });
  const change = useMutation({
    mutationFn: (body: Schemas["PersonChange"]) =>
      ask(api.PATCH("/api/people/{person_id}", { params: { path: { person_id: id } }, body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["people"] }),
    onError: (error) => {
      fail(error);
      setTyped({});
    },
  });
  if (person.isError) return <Trouble error={person.error} again={() => person.refetch()} />;
  if (!person.data) return <Loading what="the person" />;
  const data = person.data;
  const commit = (key: string, type: string) => {
    const text = typed[key];
    if (text === undefined || text === String(data[key as keyof typeof data] ?? "")) return;
    const empty = ["contact", "notes", "team"].includes(key) ? "" : null;
    const value = text.trim() === "" ? empty : type === "number" ? Number(text.replace(",", ".")) : text.trim();
    change.mutate({ [key]: value });
  };
  return (
    <>
      <h1 className="truncate">{data.name}</h1>
      <div className="mt-3 grid grid-cols-[96px_1fr] gap-y-1.5">
        {FIELDS.map(([key, label, type]) => (
          <div key={key} className="contents">
            <label htmlFor={`person-${key}`} className="pt-1 text-soft">
              {label}
            </label>
            <input
              id={`person-${key}`}
              type={type === "date" ? "date" : "text"}
              inputMode={type === "number" ? "decimal" : undefined}
              className="min-h-7 w-full border-0 border-line border-b bg-transparent hover:border-soft"
              value={typed[key] ?? String(data[key as keyof typeof data] ?? "")}
              onChange={(e) => setTyped({ ...typed, [key]: e.target.value })}
              onBlur={() => commit(key, type)}
              onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
            />
          </div>
        ))}
      </div>
      <p className="h-5 pt-1 text-[12px] text-soft" role="status">
        {change.isPending ? "keeping …" : change.isSuccess ? "kept" : ""}
      </p>
      <div className="mt-2 flex gap-2">
        <Link
          className="inline-flex min-h-[34px] items-center rounded-md border border-line bg-panel px-3.5 font-medium"
          to={`/hand-out?person=${id}`}
        >
          Hand a recorder out
        </Link>
      </div>
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
              <Verdict verdict={s.verdict} bare />
            </Link>
          </li>
        ))}
      </ul>
    </>
  );
}

/** The register of people. */
export default function People() {
  const { id } = useParams();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const { fail } = useNotices();
  const [words, setWords] = useState("");
  const [limit, setLimit] = useState(100);
  const people = useQuery({
    queryKey: ["people", words, limit],
    queryFn: () => ask(api.GET("/api/people", { params: { query: { search: words, limit } } })),
    placeholderData: keepPreviousData,
  });
  const add = useMutation({
    mutationFn: () => ask(api.POST("/api/people", { body: { name: words.trim() } })),
    onSuccess: (made) => {
      queries.invalidateQueries({ queryKey: ["people"] });
      setWords("");
      navigate(`/people/${made.id}`);
    },
    onError: fail,
  });
  if (people.isError && !people.data) return <Trouble error={people.error} again={() => people.refetch()} />;
  const rows = people.data?.people ?? [];
  return (
    <main className="grid h-full grid-cols-[minmax(0,1fr)_400px]">
      <section aria-label="Register of people" className="overflow-auto px-5 py-[18px]">
        <div className="mb-3 flex items-center gap-3">
          <h1>People</h1>
          <span className="text-soft">{people.data?.total ?? "…"}</span>
          <input
            className={`${inputLook} ml-auto max-w-64`}
            placeholder="name, number or team"
            aria-label="Find a person"
            value={words}
            onChange={(e) => setWords(e.target.value)}
          />
          <Button look="primary" disabled={!words.trim() || add.isPending} onClick={() => add.mutate()}>
            Add {words.trim() ? `“${words.trim().slice(0, 24)}”` : "by name"}
          </Button>
        </div>
        {people.isSuccess && rows.length === 0 && (
          <Empty title={words ? "Nobody of that name" : "Nobody is here yet"}>
            Type a name above and add it. A name is enough; a number is made, the rest can follow.
          </Empty>
        )}
        {rows.length > 0 && (
          <table className="w-full">
            <thead className="text-left font-narrow text-[12.5px] text-soft">
              <tr>
                <th className="px-2 py-1 font-medium">Name</th>
                <th className="px-2 font-medium">Number</th>
                <th className="px-2 font-medium">Team</th>
                <th className="px-2 text-right font-medium">Sessions</th>
                <th className="px-2 font-medium">Last</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((p) => (
                <tr
                  key={p.id}
                  className={`border-line border-t ${String(p.id) === id ? "bg-act-soft" : "hover:bg-hair"}`}
                >
                  <td className="max-w-64 p-0">
                    <Link className="block truncate px-2 py-1.5 font-semibold" to={`/people/${p.id}`}>
                      {p.name}
                    </Link>
                  </td>
                  <td className="px-2 whitespace-nowrap text-soft">{p.number}</td>
                  <td className="max-w-40 truncate px-2">{p.team}</td>
                  <td className="px-2 text-right">{p.sessions || ""}</td>
                  <td className="px-2 whitespace-nowrap text-soft">
                    {p.last_session_at ? moment(p.last_session_at) : ""}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {(people.data?.total ?? 0) > rows.length && (
          <Button look="quiet" onClick={() => setLimit(Math.min(limit + 200, 500))}>
            show {Math.min((people.data?.total ?? 0) - rows.length, 200)} more
          </Button>
        )}
      </section>
      <aside aria-label="Person" className="overflow-auto border-line border-l bg-panel px-5 py-[18px]">
        {id ? (
          <Card key={id} id={Number(id)} />
        ) : (
          <p className="text-soft">Choose somebody to see and change what is known.</p>
        )}
      </aside>
    </main>
  );
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, ask, type Schemas } from "@/api/client";
import { kindName } from "@/kinds/kinds";
import { Button, Empty, inputLook, Loading, Refused, Trouble, Verdict } from "@/ui/basics";
import { type Entry, numberOf, wallTimeOf } from "@/ui/entry";
import { moment } from "@/ui/format";
import { More, useAddPerson, usePeople } from "@/ui/people";
import { useTitle } from "@/ui/title";
import { useTyped } from "@/ui/typed";
import { Trends } from "./Trends";

interface FieldWish {
  key: keyof Schemas["PersonChange"];
  label: string;
  type: "text" | "date" | "number";
  parse?: (text: string) => Entry | { value: string | null };
}

const HEIGHT = { unit: "cm", also: { m: 100, mm: 0.1 }, low: 21, high: 299, empty: true };
const WEIGHT = { unit: "kg", also: { g: 0.001, lb: 0.45359237, lbs: 0.45359237 }, low: 1, high: 499, empty: true };

/** "1,72" can only be metres. */
function heightOf(text: string): Entry {
  const entry = numberOf(text, HEIGHT);
  const plain = numberOf(text, { ...HEIGHT, low: 0.4, high: 2.99 });
  if ("wrong" in entry && "value" in plain && plain.value !== null)
    return { value: Math.round(plain.value * 1000) / 10 };
  return entry;
}

const wholeOf = (text: string, low: number, high: number): Entry => {
  const entry = numberOf(text, { unit: "/min", low, high, empty: true });
  return "value" in entry && entry.value !== null ? { value: Math.round(entry.value) } : entry;
};

const FIELDS: FieldWish[] = [
  { key: "name", label: "Name", type: "text" },
  { key: "number", label: "Number", type: "text" },
  { key: "team", label: "Team", type: "text" },
  { key: "born", label: "Born", type: "date" },
  { key: "sex", label: "Sex", type: "text" },
  { key: "height_cm", label: "Height, cm", type: "number", parse: heightOf },
  { key: "weight_kg", label: "Weight, kg", type: "number", parse: (t) => numberOf(t, WEIGHT) },
  { key: "gets_up", label: "Gets up at", type: "text", parse: wallTimeOf },
  { key: "goes_to_bed", label: "To bed at", type: "text", parse: wallTimeOf },
  { key: "heart_rate_highest", label: "Highest pulse", type: "number", parse: (t) => wholeOf(t, 100, 240) },
  { key: "heart_rate_resting", label: "Resting pulse", type: "number", parse: (t) => wholeOf(t, 25, 110) },
  { key: "contact", label: "Contact", type: "text" },
  { key: "notes", label: "Notes", type: "text" },
];
const NEEDED = ["name", "number"];

/** One fact: kept when the field is left. */
function Field({
  field: { key, label, type, parse },
  value,
  onKeep,
}: {
  field: FieldWish;
  value: string;
  onKeep: (value: string | number | null) => Promise<unknown>;
}) {
  const { text, awaited, typed, type: setText, forget, send } = useTyped(value);
  const [wrong, setWrong] = useState<string | null>(null);
  const commit = () => {
    if (typed === null) return;
    const entry: Entry | { value: string | null } = parse
      ? parse(typed)
      : NEEDED.includes(key) && !typed.trim()
        ? { wrong: `A ${key} is needed.` }
        : { value: typed.trim() || (type === "date" ? null : "") };
    // What cannot be taken stays in the field with the reason beside it; what was on record stays on record.
    if ("wrong" in entry) return setWrong(entry.wrong);
    setWrong(null);
    const shown = String(entry.value ?? "");
    if (shown === awaited) return forget();
    const answer = onKeep(entry.value).then(
      () => true,
      (error: Error) => {
        setWrong(error.message);
        return false;
      },
    );
    send(shown, answer, typed);
  };
  return (
    <div className="contents">
      <label htmlFor={`person-${key}`} className="pt-1 text-soft">
        {label}
      </label>
      <span>
        <input
          id={`person-${key}`}
          type={type === "date" ? "date" : "text"}
          inputMode={type === "number" ? "decimal" : undefined}
          className={`min-h-7 w-full border-0 border-b bg-transparent hover:border-soft ${wrong ? "border-above" : "border-line"}`}
          aria-invalid={wrong !== null}
          value={text}
          onChange={(e) => setText(e.target.value)}
          onBlur={commit}
          onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
        />
        <Refused why={wrong} />
      </span>
    </div>
  );
}

function Card({ id }: { id: number }) {
  const queries = useQueryClient();
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
  });
  useTitle("People", person.data?.name);
  if (person.isError) return <Trouble error={person.error} again={() => person.refetch()} />;
  if (!person.data) return <Loading what="the person" />;
  const data = person.data;
  return (
    <>
      <h1 className="truncate">{data.name}</h1>
      <div className="mt-3 grid grid-cols-[96px_1fr] gap-y-1.5">
        {FIELDS.map((field) => (
          <Field
            key={field.key}
            field={field}
            value={String(data[field.key] ?? "")}
            onKeep={(value) => change.mutateAsync({ [field.key]: value } as Schemas["PersonChange"])}
          />
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
  if (people.isError && !people.data) return <Trouble error={people.error} again={() => people.refetch()} />;
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
                    <Link className="block truncate px-2 py-1.5 font-medium" to={`/people/${p.id}`}>
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

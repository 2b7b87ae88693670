import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { api, ask, Problem, type Schemas } from "@/api/client";
import { Button, Empty, inputLook, Loading, Token, Trouble, Verdict } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { clock, moment, since } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { More, useAddPerson, usePeople } from "@/ui/people";
import { Slip } from "./Slip";

function useNumber(name: string): [number | null, (value: number | null) => void] {
  const [params, setParams] = useSearchParams();
  const value = params.get(name);
  const set = (now: number | null) =>
    setParams(
      (old) => {
        if (now === null) old.delete(name);
        else old.set(name, String(now));
        return old;
      },
      { replace: true },
    );
  return [value ? Number(value) : null, set];
}

/** Adding somebody: `name` is what was looked for; `open` when nobody is called so and Enter was pressed. */
function AddPerson({
  name,
  open,
  setOpen,
  onMade,
}: {
  name: string;
  open: boolean;
  setOpen: (open: boolean) => void;
  onMade: (id: number) => void;
}) {
  const [typed, setTyped] = useState("");
  useEffect(() => {
    if (open) setTyped(name);
  }, [open, name]);
  const add = useAddPerson((person) => {
    setOpen(false);
    onMade(person.id);
  });
  return (
    <>
      <Button look="quiet" onClick={() => setOpen(true)}>
        Add a person, a name is enough
      </Button>
      <Dialog title="Add a person" open={open} onClose={() => setOpen(false)}>
        <form
          className="grid gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            add.ask(typed);
          }}
        >
          <input
            className={inputLook}
            aria-label="Name"
            placeholder="first and last name"
            value={typed}
            onChange={(e) => setTyped(e.target.value)}
            maxLength={200}
            required
          />
          <p className="text-[13px] text-soft">
            A number is made for them. Everything else can follow later, in People.
          </p>
          <div>
            <Button look="primary" type="submit" disabled={!typed.trim() || add.isPending}>
              Add {typed.trim()}
            </Button>
          </div>
        </form>
      </Dialog>
      {add.dialog}
    </>
  );
}

function PeopleColumn({ chosen, onChoose }: { chosen: number | null; onChoose: (id: number) => void }) {
  const [words, setWords] = useState("");
  const [adding, setAdding] = useState(false);
  const people = usePeople(words);
  const only = people.rows[0];
  return (
    <section aria-label="People" className="flex min-h-0 flex-col pt-[18px]">
      <div className="px-5">
        <h1>Hand out</h1>
        <input
          className={`${inputLook} mt-3 mb-2`}
          placeholder="name, number or team"
          aria-label="Find a person"
          value={words}
          onChange={(e) => setWords(e.target.value)}
          onKeyDown={(e) => {
            if (e.key !== "Enter" || !words.trim()) return;
            if (people.total === 0) setAdding(true);
            else if (people.total === 1 && only) onChoose(only.id);
          }}
        />
      </div>
      {people.isError && <Trouble error={people.error} again={() => people.refetch()} />}
      <ul className="min-h-0 flex-1 overflow-auto px-2.5">
        {people.rows.map((p) => (
          <li key={p.id}>
            <button
              type="button"
              aria-pressed={p.id === chosen}
              onClick={() => onChoose(p.id)}
              className={`block w-full rounded-md px-2.5 py-1.5 text-left ${p.id === chosen ? "bg-act-soft" : "hover:bg-hair"}`}
            >
              <b className="block truncate font-medium">{p.name}</b>
              <span className="block truncate text-[12.5px] text-soft">
                {[p.team, p.number, p.has_recorder ? "has a recorder" : ""].filter(Boolean).join(", ")}
              </span>
            </button>
          </li>
        ))}
        {people.total === 0 && (
          <li className="px-2.5 py-2 text-soft">{words ? "Nobody of that name yet." : "Nobody is here yet."}</li>
        )}
        <li>
          <More list={people} what="people" />
        </li>
      </ul>
      <div className="border-line border-t px-2.5 py-2">
        <AddPerson name={words} open={adding} setOpen={setAdding} onMade={onChoose} />
      </div>
    </section>
  );
}

function isLate(slip: Schemas["HandOver"]): string {
  if (!slip.expected_at) return "";
  const late = (Date.now() - new Date(slip.expected_at).getTime()) / 60_000;
  if (late < 15) return "";
  return late < 90 ? `${Math.round(late)} min late` : `${Math.round(late / 60)} h late`;
}

function OutNow() {
  const out = useQuery({ queryKey: ["hand-overs"], queryFn: () => ask(api.GET("/api/hand-overs")) });
  const queries = useQueryClient();
  const { fail } = useNotices();
  const back = useMutation({
    mutationFn: (id: string) =>
      ask(api.POST("/api/hand-overs/{hand_over_id}/return", { params: { path: { hand_over_id: id } } })),
    onSuccess: () => queries.invalidateQueries(),
    onError: fail,
  });
  return (
    <>
      <h2 className="mb-2">Out now</h2>
      {out.data?.length === 0 && <p className="text-soft">Every recorder is back.</p>}
      <ul>
        {out.data?.map((slip) => (
          <li key={slip.id} className="flex items-center gap-3 border-line border-t py-2">
            <Token name={slip.token} size="small" away={!slip.in_reach} />
            <span className="min-w-0 flex-1">
              <b className="block truncate font-medium">{slip.person}</b>
              <span className="block text-[12.5px] text-soft">since {since(slip.given_at)}</span>
              <a
                className="inline-block min-h-6 text-[12.5px] text-act hover:underline"
                href={`/api/hand-overs/${slip.id}/leaflet`}
                target="_blank"
                rel="noreferrer"
                aria-label={`Leaflet for ${slip.person}`}
              >
                leaflet
              </a>
            </span>
            <span className="text-right text-[13px]">
              {isLate(slip) ? (
                <Verdict verdict="action level reached" words={isLate(slip)} />
              ) : (
                slip.expected_at && <span className="text-soft">back {clock(slip.expected_at)}</span>
              )}
              <button
                type="button"
                className="block min-h-6 w-full text-right text-act hover:underline"
                onClick={() => back.mutate(slip.id)}
                aria-label={`${slip.token} is back from ${slip.person}`}
              >
                it is back
              </button>
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}

function Ready({
  chosen,
  person,
  onChoose,
}: {
  chosen: number | null;
  person: number | null;
  onChoose: (id: number) => void;
}) {
  const first = useRef<HTMLButtonElement>(null);
  const was = useRef(person);
  // Somebody was chosen: the next step is a recorder.
  useEffect(() => {
    if (person !== null && person !== was.current && chosen === null) first.current?.focus();
    was.current = person;
  }, [person, chosen]);
  const recorders = useQuery({ queryKey: ["recorders"], queryFn: () => ask(api.GET("/api/recorders")) });
  const all = recorders.data ?? [];
  const here = all.filter((r) => r.in_reach && !r.trouble && !r.holder);
  const away = all.filter((r) => !r.in_reach && !r.holder);
  return (
    <>
      <h2 className="mb-2">In reach and ready</h2>
      {recorders.isError && <Trouble error={recorders.error} again={() => recorders.refetch()} />}
      <div className="mb-5 flex flex-wrap gap-2">
        {here.map((r, i) => (
          <button
            key={r.id}
            ref={i === 0 ? first : undefined}
            type="button"
            aria-pressed={r.id === chosen}
            aria-label={`${r.token}, ${r.name}, ${r.place}`}
            title={`${r.name}, ${r.place}, battery ${Math.round((r.battery ?? 0) * 100)} %`}
            onClick={() => onChoose(r.id)}
            className={`rounded-full ${r.id === chosen ? "outline-3 outline-act" : ""}`}
          >
            <Token name={r.token} />
          </button>
        ))}
        {away.map((r) => (
          <span
            key={r.id}
            title={`${r.name}: out of reach${r.seen_at ? `, last seen ${moment(r.seen_at)}` : ""}`}
            role="img"
            aria-label={`${r.token} is out of reach`}
          >
            <Token name={r.token} away />
          </span>
        ))}
        {recorders.isSuccess && here.length === 0 && (
          <p className="text-soft">
            None. Put a recorder in the dock or plug it in; it shows here by itself within a few seconds.
          </p>
        )}
      </div>
    </>
  );
}

export default function HandOut() {
  const [personId, setPerson] = useNumber("person");
  const [recorderId, setRecorder] = useNumber("recorder");
  const person = useQuery({
    queryKey: ["people", "one", personId],
    queryFn: () => ask(api.GET("/api/people/{person_id}", { params: { path: { person_id: personId ?? 0 } } })),
    enabled: personId !== null,
  });
  const recorders = useQuery({ queryKey: ["recorders"], queryFn: () => ask(api.GET("/api/recorders")) });
  const recorder = recorders.data?.find((r) => r.id === recorderId);
  return (
    <main className="grid h-full grid-cols-[190px_minmax(0,1fr)_170px] min-[1020px]:grid-cols-[280px_minmax(420px,1fr)_300px] min-[1240px]:grid-cols-[300px_590px_1fr]">
      <PeopleColumn chosen={personId} onChoose={setPerson} />
      <section aria-label="Slip" className="overflow-auto border-line border-x bg-panel px-5 py-[18px]">
        {personId === null && (
          <Empty title="Who gets a recorder?">
            Choose the person on the left, then a recorder on the right. The slip is written here.
          </Empty>
        )}
        {personId !== null && person.isPending && <Loading what="the person" />}
        {person.isError && !(person.error instanceof Problem && person.error.status === 404) && (
          <Trouble error={person.error} again={() => person.refetch()} />
        )}
        {person.data && (
          <>
            <div className="flex items-baseline gap-2.5">
              <h1 className="truncate">{person.data.name}</h1>
              <span className="whitespace-nowrap text-soft">
                {[person.data.number, person.data.born ? `born ${person.data.born.slice(0, 4)}` : "", person.data.team]
                  .filter(Boolean)
                  .join(", ")}
              </span>
            </div>
            {recorder ? (
              <Slip
                key={`${person.data.id} ${recorder.id}`}
                person={person.data}
                recorder={recorder}
                onDone={() => {
                  setRecorder(null);
                }}
              />
            ) : (
              <Empty title="Which recorder?">
                Choose a token on the right. Those in reach and not with anybody can go out.
              </Empty>
            )}
          </>
        )}
      </section>
      <aside className="overflow-auto px-5 py-[18px]">
        <Ready chosen={recorderId} person={personId} onChoose={setRecorder} />
        <OutNow />
      </aside>
    </main>
  );
}

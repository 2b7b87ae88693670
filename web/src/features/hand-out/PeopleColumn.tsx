import { useEffect, useState } from "react";
import { Button, inputLook, Trouble } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { More, useAddPerson, useEnterWaits, usePeople } from "@/ui/people";

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
  const [place, setPlace] = useState(false);
  useEffect(() => {
    if (!open) return;
    setTyped(name);
    setPlace(false);
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
            add.ask(typed, place);
          }}
        >
          <input
            className={inputLook}
            aria-label="Name"
            placeholder={place ? "mill control room" : "first and last name"}
            value={typed}
            onChange={(e) => setTyped(e.target.value)}
            maxLength={200}
            required
          />
          <label className="flex min-h-7 items-center gap-2">
            <input
              type="checkbox"
              className="size-4 accent-(--act)"
              checked={place}
              onChange={(e) => setPlace(e.target.checked)}
            />
            a place where the recorder stands; nobody wears it
          </label>
          <p className="text-[13px] text-soft">A number is made. Everything else can follow later, in People.</p>
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

/** Everybody, with a way to find and to add somebody. */
export function PeopleColumn({ chosen, onChoose }: { chosen: number | null; onChoose: (id: number) => void }) {
  const [words, setWords] = useState("");
  const [adding, setAdding] = useState(false);
  const people = usePeople(words);
  const only = people.rows[0];
  const enter = useEnterWaits(words, people.isSuccess && !people.isPlaceholderData, () => {
    if (people.total === 0) setAdding(true);
    else if (people.total === 1 && only) onChoose(only.id);
  });
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
            // Else the same key would send off the form that it opens.
            e.preventDefault();
            enter();
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
                {[p.is_place ? "place" : "", p.team, p.number, p.has_recorder ? "has a recorder" : ""]
                  .filter(Boolean)
                  .join(", ")}
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

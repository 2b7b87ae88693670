import { useQuery } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { Button, inputLook } from "./basics";
import { useEnterWaits } from "./people";

export interface PickPerson {
  label: string;
  onPick: (person: Schemas["Person"]) => void;
  look?: "plain" | "quiet";
}

/** The people to choose from under their button, open as soon as it is there. */
export default function PersonList({ label, onPick, look = "plain" }: PickPerson) {
  const [open, setOpen] = useState(true);
  const [words, setWords] = useState("");
  const [at, setAt] = useState(0);
  const people = useQuery({
    queryKey: ["people", words, 12],
    queryFn: () => ask(api.GET("/api/people", { params: { query: { search: words, limit: 12 } } })),
    enabled: open,
  });
  const found = people.data?.people ?? [];
  const pick = (person: Schemas["Person"] | undefined) => {
    if (!person) return;
    onPick(person);
    setOpen(false);
  };
  const enter = useEnterWaits(words, people.isSuccess, () => pick(found[at]));
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button look={look}>{label}</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          aria-label="Choose a person"
          sideOffset={6}
          className="z-50 w-72 rounded-lg border border-line bg-panel p-2 shadow-xl"
        >
          <input
            className={inputLook}
            placeholder="name, number or team"
            aria-label="Find a person"
            value={words}
            onChange={(e) => {
              setWords(e.target.value);
              setAt(0);
            }}
            onKeyDown={(e) => {
              if (e.key === "ArrowDown") setAt(Math.min(at + 1, found.length - 1));
              else if (e.key === "ArrowUp") setAt(Math.max(at - 1, 0));
              else if (e.key === "Enter") enter();
              else return;
              e.preventDefault();
            }}
          />
          <ul className="mt-1 max-h-64 overflow-auto">
            {found.map((p, i) => (
              <li key={p.id}>
                <button
                  type="button"
                  className={`block w-full truncate rounded px-2 py-1.5 text-left ${i === at ? "bg-act-soft" : "hover:bg-hair"}`}
                  onClick={() => pick(p)}
                >
                  <b className="font-medium">{p.name}</b>{" "}
                  <span className="text-soft">
                    {p.is_place ? "place " : ""}
                    {p.number} {p.team}
                  </span>
                </button>
              </li>
            ))}
            {people.isSuccess && found.length === 0 && <li className="px-2 py-1.5 text-soft">Nobody of that name.</li>}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

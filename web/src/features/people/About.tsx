import { useState } from "react";
import type { Schemas } from "@/api/client";
import { CAN_WAIT, CodeChoice, Field, StayChoice, useChangePerson } from "./fields";
import { PersonMedicines } from "./PersonMedicines";

type Person = Schemas["Person"];

const isKnown = (person: Person, key: string) => Boolean(person[key as keyof Person]);

/** Everything about a person that can wait, as one closed line; opened, each fact is kept by itself and stops nothing. */
export function About({ person }: { person: Person }) {
  const [open, setOpen] = useState(false);
  const change = useChangePerson(person.id);
  const missing = CAN_WAIT.filter((f) => !isKnown(person, f.key));
  const first = person.name.split(" ")[0];
  const names = missing.map((f) => f.label.split(",")[0]?.toLowerCase() ?? "");
  const said =
    missing.length === 0
      ? "everything is known"
      : `${names.slice(0, 5).join(", ")}${names.length > 5 ? " and more" : ""}: ${missing.length} of ${CAN_WAIT.length} can wait`;
  return (
    <section aria-label={`About ${first}`} className="mt-3 rounded-md border border-line px-3">
      <button
        type="button"
        aria-expanded={open}
        className="flex min-h-[34px] w-full items-center gap-2 text-left"
        onClick={() => setOpen(!open)}
      >
        <span className="whitespace-nowrap font-medium text-act">
          {open ? "▾" : "▸"} About {first}
        </span>
        {!open && <span className="min-w-0 truncate text-[13px] text-soft">{said}</span>}
      </button>
      {open && (
        <div className="pb-3">
          <div className="grid grid-cols-[84px_minmax(0,1fr)] gap-x-2 gap-y-1.5 min-[1020px]:grid-cols-[84px_minmax(0,1fr)_84px_minmax(0,1fr)]">
            {CAN_WAIT.map((field) => (
              <Field
                key={field.key}
                field={field}
                value={String(person[field.key] ?? "")}
                onKeep={(value) => change.mutateAsync({ [field.key]: value } as Schemas["PersonChange"])}
              />
            ))}
            <StayChoice person={person} onKeep={(stay) => change.mutate({ stay } as Schemas["PersonChange"])} />
          </div>
          <PersonMedicines person={person.id} />
          <div className="mt-2">
            <CodeChoice person={person} />
          </div>
        </div>
      )}
    </section>
  );
}

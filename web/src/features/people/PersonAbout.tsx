import { useState } from "react";
import type { Schemas } from "@/api/client";
import { CLINIC, CodeChoice, FIELDS, Field, OF_PLACES, StayChoice, useChangePerson } from "./fields";
import { PersonMedicines } from "./PersonMedicines";

/** What is known of somebody, folded: of somebody new the form is what one came for, of all others their sessions are. */
export function PersonAbout({ person: data, isNew }: { person: Schemas["Person"]; isNew: boolean }) {
  const change = useChangePerson(data.id);
  const [wished, setOpen] = useState<boolean | null>(null);
  const fields = data.is_place ? OF_PLACES : [...FIELDS.filter((f) => f.key !== "name" || !data.real_name), ...CLINIC];
  const known = fields.filter((f) => data[f.key]).length;
  const open = wished ?? isNew;

  return (
    <section aria-label="About" className="mt-2 rounded-md border border-line px-3">
      <button
        type="button"
        aria-expanded={open}
        className="flex min-h-[34px] w-full items-center gap-2 text-left"
        onClick={() => setOpen(!open)}
      >
        <span className="whitespace-nowrap font-medium text-act">{open ? "▾" : "▸"} About</span>
        <span className="min-w-0 truncate text-[13px] text-soft" role="status">
          {change.isPending
            ? "keeping …"
            : change.isSuccess
              ? "kept"
              : `${known} of ${fields.length} facts known${data.is_place ? "" : ", medicines"}`}
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
            {!data.is_place && (
              <StayChoice person={data} onKeep={(stay) => change.mutate({ stay } as Schemas["PersonChange"])} />
            )}
          </div>
          {!data.is_place && (
            <>
              <div className="mt-2">
                <CodeChoice person={data} />
              </div>
              <PersonMedicines person={data.id} />
            </>
          )}
        </div>
      )}
    </section>
  );
}

import { useState } from "react";
import type { Schemas } from "@/api/client";
import { Button, inputLook } from "@/ui/basics";

type Candidate = Schemas["Candidate"];

/** Each their own report by e-mail: addresses that are missing or new are asked about before anything goes. */
export function MailEach({
  chosen,
  mail,
  onMail,
}: {
  chosen: Candidate[];
  mail: Record<number, string> | null;
  onMail: (mail: Record<number, string> | null) => void;
}) {
  const [all, setAll] = useState(false);
  const people = [
    ...new Map(chosen.flatMap((c) => (c.person_id === null || c.is_place ? [] : [[c.person_id, c] as const]))).values(),
  ];
  const known = people.filter((c) => c.address && !c.is_new);
  const asked = people.filter((c) => !c.address || c.is_new);
  const begin = () => onMail(Object.fromEntries(known.map((c) => [c.person_id as number, c.address])));
  const put = (person: number, to: string | null) => {
    const now = { ...mail };
    if (to === null) delete now[person];
    else now[person] = to;
    onMail(now);
  };
  return (
    <fieldset className="mt-2">
      <label className="flex min-h-7 items-center gap-2">
        <input
          type="checkbox"
          className="size-4 accent-(--act)"
          checked={mail !== null}
          onChange={(event) => (event.target.checked ? begin() : onMail(null))}
        />
        by e-mail, each their own
      </label>
      {mail && (
        <div className="grid gap-1.5 text-[13px]">
          <span>
            {known.length} address{known.length === 1 ? "" : "es"} known{" "}
            {known.length > 0 && (
              <Button look="quiet" size="small" aria-expanded={all} onClick={() => setAll(!all)}>
                see all
              </Button>
            )}
          </span>
          {all &&
            known.map((c) => (
              <span key={c.person_id} className="flex gap-2">
                <span className="min-w-0 flex-1 truncate">{c.name}</span>
                <span className="text-soft">{c.address}</span>
              </span>
            ))}
          {asked.map((c) => {
            const person = c.person_id as number;
            const goes = mail[person] !== undefined;
            return (
              <div key={person} className="border-hair border-t pt-1">
                <label className="flex items-center gap-2">
                  <input
                    type="checkbox"
                    className="size-4 accent-(--act)"
                    checked={goes}
                    onChange={(event) => put(person, event.target.checked ? c.address : null)}
                  />
                  <b className="min-w-0 flex-1 truncate font-medium">{c.name}</b>
                  <span className="text-soft">{c.address ? "new: right?" : "none known"}</span>
                </label>
                {goes && (
                  <input
                    type="email"
                    aria-label={`E-mail address of ${c.name}`}
                    className={`${inputLook} mt-1`}
                    placeholder="name@tarnfels.example"
                    value={mail[person]}
                    maxLength={254}
                    onChange={(event) => put(person, event.target.value)}
                  />
                )}
                {!goes && c.address && <span className="block text-soft">{c.address}</span>}
              </div>
            );
          })}
        </div>
      )}
    </fieldset>
  );
}

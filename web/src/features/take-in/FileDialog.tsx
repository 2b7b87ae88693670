import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Problem, type Schemas } from "@/api/client";
import { useKindWords } from "@/kinds/kinds";
import { Button, inputLook } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { PersonPicker } from "@/ui/person-picker";

async function send(file: File, kind: string, personId: number | null): Promise<Schemas["Session"]> {
  const query = new URLSearchParams({
    name: file.name,
    ...(kind && { kind }),
    ...(personId && { person_id: String(personId) }),
  });
  const answer = await fetch(`/api/files?${query}`, {
    method: "POST",
    body: file,
    headers: { "content-type": "application/octet-stream" },
  }).catch(() => {
    throw new Problem(0, "offline", "The server does not answer. Nothing was stored; try again when it is back.");
  });
  const body = await answer.json().catch(() => ({}));
  if (!answer.ok) throw new Problem(answer.status, body.code ?? "problem", body.detail ?? "The file was not taken in.");
  return body as Schemas["Session"];
}

/** A file from elsewhere: of whom, of which kind; then it goes the way of every session. */
export function FileDialog({
  file,
  onClose,
  onStored,
}: {
  file: File;
  onClose: () => void;
  onStored: (session: Schemas["Session"]) => void;
}) {
  const kinds = useKindWords().data ?? [];
  const [kind, setKind] = useState("");
  const [person, setPerson] = useState<Schemas["Person"] | null>(null);
  const take = useMutation({ mutationFn: () => send(file, kind, person?.id ?? null), onSuccess: onStored });
  const size =
    file.size > 1e6 ? `${(file.size / 1e6).toFixed(1)} MB` : `${Math.max(Math.round(file.size / 1e3), 1)} kB`;
  return (
    <Dialog title="Take a file in" open onClose={() => !take.isPending && onClose()}>
      <div className="grid gap-3">
        <p className="truncate">
          <b className="font-medium">{file.name}</b> <span className="text-soft">{size}</span>
        </p>
        <div className="flex items-center gap-2">
          <span className="w-16 text-soft">Person</span>
          {person ? (
            <>
              <b className="font-medium">{person.name}</b>
              <Button look="quiet" size="small" onClick={() => setPerson(null)}>
                nobody yet
              </Button>
            </>
          ) : (
            <PersonPicker label="Whose is it?" onPick={setPerson} />
          )}
        </div>
        <label className="flex items-center gap-2">
          <span className="w-16 text-soft">Kind</span>
          <select className={inputLook} value={kind} onChange={(e) => setKind(e.target.value)}>
            <option value="">as the file says</option>
            {kinds.map((k) => (
              <option key={k.key} value={k.key}>
                {k.name}
              </option>
            ))}
          </select>
        </label>
        {take.isError && (
          <p role="alert" className="text-above">
            {take.error.message}
          </p>
        )}
        <div className="flex gap-2">
          <Button look="primary" disabled={take.isPending} onClick={() => take.mutate()}>
            {take.isPending
              ? "Reading and storing …"
              : person
                ? `Take in for ${person.name}`
                : "Take in, for nobody yet"}
          </Button>
          <Button look="quiet" disabled={take.isPending} onClick={onClose}>
            Cancel
          </Button>
        </div>
        <p className="text-[13px] text-soft">
          Recording files, CSV, EDF, GPX and Parquet are read. The file itself stays where it is.
        </p>
      </div>
    </Dialog>
  );
}

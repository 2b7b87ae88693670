import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import type { Assessed } from "@/sheet/assessed";
import { Heading } from "@/sheet/Heading";
import { Button, inputLook } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";

/** "08:10, 20.00 21" as times one by one. */
export const timesOf = (text: string) => text.split(/[\s,;]+/).filter(Boolean);

/** What somebody takes, as it is noted: for this person from a day on. */
export function MedicineDialog({
  personId,
  since,
  row,
  onClose,
}: {
  personId: number;
  /** The day that is proposed, as YYYY-MM-DD. */
  since: string;
  /** The medicine whose dose changes; else a new one is noted. */
  row?: Schemas["Medicine"];
  onClose: () => void;
}) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const [name, setName] = useState(row?.name ?? "");
  const [dose, setDose] = useState(row?.dose ?? "");
  const [times, setTimes] = useState(row?.times.join(", ") ?? "");
  const [from, setFrom] = useState(since);
  const note = useMutation({
    mutationFn: () =>
      row
        ? ask(
            api.POST("/api/medicines/{medicine_id}/dose", {
              params: { path: { medicine_id: row.id } },
              body: { dose, times: timesOf(times), since: from || since },
            }),
          )
        : ask(
            api.POST("/api/people/{person_id}/medicines", {
              params: { path: { person_id: personId } },
              body: { name, dose, times: timesOf(times), since: from || null },
            }),
          ),
    onSuccess: () => {
      queries.invalidateQueries({ queryKey: ["people", "medicines"] });
      onClose();
    },
    onError: fail,
  });
  const field = (label: string, value: string, put: (text: string) => void, hint: string, rest = {}) => (
    <label className="grid gap-1 text-[13px] text-soft">
      {label}
      <input className={inputLook} placeholder={hint} value={value} onChange={(e) => put(e.target.value)} {...rest} />
    </label>
  );
  return (
    <Dialog title={row ? `Another dose of ${row.name}` : "A medicine"} open onClose={onClose}>
      <form
        className="grid gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (name.trim()) note.mutate();
        }}
      >
        {!row && field("Medicine", name, setName, "ramipril", { maxLength: 80, required: true })}
        <div className="grid grid-cols-2 gap-3">
          {field("Dose", dose, setDose, "5 mg", { maxLength: 40 })}
          {field("At", times, setTimes, "08:10, 20:00", { maxLength: 80 })}
        </div>
        {field(row ? "From" : "Since, empty where nobody knows", from, setFrom, "", { type: "date" })}
        <div>
          <Button look="primary" type="submit" disabled={!name.trim() || note.isPending}>
            {row ? "Note the new dose" : "Note it"}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

/** What the person took on the days of this recording. */
export function Medicines({ review }: { review: Assessed }) {
  const { session } = review;
  const [adding, setAdding] = useState(false);
  const taken = useQuery({
    queryKey: ["people", "medicines", "session", session.id, session.person_id],
    queryFn: () =>
      ask(api.GET("/api/sessions/{session_id}/medicines", { params: { path: { session_id: session.id } } })),
  });
  if (session.person_id === null) return null;
  return (
    <>
      <Heading>Medicines</Heading>
      <ul className="text-[13px]">
        {taken.data?.map((m) => (
          <li key={m.id} className="flex justify-between gap-2 border-hair border-t py-1">
            <span className="min-w-0 truncate">{`${m.name} ${m.dose}`}</span>
            <span className="text-soft">{m.times.join(", ")}</span>
          </li>
        ))}
      </ul>
      {taken.data?.length === 0 && <p className="text-[13px] text-soft">None noted for these days.</p>}
      <button type="button" className="min-h-6 text-[13px] text-act hover:underline" onClick={() => setAdding(true)}>
        add a medicine
      </button>
      {adding && (
        <MedicineDialog
          personId={session.person_id}
          since={session.started_at.slice(0, 10)}
          onClose={() => setAdding(false)}
        />
      )}
    </>
  );
}

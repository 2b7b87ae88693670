import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { MedicineDialog } from "@/features/review/panel/Medicines";
import { Button } from "@/ui/basics";
import { DateField } from "@/ui/date-field";
import { today } from "@/ui/days";
import { Dialog } from "@/ui/dialog";
import { dayMonth } from "@/ui/format";
import { useNotices } from "@/ui/notices";

type Medicine = Schemas["Medicine"];

const onDay = (iso: string) => dayMonth(`${iso}T12:00:00`);

function days(m: Medicine): string {
  if (m.since && m.until) return `${onDay(m.since)} to ${onDay(m.until)}`;
  if (m.until) return `until ${onDay(m.until)}`;
  return m.since ? `since ${onDay(m.since)}` : "";
}

/** What is done to a medicine: another dose, its end, a mistake. */
function Change({ row, person, onClose }: { row: Medicine; person: number; onClose: () => void }) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const [dosing, setDosing] = useState(false);
  const [until, setUntil] = useState(today);
  const done = () => {
    for (const key of [["people", "medicines"], ["years"]]) queries.invalidateQueries({ queryKey: key });
    onClose();
  };
  const path = { medicine_id: row.id };
  const end = useMutation({
    mutationFn: (on: string | null) =>
      ask(api.PUT("/api/medicines/{medicine_id}/end", { params: { path }, body: { until: on } })),
    onSuccess: done,
    onError: fail,
  });
  const remove = useMutation({
    mutationFn: () => ask(api.DELETE("/api/medicines/{medicine_id}", { params: { path } })),
    onSuccess: done,
    onError: fail,
  });
  if (dosing) return <MedicineDialog personId={person} since={today()} row={row} onClose={onClose} />;
  return (
    <Dialog title={`${row.name} ${row.dose}`} open onClose={onClose}>
      <div className="grid gap-3">
        {row.until === null ? (
          <>
            <Button onClick={() => setDosing(true)}>Another dose or other times …</Button>
            <span className="flex flex-wrap items-end gap-2">
              <span className="grid gap-1 text-[13px] text-soft">
                Not taken any more from
                <DateField label="Not taken any more from" value={until} onChange={setUntil} />
              </span>
              <Button disabled={!until} onClick={() => end.mutate(until)}>
                It ends
              </Button>
            </span>
          </>
        ) : (
          <Button onClick={() => end.mutate(null)}>It is still taken</Button>
        )}
        <Button look="danger" onClick={() => remove.mutate()}>
          Noted by mistake, take it away
        </Button>
        <p className="text-[13px] text-soft">What was signed keeps what was noted then.</p>
      </div>
    </Dialog>
  );
}

/** What somebody takes, and took: each dose with its days. */
export function PersonMedicines({ person }: { person: number }) {
  const [adding, setAdding] = useState(false);
  const [changing, setChanging] = useState<Medicine | null>(null);
  const medicines = useQuery({
    queryKey: ["people", "medicines", person],
    queryFn: () => ask(api.GET("/api/people/{person_id}/medicines", { params: { path: { person_id: person } } })),
  });
  const rows = medicines.data ?? [];
  return (
    <section aria-label="Medicines">
      <div className="mt-4 flex items-baseline justify-between">
        <h2>Medicines</h2>
        <Button look="quiet" size="small" onClick={() => setAdding(true)}>
          add a medicine
        </Button>
      </div>
      {medicines.isSuccess && rows.length === 0 && <p className="text-[13px] text-soft">None noted.</p>}
      <ul className="text-[13px]">
        {rows.map((m) => (
          <li
            key={m.id}
            className={`flex items-baseline gap-2 border-hair border-t py-1 ${m.until ? "text-soft" : ""}`}
          >
            <span className="min-w-0 flex-1 truncate">{[m.name, m.dose].filter(Boolean).join(" ")}</span>
            <span className="text-soft">{m.times.join(", ")}</span>
            <span className="text-soft">{days(m)}</span>
            <button
              type="button"
              className="min-h-6 text-act hover:underline"
              aria-label={`Change ${m.name} ${m.dose}`}
              onClick={() => setChanging(m)}
            >
              change
            </button>
          </li>
        ))}
      </ul>
      {adding && <MedicineDialog personId={person} since={today()} onClose={() => setAdding(false)} />}
      {changing && <Change row={changing} person={person} onClose={() => setChanging(null)} />}
    </section>
  );
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { Button, Field, inputLook } from "@/ui/basics";
import { DateField } from "@/ui/date-field";
import { today } from "@/ui/days";
import { Dialog } from "@/ui/dialog";
import { numberOf } from "@/ui/entry";
import { number } from "@/ui/format";
import { useNotices } from "@/ui/notices";

type Typed = Record<"mass" | "blank" | "volume" | "reading" | "weighing" | "air", string>;
const FIELDS: [keyof Typed, string, string, number][] = [
  ["mass", "Loaded filter", "mg", 0],
  ["blank", "Blank", "mg", -10_000],
  ["volume", "Air drawn", "m³", 0.000_001],
  ["reading", "Read, before any factor", "mg/m³", 0.000_001],
  ["weighing", "± of one weighing", "mg", 0],
  ["air", "± of the air", "%", 0],
];

/** The filter as it was typed; null while something of it is missing or no number. */
function filterOf(typed: Typed): Schemas["LoadedFilter"] | null {
  const values = FIELDS.map(([key, , unit, low]) => numberOf(typed[key], { unit, low }));
  const [mass, blank, volume, reading, weighing, air] = values.map((v) => ("wrong" in v ? null : v.value));
  if (mass == null || blank == null || volume == null || reading == null || weighing == null || air == null)
    return null;
  return { mass_mg: mass, blank_mg: blank, volume_m3: volume, reading, u_mass_mg: weighing, u_volume: air / 100 };
}

const withError = (f: { factor: number; expanded: number }) => `${number(f.factor, 2)} ± ${number(f.expanded, 2)}`;

/** A factor from a filter loaded beside the monitor: computed while it is typed, kept for days, decided for sessions that are there. */
export function FilterDialog({
  recorder,
  token,
  reading,
  day,
  onClose,
}: {
  recorder: number;
  token: string;
  /** What this session read on the mean, before any factor. */
  reading: number | null;
  /** The day of this session. */
  day: string;
  onClose: () => void;
}) {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const [typed, setTyped] = useState<Typed>({
    mass: "",
    blank: "",
    volume: "",
    reading: reading === null ? "" : String(Number(reading.toPrecision(4))),
    weighing: "0.01",
    air: "5",
  });
  const [since, setSince] = useState(day);
  const [until, setUntil] = useState("");
  const [note, setNote] = useState("");
  const [kept, setKept] = useState<Schemas["KeptFactor"] | null>(null);
  const known = useQuery({
    queryKey: ["filter-factors", recorder],
    queryFn: () =>
      ask(api.GET("/api/recorders/{recorder_id}/filter-factors", { params: { path: { recorder_id: recorder } } })),
  });
  const filter = filterOf(typed);
  const found = useQuery({
    queryKey: ["filter-factor", filter],
    queryFn: () => ask(api.POST("/api/filter-factor", { body: filter as Schemas["LoadedFilter"] })),
    enabled: filter !== null,
    retry: false,
  });
  const refresh = () => void queries.invalidateQueries({ queryKey: ["filter-factors", recorder] });
  const keep = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/recorders/{recorder_id}/filter-factors", {
          params: { path: { recorder_id: recorder } },
          body: { ...(filter as Schemas["LoadedFilter"]), since, note, ...(until ? { until } : {}) },
        }),
      ),
    onSuccess: (made) => {
      refresh();
      say(`${token}: factor ${withError(made.kept)} from ${made.kept.since} on.`);
      if (made.there.length) setKept(made);
      else onClose();
    },
    onError: fail,
  });
  const apply = useMutation({
    mutationFn: (made: Schemas["KeptFactor"]) =>
      ask(
        api.POST("/api/filter-factors/{factor_id}/apply", {
          params: { path: { factor_id: made.kept.id } },
          body: { sessions: made.there },
        }),
      ),
    onSuccess: ({ done, signed }) => {
      say(`${done.length} decided${signed.length ? `, ${signed.length} signed off and left` : ""}.`);
      void queries.invalidateQueries();
      onClose();
    },
    onError: fail,
  });
  const end = useMutation({
    mutationFn: (factor: Schemas["FilterFactor"]) =>
      ask(api.POST("/api/filter-factors/{factor_id}/end", { params: { path: { factor_id: factor.id } }, body: {} })),
    onSuccess: refresh,
    onError: fail,
  });
  if (kept)
    return (
      <Dialog title="Sessions that are there already" open onClose={onClose}>
        <p>
          {kept.there.length} {kept.there.length === 1 ? "session" : "sessions"} of {token} from these days{" "}
          {kept.there.length === 1 ? "is" : "are"} not signed. New ones get the factor {number(kept.kept.factor, 2)} by
          themselves; these stay as they are until it is decided for them. One undo takes it back in each.
        </p>
        <div className="mt-3 flex gap-2">
          <Button look="primary" disabled={apply.isPending} onClick={() => apply.mutate(kept)}>
            Decide it for {kept.there.length === 1 ? "it" : `all ${kept.there.length}`}
          </Button>
          <Button onClick={onClose}>Leave them</Button>
        </div>
      </Dialog>
    );
  return (
    <Dialog title={`Factor of ${token} from a filter`} open onClose={onClose}>
      <form
        className="grid gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (filter && found.data) keep.mutate();
        }}
      >
        {(known.data?.factors ?? []).map((f) => (
          <p key={f.id} className="flex items-center gap-2 text-[13px]">
            <b className="font-semibold">{withError(f)}</b> from {f.since}
            {f.until ? ` to ${f.until}` : ""}
            {f.note && <span className="text-soft">{f.note}</span>}
            <button
              type="button"
              className="ml-auto min-h-6 text-act hover:underline"
              disabled={end.isPending}
              onClick={() => end.mutate(f)}
            >
              take back
            </button>
          </p>
        ))}
        <div className="grid grid-cols-2 gap-3">
          {FIELDS.map(([key, label, unit]) => (
            <Field key={key} label={`${label}, ${unit}`}>
              <input
                className={inputLook}
                inputMode="decimal"
                value={typed[key]}
                onChange={(e) => setTyped({ ...typed, [key]: e.target.value })}
              />
            </Field>
          ))}
          <Field label="From">
            <DateField value={since} required latest={today()} onChange={setSince} />
          </Field>
          <Field label="To (empty: from then on)">
            <DateField value={until} onChange={setUntil} />
          </Field>
        </div>
        <Field label="Note">
          <input className={inputLook} value={note} maxLength={200} onChange={(e) => setNote(e.target.value)} />
        </Field>
        <p role="status" className="min-h-6">
          {found.error ? (
            <span className="text-above">{found.error.message}</span>
          ) : found.data && filter ? (
            <>
              on the filter {number(found.data.concentration, 4)} mg/m³, read {number(filter.reading, 4)}: factor{" "}
              <b className="font-semibold">{withError(found.data)}</b> <span className="text-soft">(k = 2)</span>
            </>
          ) : (
            <span className="text-soft">Net mass by air, over what was read.</span>
          )}
        </p>
        <div>
          <Button look="primary" type="submit" disabled={!filter || !found.data || keep.isPending}>
            Keep for {token}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

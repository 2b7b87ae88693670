import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { isRead, readText, readUnit } from "@/api/readers";
import { Refused } from "@/ui/basics";
import { dayOf, dayWords } from "@/ui/days";
import { type Entry, numberOf, wallTimeOf } from "@/ui/entry";
import { useNotices } from "@/ui/notices";
import { useTyped } from "@/ui/typed";

export interface FieldWish {
  key: keyof Schemas["PersonChange"];
  label: string;
  type: "text" | "date" | "number";
  /** The unit that a number is kept in. */
  unit?: string;
  parse?: (text: string) => Entry | { value: string | null };
}

const HEIGHT = {
  unit: "cm",
  read: true,
  also: { cm: 1, m: 100, mm: 0.1, in: 2.54, inches: 2.54 },
  low: 21,
  high: 299,
  empty: true,
};
const WEIGHT = {
  unit: "kg",
  read: true,
  also: { kg: 1, g: 0.001, lb: 0.45359237, lbs: 0.45359237 },
  low: 1,
  high: 499,
  empty: true,
};

/** "1,72" can only be metres; feet and inches are typed as 5'11". */
function heightOf(text: string): Entry {
  const feet = /^(\d)\s*(?:'|ft|feet)\s*(\d{1,2}(?:[.,]\d+)?)?\s*(?:"|''|in|inches)?$/.exec(text.trim());
  if (feet)
    return numberOf(`${Number(feet[1]) * 30.48 + Number((feet[2] ?? "0").replace(",", ".")) * 2.54} cm`, HEIGHT);
  const entry = numberOf(text, HEIGHT);
  const plain = numberOf(text, { ...HEIGHT, low: 0.4, high: 2.99 });
  if ("wrong" in entry && "value" in plain && plain.value !== null)
    return { value: Math.round(plain.value * 1000) / 10 };
  return entry;
}

function bornOf(text: string): { value: string | null } | { wrong: string } {
  const day = dayOf(text);
  return day === null ? { wrong: "This is no day: 12 sep 1984 is one." } : { value: day || null };
}

const wholeOf = (text: string, low: number, high: number): Entry => {
  const entry = numberOf(text, { unit: "/min", low, high, empty: true });
  return "value" in entry && entry.value !== null ? { value: Math.round(entry.value) } : entry;
};

export type Stay = Schemas["Person"]["stay"];

/** Facts of the register that everybody has. */
export const FIELDS: FieldWish[] = [
  { key: "name", label: "Name", type: "text" },
  { key: "number", label: "Number", type: "text" },
  { key: "team", label: "Team", type: "text" },
  { key: "born", label: "Born", type: "date", parse: bornOf },
  { key: "sex", label: "Sex", type: "text" },
  { key: "height_cm", label: "Height", unit: "cm", type: "number", parse: heightOf },
  { key: "weight_kg", label: "Weight", unit: "kg", type: "number", parse: (t) => numberOf(t, WEIGHT) },
  { key: "gets_up", label: "Gets up at", type: "text", parse: wallTimeOf },
  { key: "goes_to_bed", label: "To bed at", type: "text", parse: wallTimeOf },
  { key: "heart_rate_highest", label: "Highest pulse", type: "number", parse: (t) => wholeOf(t, 100, 240) },
  { key: "heart_rate_resting", label: "Resting pulse", type: "number", parse: (t) => wholeOf(t, 25, 110) },
  { key: "contact", label: "Contact", type: "text" },
  { key: "notes", label: "Notes", type: "text" },
];

/** What a clinic knows of somebody; can be added weeks later. */
export const CLINIC: FieldWish[] = [
  { key: "doctor", label: "Doctor", type: "text" },
  { key: "clinic", label: "Clinic", type: "text" },
  { key: "complaint", label: "Complaint", type: "text" },
];

/** What is known of a place where recorders stand. */
export const OF_PLACES: FieldWish[] = FIELDS.filter((f) =>
  ["name", "number", "team", "contact", "notes"].includes(f.key),
);

/** What can wait when somebody gets a recorder. */
export const CAN_WAIT: FieldWish[] = [
  ...FIELDS.filter((f) => ["born", "sex", "height_cm", "weight_kg", "contact", "notes"].includes(f.key)),
  ...CLINIC,
];
const NEEDED = ["name", "number"];

/** One fact: kept when the field is left. */
export function Field({
  field: { key, label, type, parse, unit },
  value,
  onKeep,
}: {
  field: FieldWish;
  value: string;
  onKeep: (value: string | number | null) => Promise<unknown>;
}) {
  const read = (kept: string | number | null) =>
    unit && kept !== "" && kept !== null ? readText(Number(kept), unit) : String(kept ?? "");
  const { text, awaited, typed, type: setText, forget, send } = useTyped(read(value));
  const [wrong, setWrong] = useState<string | null>(null);
  const commit = () => {
    if (typed === null) return;
    const entry: Entry | { value: string | null } = parse
      ? parse(typed)
      : NEEDED.includes(key) && !typed.trim()
        ? { wrong: `A ${key} is needed.` }
        : { value: typed.trim() };
    // What cannot be taken stays in the field with the reason beside it; what was on record stays on record.
    if ("wrong" in entry) return setWrong(entry.wrong);
    setWrong(null);
    const shown = read(entry.value);
    // In other units two heights may look alike: what is kept decides.
    if (unit && isRead(unit) ? String(entry.value ?? "") === value : shown === awaited) return forget();
    const answer = onKeep(entry.value).then(
      () => true,
      (error: Error) => {
        setWrong(error.message);
        return false;
      },
    );
    send(shown, answer, typed);
  };
  return (
    <div className="contents">
      <label htmlFor={`person-${key}`} className="pt-1 text-soft">
        {unit ? `${label}, ${readUnit(unit)}` : label}
      </label>
      <span>
        <input
          id={`person-${key}`}
          type="text"
          inputMode={type === "number" ? "decimal" : undefined}
          className={`min-h-7 w-full border-0 border-b bg-transparent hover:border-soft ${wrong ? "border-above" : "border-line"}`}
          aria-invalid={wrong !== null}
          value={type === "date" && typed === null ? dayWords(text) : text}
          onChange={(e) => setText(e.target.value)}
          onBlur={commit}
          onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
        />
        <Refused why={wrong} />
      </span>
    </div>
  );
}

type Person = Schemas["Person"];

/** Changes facts of a person, each by itself. */
export function useChangePerson(id: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["PersonChange"]) =>
      ask(api.PATCH("/api/people/{person_id}", { params: { path: { person_id: id } }, body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["people"] }),
  });
}

const STAYS: [Stay, string][] = [
  ["", "not said"],
  ["out-patient", "out-patient"],
  ["in-patient", "in-patient"],
];

/** Whether somebody stays in the clinic. */
export function StayChoice({ person, onKeep }: { person: Person; onKeep: (stay: Stay) => void }) {
  return (
    <div className="contents">
      <label htmlFor="person-stay" className="pt-1 text-soft">
        Comes as
      </label>
      <select
        id="person-stay"
        className="min-h-7 border-0 border-line border-b bg-transparent"
        value={person.stay}
        onChange={(e) => onKeep(e.target.value as Stay)}
      >
        {STAYS.map(([value, words]) => (
          <option key={value} value={value}>
            {words}
          </option>
        ))}
      </select>
    </div>
  );
}

/** A made-up code in place of the name, wherever that would stand. */
export function CodeChoice({ person }: { person: Person }) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const put = useMutation({
    mutationFn: (coded: boolean) =>
      ask(api.PUT("/api/people/{person_id}/code", { params: { path: { person_id: person.id } }, body: { coded } })),
    onSettled: () => queries.invalidateQueries(),
    onError: fail,
  });
  const coded = person.real_name !== "";
  return (
    <label className="flex min-h-7 items-start gap-2 text-[13px]">
      <input
        type="checkbox"
        className="mt-0.5 size-4 accent-(--act)"
        checked={coded}
        disabled={put.isPending}
        onChange={(e) => put.mutate(e.target.checked)}
      />
      <span>
        a code instead of the name everywhere
        <span className="block text-soft">
          {coded
            ? `${person.name} stands for ${person.real_name} on screens, recorders, paper, in files and mail.`
            : "on screens, recorders, paper, in files and mail; the name is then seen here only"}
        </span>
      </span>
    </label>
  );
}

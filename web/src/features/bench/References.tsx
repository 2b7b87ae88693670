import { useState } from "react";
import { Button, Field, inputLook, Verdict } from "@/ui/basics";
import { DateField } from "@/ui/date-field";
import { Dialog } from "@/ui/dialog";
import { number } from "@/ui/format";
import { type Reference, useBenchDeeds } from "./useBench";

const KINDS: [string, string, string][] = [
  ["bottle", "bottle of gas", "co 100, h2s 25, o2 18, lel 50"],
  ["calibrator", "acoustic calibrator", "microphone 94"],
  ["manometer", "manometer", ""],
  ["simulator", "finger simulator", ""],
  ["flow meter", "flow meter", ""],
];

/** "co 100, h2s 25" as values by sensor; null where something of it is not understood. */
export function heldOf(text: string): Record<string, number> | null {
  const found: Record<string, number> = {};
  for (const part of text.split(/[,;\n]+/).map((each) => each.trim())) {
    if (!part) continue;
    const [, key, value] = /^([A-Za-z][\w.]*)\s+(-?\d+(?:\.\d+)?)$/.exec(part) ?? [];
    if (!key || value === undefined) return null;
    found[key.toLowerCase()] = Number(value);
  }
  return Object.keys(found).length ? found : null;
}

function AddReference({ onClose }: { onClose: () => void }) {
  const { add } = useBenchDeeds();
  const [what, setWhat] = useState(KINDS[0]?.[0] ?? "");
  const [typed, setTyped] = useState({ name: "", lot: "", holds: "", left: "", certificate: "" });
  const [expires, setExpires] = useState("");
  const [due, setDue] = useState("");
  // What others show is typed when it is read.
  const holds = KINDS.find(([key]) => key === what)?.[2] ?? "";
  const held = holds ? heldOf(typed.holds) : {};
  const left = typed.left.trim() ? Number(typed.left) : null;
  const isRight = held !== null && typed.name.trim() !== "" && (left === null || Number.isInteger(left));
  const field = (key: keyof typeof typed, label: string, placeholder = "") => (
    <Field label={label}>
      <input
        className={inputLook}
        placeholder={placeholder}
        value={typed[key]}
        maxLength={120}
        onChange={(e) => setTyped({ ...typed, [key]: e.target.value })}
      />
    </Field>
  );
  return (
    <Dialog title="A reference" open onClose={onClose}>
      <form
        className="grid gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (!isRight || !held) return;
          add.mutate(
            {
              what,
              name: typed.name,
              lot: typed.lot,
              holds: held,
              certificate: typed.certificate,
              ...(left === null ? {} : { left }),
              ...(expires ? { expires } : {}),
              ...(due ? { certificate_due: due } : {}),
            },
            { onSuccess: onClose },
          );
        }}
      >
        <Field label="What it is">
          <select className={inputLook} value={what} onChange={(e) => setWhat(e.target.value)}>
            {KINDS.map(([key, words]) => (
              <option key={key} value={key}>
                {words}
              </option>
            ))}
          </select>
        </Field>
        <div className="grid grid-cols-2 gap-3">
          {field("name", "Name", "Mix A")}
          {field("lot", "Lot or serial number")}
        </div>
        {holds && field("holds", "What it holds, in the unit of each sensor", holds)}
        {holds && typed.holds && !held && (
          <p className="text-[13px] text-above">Write each as “co 100”, with commas between.</p>
        )}
        <div className="grid grid-cols-2 gap-3">
          {field("left", "Tests left in it", "empty: does not run out")}
          <Field label="Expires">
            <DateField value={expires} onChange={setExpires} />
          </Field>
        </div>
        <div className="grid grid-cols-2 gap-3">
          {field("certificate", "Its own certificate")}
          <Field label="That is due again">
            <DateField value={due} onChange={setDue} />
          </Field>
        </div>
        <div>
          <Button look="primary" type="submit" disabled={!isRight || add.isPending}>
            Add it
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

const FEW = 12;

/** What sensors are held against: what is left, lot, until when; what cannot be used says why. */
export function References({ all }: { all: Reference[] }) {
  const { remove } = useBenchDeeds();
  const [adding, setAdding] = useState(false);
  return (
    <section aria-label="References" className="flex flex-wrap items-center gap-x-5 gap-y-1 text-[13px]">
      <b className="font-semibold">References</b>
      {all.map((each) => (
        <span key={each.id} className="flex items-center gap-1.5">
          <b className="font-semibold">{each.name}</b>
          <span>
            {Object.entries(each.holds)
              .map(([key, value]) => `${key.toUpperCase()} ${number(value, value % 1 ? 1 : 0)}`)
              .join(", ")}
          </span>
          <span className="text-soft">
            {[
              each.lot && `lot ${each.lot}`,
              each.expires && `to ${each.expires}`,
              each.certificate_due && `certificate to ${each.certificate_due}`,
            ]
              .filter(Boolean)
              .join(", ")}
          </span>
          {each.wrong ? (
            <Verdict verdict="above limit" words={each.wrong} />
          ) : each.left !== null && each.left <= FEW ? (
            <Verdict verdict="action level reached" words={`enough for ${each.left} tests`} />
          ) : null}
          <button
            type="button"
            aria-label={`Take ${each.name} off the register`}
            title="Take it off the register"
            className="min-h-6 min-w-6 text-soft hover:text-ink"
            onClick={() => remove.mutate(each.id)}
          >
            ×
          </button>
        </span>
      ))}
      {all.length === 0 && (
        <span className="text-soft">none yet: bottles, calibrators, manometers are put here once.</span>
      )}
      <button type="button" className="min-h-6 text-act hover:underline" onClick={() => setAdding(true)}>
        add one …
      </button>
      {adding && <AddReference onClose={() => setAdding(false)} />}
    </section>
  );
}

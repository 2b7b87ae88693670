import { useState } from "react";
import { readText, readUnit } from "@/api/readers";
import { Refused } from "@/ui/basics";
import { enteredNumber, enteredText, isNumber } from "./entered";
import { asHours, type SetupField } from "./settings";

/** `bare`: in a table, where the unit stands elsewhere and a yes or no is a tick. */
export function FieldInput({
  field,
  bare = false,
  onChange,
}: {
  field: SetupField;
  bare?: boolean;
  onChange: (value: unknown) => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const [wrong, setWrong] = useState<string | null>(null);
  const { form } = field;
  const unit = !bare && field.unit && <span className="text-soft">{readUnit(field.unit)}</span>;
  if (bare && typeof field.value === "boolean")
    return (
      <input
        type="checkbox"
        aria-label={field.label}
        className="my-1.5 size-4 accent-(--act)"
        checked={field.value}
        onChange={(e) => onChange(e.target.checked)}
      />
    );
  if (form.type === "choice")
    return (
      <>
        <select
          aria-label={field.label}
          title={form.choices.find((c) => String(c.value) === String(field.value))?.words}
          className={`-ml-1 min-h-7 max-w-full text-ellipsis rounded border border-transparent bg-transparent [field-sizing:content] hover:border-line ${bare ? "max-w-44 font-narrow" : ""}`}
          value={String(field.value)}
          onChange={(e) => onChange(form.choices.find((c) => String(c.value) === e.target.value)?.value)}
        >
          {form.choices.map(({ value, words }) => (
            <option key={String(value)} value={String(value)}>
              {words}
            </option>
          ))}
        </select>
        {unit}
      </>
    );
  const isThere = field.value !== null && field.value !== undefined;
  const hours = asHours(field.value, field.unit);
  const kept = bare ? String(field.value) : readText(field.value, field.unit);
  const shown = typed ?? (isThere ? (hours ?? kept) : "");
  const commit = () => {
    if (typed === null) return;
    const entry = isNumber(field) ? enteredNumber(typed, field, !bare) : enteredText(typed, field);
    if ("wrong" in entry) return setWrong(entry.wrong);
    setTyped(null);
    setWrong(null);
    if (entry.value !== field.value) onChange(entry.value);
  };
  return (
    <>
      <input
        aria-label={field.label}
        aria-invalid={wrong !== null}
        className={`min-h-7 rounded border px-1 hover:border-soft ${wrong ? "border-above" : bare ? "border-line" : "-ml-1 border-transparent"} ${bare ? "bg-panel" : "bg-transparent"} ${isNumber(field) ? (bare ? "w-11" : "w-16") : form.type === "time" ? (form.empty ? "w-16" : "w-14") : "w-full"}`}
        inputMode={isNumber(field) ? "decimal" : undefined}
        placeholder={form.empty ? (bare && form.type !== "time" ? "–" : isThere ? "none" : field.draft) : undefined}
        value={shown}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={commit}
        onKeyDown={(e) => e.key === "Enter" && commit()}
      />
      {hours === null && unit}
      <Refused why={wrong} />
    </>
  );
}

import { useState } from "react";
import { Row } from "./Row";
import { amount, type SetupField } from "./settings";

/** A value in words, with its unit. */
function words(field: SetupField): string {
  const { value, unit } = field;
  if (value === null || value === undefined || value === "") return "";
  const chosen = field.form.choices.find((c) => c.value === value)?.words ?? String(value);
  return amount(chosen, unit);
}

/** Settings that seldom change: one closed line in words; those that differ on the recorder are always in view. */
export function Fold({
  label,
  fields,
  onChange,
}: {
  label: string;
  fields: SetupField[];
  onChange: (path: string, value: unknown) => void;
}) {
  const [open, setOpen] = useState(false);
  const said = fields.map((f) => [f.label.toLowerCase(), words(f)] as const).filter(([, value]) => value);
  return (
    <>
      <span className="border-hair border-t py-1.5 pr-2 pl-4 text-soft">{label}</span>
      <span className="col-span-2 flex min-w-0 gap-3 border-hair border-t py-1.5 pr-4 pl-2">
        <span className="min-w-0 flex-1 truncate">
          {open ? "" : said.map(([name, value]) => `${name} ${value}`).join(", ")}
        </span>
        <button
          type="button"
          aria-expanded={open}
          className="text-act hover:underline"
          onClick={() => setOpen(!open)}
          aria-label={open ? `close ${label}` : `change ${label}`}
        >
          {open ? "close" : "change"}
        </button>
      </span>
      {(open ? fields : fields.filter((f) => f.differs)).map((field) => (
        <Row
          key={field.path}
          field={field}
          label={field.label}
          inner
          onChange={(value) => onChange(field.path, value)}
        />
      ))}
    </>
  );
}

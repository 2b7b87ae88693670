import { picker } from "./looks";

/** A number in a sentence: typed, taken when it is left; what is none is put back. */
export function TypedNumber({
  label,
  value,
  onPut,
  small = false,
}: {
  label: string;
  value: number | null;
  onPut: (value: number | null) => void;
  small?: boolean;
}) {
  return (
    <input
      key={`${label} ${value}`}
      aria-label={label}
      className={`${picker} ${small ? "min-h-6 w-11" : "w-14"} text-center`}
      inputMode="decimal"
      defaultValue={value ?? ""}
      placeholder="–"
      onBlur={(e) => {
        const text = e.target.value.trim().replace(",", ".");
        const next = text === "" ? null : Number(text);
        if (next === null || Number.isFinite(next)) next !== value && onPut(next);
        else e.target.value = value === null ? "" : String(value);
      }}
      onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
    />
  );
}

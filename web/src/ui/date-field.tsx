import { useState } from "react";
import { inputLook } from "./basics";
import { dayOf, dayWords, later, today } from "./days";

/**
 * A day, shown and typed as the reader writes one: "12 sep", "12.9.", "-6w", "today". Up and Down are a day, with Shift a week. What is no
 * day stays in the field and is said; the one before it stays on record.
 */
export function DateField({
  value,
  onChange,
  label,
  id,
  look = inputLook,
  required = false,
  earliest = "",
  latest = "",
}: {
  value: string;
  onChange: (day: string) => void;
  label?: string;
  id?: string;
  look?: string;
  required?: boolean;
  earliest?: string;
  latest?: string;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const found = typed === null ? value : dayOf(typed);
  const outside = found ? (earliest && found < earliest) || (latest && found > latest) : false;
  const wrong =
    typed === null
      ? ""
      : found === null
        ? "no day: try 12 sep, 12.9. or -6w"
        : outside
          ? found < (earliest || found)
            ? `not before ${dayWords(earliest)}`
            : `not after ${dayWords(latest)}`
          : "";
  const take = (day: string) => {
    setTyped(null);
    if (day !== value) onChange(day);
  };
  return (
    <span className="relative inline-block">
      <input
        id={id}
        type="text"
        aria-label={label}
        aria-invalid={wrong !== ""}
        autoComplete="off"
        placeholder="12 sep, -6w"
        title={wrong || undefined}
        className={`${look} ${wrong ? "border-above" : ""}`}
        required={required}
        value={typed ?? dayWords(value)}
        onChange={(event) => {
          const text = event.target.value;
          setTyped(text);
          // A whole day with its year needs no key after it.
          const day = /\d{4}-\d{2}-\d{2}/.test(text) ? dayOf(text) : null;
          if (day && !(earliest && day < earliest) && !(latest && day > latest)) onChange(day);
        }}
        onFocus={(event) => event.target.select()}
        onBlur={() => {
          if (typed === null) return;
          if (found !== null && !outside && (found || !required)) take(found);
        }}
        onKeyDown={(event) => {
          if (event.key === "Enter" && typed !== null && found !== null && !outside) take(found);
          else if (event.key === "Escape" && typed !== null) {
            event.stopPropagation();
            setTyped(null);
          } else if (event.key === "ArrowUp" || event.key === "ArrowDown") {
            event.preventDefault();
            const step = (event.key === "ArrowUp" ? 1 : -1) * (event.shiftKey ? 7 : 1);
            const next = later(found || value || today(), step);
            if (!(earliest && next < earliest) && !(latest && next > latest)) take(next);
          }
        }}
      />
      {wrong && (
        <span
          role="alert"
          className="absolute top-full left-0 z-20 whitespace-nowrap rounded border border-line bg-panel px-1.5 text-[12px] text-above"
        >
          {wrong}
        </span>
      )}
    </span>
  );
}

/** One of a few choices, all in view. */
export function Segmented<T extends string>({
  label,
  value,
  choices,
  onChange,
}: {
  label: string;
  value: T;
  choices: readonly (readonly [T, string])[];
  onChange: (value: T) => void;
}) {
  return (
    <span role="radiogroup" aria-label={label} className="inline-flex overflow-hidden rounded-md border border-line">
      {choices.map(([key, words]) => (
        // biome-ignore lint/a11y/useSemanticElements: a button shows and takes the choice at once
        <button
          key={key}
          type="button"
          role="radio"
          aria-checked={key === value}
          className={`min-h-7 border-line border-l px-2.5 first:border-l-0 ${key === value ? "bg-act text-on-act" : "bg-panel hover:bg-act-soft"}`}
          onClick={() => onChange(key)}
        >
          {words}
        </button>
      ))}
    </span>
  );
}

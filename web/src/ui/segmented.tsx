import { RadioGroup } from "radix-ui";

/** A few choices of which one holds, side by side; the arrow keys go from one to the next. */
export function Segmented<T extends string>({
  label,
  value,
  choices,
  onChange,
  small = false,
}: {
  label: string;
  value: T;
  choices: readonly (readonly [T, string])[];
  onChange: (value: T) => void;
  small?: boolean;
}) {
  return (
    <RadioGroup.Root
      aria-label={label}
      orientation="horizontal"
      className="inline-flex overflow-hidden rounded-md border border-line focus-within:outline-2 focus-within:outline-act"
      value={value}
      onValueChange={(key) => onChange(key as T)}
    >
      {choices.map(([key, words]) => (
        <RadioGroup.Item
          key={key}
          value={key}
          // Arrows move the focus, and what has it holds; Radix forgets a key that was let go too fast.
          onFocus={() => key !== value && onChange(key)}
          className={`border-line border-l bg-panel first:border-l-0 hover:bg-act-soft data-[state=checked]:bg-act data-[state=checked]:text-on-act ${small ? "min-h-6 px-1.5 text-[12px]" : "min-h-7 px-2.5"}`}
        >
          {words}
        </RadioGroup.Item>
      ))}
    </RadioGroup.Root>
  );
}

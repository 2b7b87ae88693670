import { useState } from "react";
import { fixed } from "@/ui/format";

/** The mass ratio of a fuel, or one that was typed; null: the mixture is read as excess of air. */
export function ratioOf(fuel: string, fuels: Record<string, number>): number | null {
  const typed = Number(fuel);
  return fuels[fuel] ?? (fuel !== "" && typed >= 1 && typed <= 50 ? typed : null);
}

const TYPED = "typed";

/** In what the mixture is read: as excess of air, or as mass of air to the fuel that is used. */
export function FuelChoice({
  fuels,
  fuel,
  onFuel,
  look,
}: {
  /** kg of air for a kg of each. */
  fuels: Record<string, number>;
  fuel: string;
  onFuel: (fuel: string) => void;
  look: string;
}) {
  const own = fuel !== "" && !(fuel in fuels);
  const [text, setText] = useState(own ? fuel : "");
  const [typing, setTyping] = useState(own);
  const take = () => {
    const next = text.trim().replace(",", ".");
    if (ratioOf(next, fuels) !== null && next !== fuel) onFuel(next);
  };
  return (
    <>
      as
      <select
        aria-label="Mixture as"
        className={look}
        value={typing ? TYPED : fuel}
        onChange={(e) => {
          setTyping(e.target.value === TYPED);
          if (e.target.value !== TYPED) onFuel(e.target.value);
        }}
      >
        <option value="">excess of air</option>
        {Object.entries(fuels).map(([name, ratio]) => (
          <option key={name} value={name}>
            air to {name}, {fixed(ratio, 2)}
          </option>
        ))}
        <option value={TYPED}>air to fuel, typed</option>
      </select>
      {typing && (
        <input
          aria-label="kg of air for a kg of the fuel"
          className={`${look} w-16 text-center`}
          inputMode="decimal"
          placeholder="14.6"
          value={text}
          onChange={(e) => setText(e.target.value)}
          onBlur={take}
          onKeyDown={(e) => e.key === "Enter" && take()}
        />
      )}
    </>
  );
}

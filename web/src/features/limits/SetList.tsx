import type { Schemas } from "@/api/client";
import { kindName } from "@/kinds/kinds";
import type { LimitSet } from "@/limits/rules";

/** Which sets are held against what: "usual", or how many vehicles have it. */
export function usedWords(set: LimitSet, inUse: Schemas["LimitSets"] | undefined): string {
  if (!inUse) return "";
  const vehicles = inUse.vehicles[set.key] ?? 0;
  const usual = inUse.usual[set.kind] === set.key ? "usual" : "";
  return [usual, vehicles ? `${vehicles} vehicle${vehicles === 1 ? "" : "s"}` : ""].filter(Boolean).join(", ");
}

/** The sets of every kind, the house's own marked. */
export function SetList({
  sets,
  here,
  inUse,
  draft,
  onOpen,
}: {
  sets: LimitSet[];
  here: string;
  inUse: Schemas["LimitSets"] | undefined;
  draft: boolean;
  onOpen: (set: LimitSet) => void;
}) {
  const kinds = [...new Set(sets.map((s) => s.kind))];
  return (
    <nav aria-label="Limit sets" className="overflow-auto border-line border-r py-[18px]">
      <h1 className="px-4 pb-1 text-[17px]">Limits</h1>
      {kinds.map((kind) => (
        <section key={kind} aria-label={kindName(kind)}>
          <h2 className="px-4 pt-2 font-narrow font-normal text-[13px] text-soft">{kindName(kind)}</h2>
          {sets
            .filter((s) => s.kind === kind)
            .map((set) => (
              <button
                key={set.key}
                type="button"
                aria-current={set.key === here ? "page" : undefined}
                onClick={() => onOpen(set)}
                className={`block w-full border-l-[3px] px-[13px] py-1.5 text-left ${set.key === here ? "border-brass bg-panel" : "border-transparent hover:bg-hair"}`}
              >
                <span className="flex items-baseline gap-2">
                  <span className={`min-w-0 flex-1 ${set.key === here ? "font-semibold" : ""}`}>
                    {set.name}
                    {!set.shipped && (
                      <span className="ml-1.5 rounded bg-brass-soft px-1.5 font-medium font-narrow text-[12px] text-brass-ink">
                        own
                      </span>
                    )}
                  </span>
                  <span className="font-narrow text-[12.5px] text-soft">{usedWords(set, inUse)}</span>
                </span>
                {set.key === here && draft && (
                  <span className="block text-[12.5px] text-brass-ink">{set.version}, a change is being tried</span>
                )}
              </button>
            ))}
        </section>
      ))}
    </nav>
  );
}

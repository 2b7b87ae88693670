import type { Schemas } from "@/api/client";

/** What will come of the settings, in figures. */
export function PlanFacts({ plan }: { plan: Schemas["SetupPlan"] }) {
  if (plan.facts.length === 0) return null;
  return (
    <section aria-label="What will come of it" className="col-span-3 flex border-hair border-t">
      {plan.facts.map((fact) => (
        <div
          key={fact.words}
          className={`flex-1 border-hair border-l px-4 py-2 first:border-l-0 ${fact.short ? "bg-warn" : ""}`}
        >
          <b className="font-narrow font-semibold text-[19px]">{fact.figure}</b>{" "}
          <span className="text-soft">{fact.words}</span>
          <span className={`block text-[12.5px] ${fact.short ? "font-medium text-action" : "text-soft"}`}>
            {fact.about}
            {fact.short && ": not enough"}
          </span>
        </div>
      ))}
    </section>
  );
}

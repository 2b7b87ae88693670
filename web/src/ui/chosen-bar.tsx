import type { ReactNode } from "react";

/** The dark bar at the foot of a register, there only while something is chosen: what can be done to all of it. */
export function ChosenBar({ what, onNone, children }: { what: string; onNone: () => void; children: ReactNode }) {
  return (
    <section
      aria-label={what}
      className="chosen flex flex-wrap items-center gap-2 bg-slate px-5 py-2.5 text-white [&_button]:min-h-[34px]"
    >
      <b className="mr-2 font-narrow font-semibold text-[15px]">{what}</b>
      {children}
      <button type="button" className="ml-auto px-2 text-[#c6d0d3] hover:text-white" onClick={onNone}>
        choose none
      </button>
    </section>
  );
}

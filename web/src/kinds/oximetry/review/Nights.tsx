import type { SeveralProps } from "@/sheet/contract";
import { Below, DepthAndLength, fallsOf } from "./Pictures";

/** Nights beside one another: falls by depth and length, and for how long below each percent, on scales that are the same. */
export default function Nights({ all, names }: SeveralProps) {
  const falls = all.map((each) => fallsOf(each.reviewed));
  const deepest = Math.max(...falls.flat().map((fall) => fall.baseline - fall.lowest), 0);
  const longest = Math.max(...falls.flat().map((fall) => fall.endS - fall.atS), 0);
  const lowest = Math.min(
    ...all.flatMap((each) =>
      (each.reviewed.tables.find((table) => table.key === "below")?.rows ?? []).map(([percent]) => Number(percent)),
    ),
    100,
  );
  return (
    <section aria-label="Nights beside one another" className="mb-3 rounded-lg border border-line bg-panel px-3 py-2">
      <ul className="grid gap-x-8 gap-y-3 [grid-template-columns:repeat(auto-fill,minmax(260px,1fr))]">
        {all.map((each, i) => (
          <li key={each.session.id}>
            <b className="font-medium text-[13px]">{names[i]}</b>
            <DepthAndLength falls={falls[i] ?? []} deepest={deepest} longest={longest} />
            <Below shown={each.reviewed} least={lowest} />
          </li>
        ))}
      </ul>
    </section>
  );
}

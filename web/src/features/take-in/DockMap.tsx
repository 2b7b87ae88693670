import type { Schemas } from "@/api/client";
import { type Bay, type LinkRules, type Stand, standOf } from "./dock";

const LOOK: Record<Stand, string> = {
  "needs a hand": "bg-slate text-white",
  "at work": "bg-brass-soft text-brass-ink outline-2 outline-act outline-offset-1",
  waiting: "bg-[#b98a2e] text-[#1d1503]",
  in: "bg-brass-soft text-brass-ink",
  "nothing new": "bg-brass-soft text-brass-ink",
  "empty, ready": "border border-soft border-dashed text-soft",
};
const STANDS = Object.keys(LOOK) as Stand[];

function Spot({ stand, token, dim }: { stand: Stand; token?: string; dim?: boolean }) {
  return (
    <span
      className={`relative grid place-items-center rounded-full font-bold font-narrow ${token ? "size-[30px] text-[10.5px] pointer-coarse:size-[40px]" : "size-3.5"} ${LOOK[stand]} ${dim ? "opacity-25" : ""}`}
    >
      {token}
      {stand === "in" && (
        <i className="absolute -top-1 -right-1 grid size-3.5 place-items-center rounded-full bg-act font-normal text-[9px] text-on-act not-italic">
          ✓
        </i>
      )}
    </span>
  );
}

/** The recorders as they stand: a place each; a click shows that one's sessions alone, a word of the legend those that stand so. */
export function DockMap({
  bays,
  away,
  mine,
  only,
  onOnly,
  rules,
}: {
  bays: Bay[];
  rules: LinkRules;
  away: Schemas["Recorder"][];
  mine: Set<string>;
  only: string | null;
  onOnly: (only: string | null) => void;
}) {
  const groups = new Map<string, Bay[]>();
  for (const bay of [...bays].sort((a, b) => a.recorder.token.localeCompare(b.recorder.token))) {
    const place = placeOf(bay.recorder);
    groups.set(place, [...(groups.get(place) ?? []), bay]);
  }
  const stands = new Map(bays.map((bay) => [bay.recorder.id, standOf(bay, mine, rules)]));
  const count = (stand: Stand) => [...stands.values()].filter((s) => s === stand).length;
  return (
    <section aria-label="Where they stand">
      <h2 className="mb-1">Where they stand</h2>
      {[...groups].map(([place, here]) => (
        <div key={place} className="mb-2">
          <div className="flex justify-between font-narrow text-[12.5px] text-soft">
            <span>{place}</span>
            <span>{here.length}</span>
          </div>
          <ul className="mt-1 flex flex-wrap gap-1.5">
            {here.map((bay) => {
              const stand = stands.get(bay.recorder.id) ?? "nothing new";
              const token = bay.recorder.token;
              const dim = only !== null && only !== token && only !== stand;
              return (
                <li key={bay.recorder.id}>
                  <button
                    type="button"
                    aria-pressed={only === token}
                    aria-label={`${token}, ${bay.recorder.name}, ${stand}`}
                    title={`${bay.recorder.name}${bay.recorder.holder ? `, ${bay.recorder.holder}` : ""}: ${stand}`}
                    onClick={() => onOnly(only === token ? null : token)}
                  >
                    <Spot stand={stand} token={token} dim={dim} />
                  </button>
                </li>
              );
            })}
          </ul>
        </div>
      ))}
      {away.length > 0 && (
        <p className="mb-2 text-[12.5px] text-soft">
          Away: {away.map((r) => `${r.token}${r.holder ? ` (${r.holder})` : ""}`).join(", ")}
        </p>
      )}
      <ul className="grid grid-cols-1 gap-x-4 min-[1180px]:grid-cols-2 gap-y-1 border-line border-t pt-2 text-[13px]">
        {STANDS.filter((stand) => count(stand) > 0).map((stand) => (
          <li key={stand}>
            <button
              type="button"
              className={`flex w-full items-center gap-2 rounded px-1 py-0.5 hover:bg-act-soft ${only === stand ? "bg-act-soft" : ""}`}
              aria-pressed={only === stand}
              onClick={() => onOnly(only === stand ? null : stand)}
            >
              <Spot stand={stand} />
              {stand}
              <b className="ml-auto font-semibold">{count(stand)}</b>
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** "Dock A, bay 3" stands in Dock A. */
function placeOf(recorder: Schemas["Recorder"]): string {
  const [first = ""] = recorder.place.split(",");
  if (recorder.over === "radio") return "Near over radio";
  if (recorder.over === "cable" || recorder.over === "card") return "On a cable, on a card";
  return first.trim() || "In reach";
}

import { useEffect, useRef } from "react";
import { useNavigate } from "react-router";
import type { Schemas } from "@/api/client";
import { kindName } from "@/kinds/kinds";
import { Verdict } from "@/ui/basics";
import { length, moment } from "@/ui/format";
import { Worthless } from "./Worthless";

/** Newest first, or what is over a limit first; of those alike the oldest, which waited longest. */
export const ORDERS = [
  ["newest", "newest first"],
  ["urgent", "most urgent first"],
] as const;
export type Order = (typeof ORDERS)[number][0];

const initials = (name: string) =>
  name
    .split(/\s+/)
    .map((part) => part.charAt(0))
    .slice(0, 2)
    .join("")
    .toUpperCase() || "?";

/** What waits for a look; folded to a rail it leaves its room to the sheet. */
export function Waiting({
  sessions,
  chosen,
  order,
  onOrder,
  folded,
  onFold,
}: {
  sessions: Schemas["Session"][];
  chosen: number | null;
  order: Order;
  onOrder: (order: Order) => void;
  folded: boolean;
  onFold: () => void;
}) {
  const navigate = useNavigate();
  const list = useRef<HTMLUListElement>(null);
  // What is open stands in the list wherever one came from.
  // biome-ignore lint/correctness/useExhaustiveDependencies: rows that came or moved count as well
  useEffect(() => {
    list.current?.querySelector('[aria-current="true"]')?.scrollIntoView({ block: "nearest", inline: "nearest" });
  }, [chosen, order, folded, sessions.length]);
  return (
    <nav
      aria-label="Waiting for a look"
      className="overflow-auto border-line border-b max-[959px]:col-span-2 min-[960px]:border-r min-[960px]:border-b-0 min-[960px]:py-2"
    >
      <div className="flex items-center max-[959px]:sr-only">
        <h2 className={folded ? "sr-only" : "px-4 py-1.5"}>Waiting for a look</h2>
        <button
          type="button"
          aria-expanded={!folded}
          aria-label={folded ? `Show the names of the ${sessions.length} that wait` : "Fold the list to a rail"}
          className={`min-h-7 rounded px-2 text-[13px] text-act hover:bg-hair ${folded ? "mx-auto" : "mr-2 ml-auto"}`}
          onClick={onFold}
        >
          {folded ? `${sessions.length} »` : "«"}
        </button>
      </div>
      {sessions.length > 1 && !folded && (
        <select
          aria-label="Order of what waits"
          className="mx-3 mb-1 min-h-7 rounded border border-transparent bg-transparent px-1 text-[13px] text-soft hover:border-line max-[959px]:sr-only"
          value={order}
          onChange={(e) => onOrder(e.target.value as Order)}
        >
          {ORDERS.map(([key, words]) => (
            <option key={key} value={key}>
              {words}
            </option>
          ))}
        </select>
      )}
      {!folded && <Worthless />}
      {sessions.length === 0 && !folded && <p className="px-4 text-soft">Nothing waits.</p>}
      <ul ref={list} className="max-[959px]:flex">
        {sessions.map((s) => (
          <li key={s.id} className="max-[959px]:w-48 max-[959px]:shrink-0">
            <button
              type="button"
              aria-current={s.id === chosen}
              title={
                folded
                  ? `${s.person || "Unclaimed"}, ${kindName(s.kind)}, ${moment(s.started_at, s.utc_offset_min)}`
                  : undefined
              }
              onClick={() => navigate(`/review/${s.id}`)}
              className={`block w-full border-l-3 text-left text-[13.5px] ${folded ? "py-2 max-[959px]:px-4 min-[960px]:px-0.5 min-[960px]:text-center" : "px-4 py-2"} ${s.id === chosen ? "border-brass bg-panel" : "border-transparent hover:bg-hair"}`}
            >
              {folded && (
                <span className="max-[959px]:hidden">
                  <span className="flex items-center justify-center gap-1">
                    <b className="font-medium">{initials(s.person)}</b>
                    <Verdict verdict={s.verdict} words={s.verdict_step || undefined} bare />
                  </span>
                  <span className="block truncate text-[11.5px] text-soft">
                    {kindName(s.kind).split(" ").at(-1)?.toLowerCase()}
                  </span>
                </span>
              )}
              <span className={folded ? "min-[960px]:sr-only" : ""}>
                <span className="flex items-start gap-2">
                  <b className="min-w-0 flex-1 truncate font-medium">{s.person || "Unclaimed"}</b>
                  <Verdict verdict={s.verdict} words={s.verdict_step || undefined} bare />
                </span>
                <span className="block truncate">
                  {kindName(s.kind)}, {moment(s.started_at, s.utc_offset_min)}
                </span>
                <span className="block truncate text-[12.5px] text-soft">
                  {[s.verdict_step, s.tags.place, length(s.length_s)].filter(Boolean).join(", ")}
                </span>
              </span>
            </button>
          </li>
        ))}
      </ul>
    </nav>
  );
}

import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef, useState } from "react";
import { length, type WallClock } from "@/ui/format";
import { type Key, useKeys } from "@/ui/keys";
import { ReasonChips } from "@/ui/reason";
import type { Happening } from "./events";

const ROW_PX = 29;
const REASONS_PX = 36;
/** So many are searched rather than read. */
const MANY = 12;

/** What would count and does not; what a rule sets aside, and only a person can count, is a group of its own. */
const isLeftOut = (h: Happening) => !h.kept && !(h.word?.keepable && !h.word.droppable);

/** Events with a filter; Up and Down walk through them, K keeps, X leaves one out: the reasons stand under its row. */
export function EventList({
  happenings,
  clock,
  locked,
  chosen,
  onChoose,
  onDrop,
  onKeep,
  onTakeBack,
}: {
  happenings: Happening[];
  clock: WallClock;
  locked: boolean;
  chosen: string | null;
  onChoose: (happening: Happening) => void;
  onDrop: (happening: Happening, reason: string) => void;
  onKeep: (happening: Happening) => void;
  onTakeBack: (decision: number) => void;
}) {
  const [filter, setFilter] = useState("");
  const [search, setSearch] = useState("");
  const [dropping, setDropping] = useState<string | null>(null);
  const groups = useMemo(() => {
    const counts = new Map<string, number>();
    for (const h of happenings) counts.set(h.group, (counts.get(h.group) ?? 0) + 1);
    return [...counts];
  }, [happenings]);
  const out = happenings.filter(isLeftOut).length;
  const wanted = search.trim().toLowerCase();
  const shown = happenings.filter(
    (h) =>
      (filter === "" ? true : filter === "left out" ? isLeftOut(h) : h.group === filter) &&
      (wanted === "" || h.text.toLowerCase().includes(wanted) || clock(h.atS, true).includes(wanted)),
  );
  const at = shown.findIndex((h) => h.key === chosen);
  const current = at >= 0 ? shown[at] : undefined;
  const box = useRef<HTMLElement>(null);
  const virtual = useVirtualizer({
    count: shown.length,
    getScrollElement: () => box.current,
    estimateSize: (index) => ROW_PX + (shown[index]?.key === dropping ? REASONS_PX : 0),
    overscan: 8,
  });
  const { scrollToIndex, measure } = virtual;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the row with the reasons is taller
  useEffect(() => measure(), [dropping, measure]);
  useEffect(() => {
    // Only the list moves: the lanes above, which show the event, stay in view.
    if (at < 0) return;
    // Rows out of view go, and would take the focus with them: it walks along.
    const row = box.current?.querySelector<HTMLElement>(`[aria-posinset="${at + 1}"] button`);
    if (box.current?.contains(document.activeElement)) row?.focus({ preventScroll: true });
    scrollToIndex(at, { align: "auto" });
  }, [at, scrollToIndex]);
  const drop = (h: Happening) => h.word?.droppable && h.kept && !locked && setDropping(h.key);
  const keep = (h: Happening) => {
    if (locked) return;
    if (h.decision?.what === "dropped") onTakeBack(h.decision.id);
    else if (!h.kept && h.word?.keepable) onKeep(h);
  };
  const latest = useRef({ drop, keep });
  latest.current = { drop, keep };
  const keys = useMemo<Key[]>(() => {
    const [before, after] = [shown[at - 1], shown[at + 1]];
    const walk: Key[] = [
      { keys: "ArrowDown", does: "next event", run: () => after && onChoose(after) },
      { keys: "ArrowUp", does: "event before", run: () => before && onChoose(before) },
    ];
    if (!current) return walk;
    return [
      ...walk,
      { keys: "k", does: "the chosen event counts", run: () => latest.current.keep(current) },
      { keys: "x", does: "leave the chosen event out, with a reason", run: () => latest.current.drop(current) },
    ];
  }, [shown, at, current, onChoose]);
  useKeys(keys);
  if (happenings.length === 0) return null;
  const chip = (value: string, words: string) => (
    <button
      key={value}
      type="button"
      aria-pressed={filter === value}
      onClick={() => setFilter(value)}
      className={`rounded-full border px-2.5 py-0.5 text-[12.5px] ${filter === value ? "border-act bg-act-soft" : "border-line hover:bg-hair"}`}
    >
      {words}
    </button>
  );
  return (
    <section aria-label="Events">
      <div className="flex flex-wrap items-center gap-1.5 pb-1.5">
        {chip("", `all ${happenings.length}`)}
        {groups.length > 1 && groups.map(([group, count]) => chip(group, `${group} ${count}`))}
        {out > 0 && chip("left out", `left out ${out}`)}
        {happenings.length >= MANY && (
          <input
            type="search"
            aria-label="Search the events"
            placeholder="search"
            className="min-h-6 w-24 rounded-full border border-line bg-panel px-2.5 text-[12.5px]"
            value={search}
            onChange={(e) => setSearch(e.target.value)}
          />
        )}
      </div>
      <section
        ref={box}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: it scrolls
        tabIndex={0}
        aria-label="List of events"
        className="max-h-[250px] overflow-auto text-[13px]"
      >
        <ul className="relative" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map(({ index, start, size }) => {
            const h = shown[index];
            return (
              h && (
                <li
                  // Several sensors tested at one moment share the name that a decision calls them by.
                  key={`${h.key} ${h.text}`}
                  aria-current={h.key === chosen}
                  aria-posinset={index + 1}
                  aria-setsize={shown.length}
                  style={{ top: start, height: size }}
                  className={`absolute inset-x-0 border-hair border-t ${h.key === chosen ? "bg-act-soft" : ""}`}
                >
                  <div className="flex items-center gap-2" style={{ height: ROW_PX - 1 }}>
                    <button
                      type="button"
                      className="flex min-h-7 min-w-0 flex-1 items-center gap-2.5 text-left"
                      onClick={() => onChoose(h)}
                    >
                      <span className="min-w-16 shrink-0 whitespace-nowrap font-medium">{clock(h.atS, true)}</span>
                      <span className={`min-w-0 flex-1 truncate ${h.kept ? "" : "text-soft line-through"}`}>
                        {h.text}
                      </span>
                      {h.endS > h.atS && !h.text.endsWith(" s") && (
                        <span className="text-soft">{length(h.endS - h.atS)}</span>
                      )}
                    </button>
                    <span className="shrink-0 truncate text-right">
                      {h.decision ? (
                        <button
                          type="button"
                          className="text-act hover:underline"
                          disabled={locked}
                          title={`${h.decision.reason || h.decision.what}: take back`}
                          onClick={() => h.decision && onTakeBack(h.decision.id)}
                        >
                          {h.decision.what === "dropped" ? "count it" : "as computed"}
                        </button>
                      ) : !locked && h.kept && h.word?.droppable ? (
                        <button type="button" className="text-act hover:underline" onClick={() => drop(h)}>
                          leave out
                        </button>
                      ) : !locked && !h.kept && h.word?.keepable ? (
                        <button type="button" className="text-act hover:underline" onClick={() => keep(h)}>
                          count it
                        </button>
                      ) : (
                        !h.kept && <span className="text-soft">does not count</span>
                      )}
                    </span>
                  </div>
                  {dropping === h.key && (
                    <ReasonChips
                      label={`Why ${h.word?.one ?? "the event"} at ${clock(h.atS, true)} does not count`}
                      reasons={h.word?.reasons ?? []}
                      onClose={() => setDropping(null)}
                      onReason={(reason) => {
                        setDropping(null);
                        onDrop(h, reason);
                      }}
                    />
                  )}
                </li>
              )
            );
          })}
        </ul>
      </section>
    </section>
  );
}

import { useVirtualizer } from "@tanstack/react-virtual";
import { useMemo, useRef, useState } from "react";
import type { Schemas } from "@/api/client";
import { number, type WallClock } from "@/ui/format";
import { headWords, saveCsv } from "./csv";

type Table = Schemas["Table"];
type Cell = Table["rows"][number][number];

const CLOCK = "clock";
const KEY = "Key";
/** More rows than these scroll in a frame of their own; only those in view are drawn. */
const IN_FULL = 40;
const ROW_PX = 25;

export function cellWords(value: Cell | undefined, column: Table["columns"][number], clock: WallClock): string {
  if (value === null || value === undefined) return "–";
  if (typeof value === "string") return value;
  if (column.unit === CLOCK) return clock(value, true);
  return number(value, column.decimals ?? 0);
}

function compare(a: Cell | undefined, b: Cell | undefined): number {
  if (typeof a === "number" && typeof b === "number") return a - b;
  if (a === null || a === undefined) return 1;
  if (b === null || b === undefined) return -1;
  return String(a).localeCompare(String(b), undefined, { numeric: true });
}

/** A table of the assessment: sorted by a click on a head, copied with heads and units. */
export function DataTable({
  table,
  clock,
  onTime,
}: {
  table: Table;
  clock: WallClock;
  onTime?: (atS: number) => void;
}) {
  const [sort, setSort] = useState<{ column: number; falling: boolean } | null>(null);
  const [copied, setCopied] = useState(false);
  const shown = table.columns.map((column, i) => ({ column, i })).filter(({ column }) => column.name !== KEY);
  const rows = useMemo(() => {
    if (!sort) return table.rows;
    // What was not measured comes last, whichever way the rest is sorted.
    const there = table.rows.filter((row) => row[sort.column] !== null);
    const sorted = there.sort((a, b) => compare(a[sort.column], b[sort.column]) * (sort.falling ? -1 : 1));
    return [...sorted, ...table.rows.filter((row) => row[sort.column] === null)];
  }, [table, sort]);
  const long = rows.length > IN_FULL;
  const box = useRef<HTMLElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW_PX,
    overscan: 12,
    enabled: long,
  });
  const drawn = virtual.getVirtualItems();
  const above = drawn[0]?.start ?? 0;
  const below = virtual.getTotalSize() - (drawn.at(-1)?.end ?? 0);
  const inView = long ? drawn.map((v) => v.index) : rows.map((_, n) => n);
  const copy = async () => {
    const lines = [
      shown.map(({ column }) => headWords(column)),
      ...rows.map((r) => shown.map(({ column, i }) => cellWords(r[i], column, clock))),
    ];
    await navigator.clipboard.writeText(lines.map((cells) => cells.join("\t")).join("\n"));
    setCopied(true);
    window.setTimeout(() => setCopied(false), 2000);
  };
  if (table.rows.length === 0) return <p className="py-2 text-[13px] text-soft">None.</p>;
  return (
    <div>
      <section
        ref={box}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: it scrolls
        tabIndex={0}
        aria-label={table.title}
        className={long ? "max-h-[460px] overflow-auto" : "overflow-x-auto"}
      >
        <table className="w-full text-[13px]" aria-rowcount={rows.length + 1}>
          <thead className={`font-narrow text-[12.5px] text-soft ${long ? "sticky top-0 bg-panel" : ""}`}>
            <tr>
              {shown.map(({ column, i }) => (
                <th
                  key={column.name}
                  aria-sort={sort?.column === i ? (sort.falling ? "descending" : "ascending") : undefined}
                  className={`whitespace-nowrap px-1.5 py-1 font-medium first:pl-0 ${column.decimals === null ? "text-left" : "text-right"}`}
                >
                  <button
                    type="button"
                    className="font-medium hover:text-act"
                    onClick={() => setSort({ column: i, falling: sort?.column === i ? !sort.falling : false })}
                  >
                    {headWords(column)}
                    {sort?.column === i ? (sort.falling ? " ↓" : " ↑") : ""}
                  </button>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {long && above > 0 && <tr aria-hidden style={{ height: above }} />}
            {inView.map((n) => {
              const row = rows[n] ?? [];
              return (
                <tr
                  key={n}
                  aria-rowindex={n + 2}
                  className="border-hair border-t"
                  style={long ? { height: ROW_PX } : undefined}
                >
                  {shown.map(({ column, i }) => {
                    const value = row[i];
                    const words = cellWords(value, column, clock);
                    return (
                      <td
                        key={column.name}
                        className={`px-1.5 py-0.5 first:pl-0 ${column.decimals === null ? "" : "text-right font-narrow"}`}
                      >
                        {column.unit === CLOCK && typeof value === "number" && onTime ? (
                          <button type="button" className="text-act hover:underline" onClick={() => onTime(value)}>
                            {words}
                          </button>
                        ) : (
                          words
                        )}
                      </td>
                    );
                  })}
                </tr>
              );
            })}
            {long && below > 0 && <tr aria-hidden style={{ height: below }} />}
          </tbody>
        </table>
      </section>
      <div className="flex gap-3 pt-1 text-[12.5px]">
        {long && <span className="text-soft">{rows.length} rows</span>}
        <button type="button" className="text-act hover:underline" onClick={copy}>
          {copied ? "copied" : "copy with heads and units"}
        </button>
        <button type="button" className="text-act hover:underline" onClick={() => saveCsv({ ...table, rows }, clock)}>
          save as CSV
        </button>
      </div>
    </div>
  );
}

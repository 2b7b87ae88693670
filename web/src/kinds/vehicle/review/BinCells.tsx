import { useState } from "react";
import { number } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { Segmented } from "@/ui/segmented";
import type { Asked } from "./asked";
import type { Picking } from "./BinPictures";
import { BinTable } from "./BinTable";
import { type BinSheet, type Cell, cellWords, decimalsOf } from "./bins";
import { asMap, asText } from "./binText";
import { panel, seconds } from "./looks";
import { TypedNumber } from "./TypedNumber";

const CELLS = [
  ["between", "between boundaries"],
  ["around", "around points"],
] as const;

/** Every other boundary, the outer ones among them. */
const wider = (edges: number[]) =>
  edges.length < 3 ? edges : edges.filter((_, i) => i % 2 === 0 || i === edges.length - 1);

/** What was picked, in words: "1.02 to 1.10: 6.0 s in 2 cells". */
function pickedWords(sheet: BinSheet, { value, over }: Picking, decimals: number): string {
  const cells = sheet.picked?.count.flat().filter((n) => n > 0).length ?? 0;
  const ranges = [
    value && `${number(value[0], decimals)} to ${number(value[1], decimals)}`,
    over && `${number(over[0], 0)} to ${number(over[1], 0)} ${sheet.over.unit}`.trimEnd(),
  ];
  return `${ranges.filter(Boolean).join(", ")}: ${seconds(sheet.picked?.seconds ?? 0)} in ${cells} cell${cells === 1 ? "" : "s"}.`;
}

/** What is to be said of the table: the chosen cell, what was picked, readings that are in no cell. */
function BinNotes({
  sheet,
  cell,
  pick,
  put,
  onAll,
}: {
  sheet: BinSheet;
  cell: Cell | null;
  pick: Picking | null;
  put: (change: Partial<Asked>) => void;
  onAll: () => void;
}) {
  const decimals = decimalsOf(sheet);
  const grey = sheet.count.flat().filter((n) => n > 0 && n < sheet.fewest).length;
  const filled = sheet.count.flat().filter((n) => n > 0).length;
  return (
    <p aria-live="polite" className="min-h-5 pt-1 text-[13px] text-soft">
      {cell ? cellWords(sheet, cell, decimals) : ""}
      {!cell && pick && sheet.picked && (
        <>
          {pickedWords(sheet, pick, decimals)}{" "}
          <button type="button" className="min-h-6 text-act hover:underline" onClick={onAll}>
            all again
          </button>{" "}
        </>
      )}
      {!cell && !pick && grey > 0 && grey === filled && (
        <>
          No cell has {sheet.fewest} readings.{" "}
          <button
            type="button"
            className="min-h-6 text-act hover:underline"
            onClick={() =>
              put(
                sheet.points.length > 0
                  ? { edges: wider(sheet.points), andEdges: wider(sheet.and_points) }
                  : { edges: wider(sheet.edges), andEdges: wider(sheet.and_edges) },
              )
            }
          >
            wider boundaries
          </button>{" "}
        </>
      )}
      {!cell &&
        !pick &&
        sheet.outside > 0 &&
        `${sheet.outside.toLocaleString("en")} readings lie outside the boundaries. `}
      {!cell && !pick && sheet.without_value > 0 && `${sheet.without_value.toLocaleString("en")} without a value.`}
    </p>
  );
}

/** The table itself, how its cells are cut, and its copies. */
export function BinCells({
  sheet,
  asked,
  put,
  cell,
  onCell,
  pick,
  onAll,
}: {
  sheet: BinSheet;
  asked: Asked;
  put: (change: Partial<Asked>) => void;
  cell: Cell | null;
  onCell: (cell: Cell | null) => void;
  pick: Picking | null;
  onAll: () => void;
}) {
  const { say } = useNotices();
  const [shares, setShares] = useState(false);
  const decimals = decimalsOf(sheet);
  const withShares = shares && sheet.share.length > 0;
  return (
    <section aria-label="Table" className={`${panel} min-w-0 px-2.5 py-2`}>
      <div className="flex flex-wrap items-baseline gap-x-3 text-[13px]">
        <h2 className="font-narrow font-semibold">
          {withShares
            ? "Fuel to add or take, %, in each cell"
            : `Mean ${sheet.quantity.name.toLowerCase()} in each cell`}
        </h2>
        <Segmented
          label="Cells"
          value={asked.around ? "around" : "between"}
          choices={CELLS}
          onChange={(cells) => put({ around: cells === "around" })}
          small
        />
        {sheet.share.length > 0 && (
          <label className="flex items-center gap-1">
            <input type="checkbox" checked={shares} onChange={(e) => setShares(e.target.checked)} />
            share to add
          </label>
        )}
        <span className="text-soft">
          small: readings, grey below{" "}
          <TypedNumber
            label="Fewest readings"
            value={asked.fewest}
            onPut={(n) => put({ fewest: Math.max(1, Math.round(n ?? 20)) })}
            small
          />
        </span>
        <button
          type="button"
          className="ml-auto min-h-6 text-act hover:underline"
          onClick={() => {
            void navigator.clipboard.writeText(asMap(sheet, decimals, withShares));
            say("The map is on the clipboard, in the shape it stands here: heads first, then its rows.");
          }}
        >
          copy as map
        </button>
        <button
          type="button"
          className="min-h-6 text-act hover:underline"
          onClick={() => {
            void navigator.clipboard.writeText(asText(sheet, decimals));
            say("The table is on the clipboard: means and readings, with heads and units.");
          }}
        >
          copy
        </button>
        {(asked.edges.length > 0 || asked.andEdges.length > 0) && (
          <button
            type="button"
            className="min-h-6 text-act hover:underline"
            onClick={() => put({ edges: [], andEdges: [] })}
          >
            usual boundaries
          </button>
        )}
      </div>
      <BinTable
        sheet={sheet}
        decimals={decimals}
        shares={withShares}
        chosen={cell}
        onChoose={onCell}
        onEdges={(edges) => put({ edges })}
        onAndEdges={(andEdges) => put({ andEdges })}
      />
      <BinNotes sheet={sheet} cell={cell} pick={pick} put={put} onAll={onAll} />
    </section>
  );
}

import { fixed, number } from "@/ui/format";
import { type BinSheet, type Cell, decimalsOf, offWords, rangeWords, targetOf } from "./bins";
import { panel, seconds } from "./looks";

/** Cells off target, what matters most first. */
export function OffTarget({
  sheet,
  cell,
  onChoose,
  onPlace,
}: {
  sheet: BinSheet;
  cell: Cell | null;
  onChoose: (cell: Cell) => void;
  onPlace: (off: BinSheet["off"][number]) => void;
}) {
  const decimals = decimalsOf(sheet);
  const shown = targetOf(sheet);
  const [tooHigh, tooLow] = offWords(sheet);
  return (
    <section aria-label="Cells off target" className={`${panel} overflow-hidden`}>
      <h2 className="flex px-2.5 pt-2 pb-1.5 font-narrow font-semibold text-[13.5px]">
        Cells off target <span className="ml-auto font-normal text-[12.5px] text-soft">most matter first</span>
      </h2>
      <ul>
        {sheet.off.slice(0, 7).map((off) => (
          <li key={`${off.column} ${off.row}`} className="border-hair border-t">
            <button
              type="button"
              aria-pressed={cell?.row === off.row && cell.column === off.column}
              className={`flex w-full items-center gap-2.5 px-2.5 py-1.5 text-left hover:bg-act-soft ${cell?.row === off.row && cell.column === off.column ? "bg-act-soft" : ""}`}
              onClick={() => onChoose({ row: off.row, column: off.column })}
              onDoubleClick={() => onPlace(off)}
              onKeyDown={(e) => {
                if (e.key !== "Enter") return;
                e.preventDefault();
                onPlace(off);
              }}
            >
              <span className={off.by > 0 ? "text-lost" : "text-gained"} aria-hidden="true">
                {off.by > 0 ? "▲" : "▼"}
              </span>
              <span className="min-w-0 flex-1 text-[13px] leading-tight">
                {rangeWords(sheet.edges, off.column, sheet.over.unit)}
                <span className="block text-[12.5px] text-soft">
                  {[rangeWords(sheet.and_edges, off.row, sheet.and_over.unit), off.where].filter(Boolean).join(", ")}
                </span>
              </span>
              <span className="text-right leading-tight">
                <b className="font-narrow font-semibold text-[15px]">{fixed(off.seconds, 1)} s</b>
                <span className="block text-[12px] text-soft">
                  {Number(fixed(Math.abs(off.by), decimals + 1)) === 0
                    ? "just"
                    : number(Math.abs(off.by), decimals + 1)}{" "}
                  {off.by > 0 ? tooHigh : tooLow}
                </span>
              </span>
            </button>
          </li>
        ))}
        <li className="border-hair border-t px-2.5 py-2 text-[13px] text-soft">
          {!shown
            ? "Set a target above to see which cells are off it."
            : sheet.off.length === 0
              ? "Every cell with enough readings is on target."
              : `${sheet.off.length} cell${sheet.off.length === 1 ? "" : "s"}, ${seconds(sheet.off.reduce((sum, o) => sum + o.seconds, 0))}`}
        </li>
      </ul>
    </section>
  );
}

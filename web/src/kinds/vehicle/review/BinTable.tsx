import { useRef, useState } from "react";
import { fixed } from "@/ui/format";
import { type BinSheet, type Cell, cellWords, targetOf } from "./bins";

const ROW_PX = 38;
const LEAST_CELL_PX = 44;

/** One more boundary in the middle of a cell. */
const splitAt = (edges: number[], cell: number) => {
  const [low = 0, high = 0] = [edges[cell], edges[cell + 1]];
  return [...edges.slice(0, cell + 1), (low + high) / 2, ...edges.slice(cell + 1)];
};

const LEAST_DRAG_PX = 4;

const signed = (share: number | null) =>
  share === null ? "–" : `${share > 0 ? "+" : share < 0 ? "−" : ""}${fixed(Math.abs(share), 1)}`;

/** Where a boundary lies that was dragged by parts of a cell; between its neighbours it stays. Rounded to a hundredth of the cell. */
function dragged(edges: number[], index: number, by: number): number {
  const value = edges[index] ?? 0;
  const other = edges[index + (by > 0 ? 1 : -1)] ?? value - (edges[index + (by > 0 ? -1 : 1)] ?? value) + value;
  const size = Math.abs(other - value);
  const unit = 10 ** Math.floor(Math.log10(Math.max(size, 1e-9) / 50));
  const moved = value + Math.sign(by) * Math.min(Math.abs(by), 0.95) * size;
  return Number((Math.round(moved / unit) * unit).toPrecision(10));
}

/** A boundary between two cells: dragged or typed, removed with Delete; "+" splits what lies after it. */
function Edge({
  value,
  index,
  edges,
  onEdges,
  words,
  cells,
}: {
  value: number;
  index: number;
  edges: number[];
  onEdges: (edges: number[]) => void;
  words: string;
  /** From pixels of a drag towards higher values to parts of a cell. */
  cells: (e: { movedX: number; movedY: number }) => number;
}) {
  const from = useRef<{ x: number; y: number; far: boolean } | null>(null);
  const [text, setText] = useState<string | null>(null);
  const take = () => {
    const next = Number((text ?? "").replaceAll(",", ""));
    setText(null);
    const before = edges[index - 1] ?? Number.NEGATIVE_INFINITY;
    const after = edges[index + 1] ?? Number.POSITIVE_INFINITY;
    if (text !== null && Number.isFinite(next) && next > before && next < after && next !== value)
      onEdges(edges.map((each, i) => (i === index ? next : each)));
  };
  return (
    <input
      aria-label={words}
      title="drag it, or type another; Delete removes it; + (or Alt and a click on a cell) splits"
      className="min-h-6 touch-none w-full min-w-0 rounded border border-transparent bg-transparent text-center font-medium text-[12px] text-act hover:border-line focus:border-act"
      inputMode="decimal"
      value={text ?? value.toLocaleString("en", { maximumFractionDigits: 3 })}
      onChange={(e) => setText(e.target.value)}
      onBlur={take}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        from.current = { x: e.clientX, y: e.clientY, far: false };
      }}
      onPointerMove={(e) => {
        if (!from.current) return;
        const moved = { movedX: e.clientX - from.current.x, movedY: e.clientY - from.current.y };
        from.current.far ||= Math.max(Math.abs(moved.movedX), Math.abs(moved.movedY)) >= LEAST_DRAG_PX;
        if (from.current.far) setText(String(dragged(edges, index, cells(moved))));
      }}
      onPointerUp={() => {
        if (from.current?.far) take();
        from.current = null;
      }}
      onPointerCancel={() => {
        from.current = null;
        setText(null);
      }}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur();
        else if (e.key === "Escape") setText(null);
        else if (e.key === "Delete" && text === null && edges.length > 2) onEdges(edges.filter((_, i) => i !== index));
        else if (e.key === "+" && index + 1 < edges.length)
          onEdges([...edges.slice(0, index + 1), (value + (edges[index + 1] ?? value)) / 2, ...edges.slice(index + 1)]);
        else return;
        e.preventDefault();
      }}
    />
  );
}

/** The cells with their means: above and below the target by sign and colour, grey with too few readings, an outline with none. */
export function BinTable({
  sheet,
  decimals,
  shares,
  chosen,
  onChoose,
  onEdges,
  onAndEdges,
}: {
  sheet: BinSheet;
  decimals: number;
  /** The cells say how much fuel they want added, in place of their means. */
  shares: boolean;
  chosen: Cell | null;
  onChoose: (cell: Cell | null) => void;
  onEdges: (edges: number[]) => void;
  onAndEdges: (edges: number[]) => void;
}) {
  const table = useRef<HTMLTableElement>(null);
  const target = targetOf(sheet);
  const rows = [...sheet.mean.keys()].reverse();
  const columns = sheet.edges.length - 1;
  const around = sheet.points.length > 0;
  // What is dragged and typed: boundaries of cells, or their middles, which stand half a cell further.
  const [breaks, andBreaks] = around ? [sheet.points, sheet.and_points] : [sheet.edges, sheet.and_edges];
  const off = around ? 0.5 : 0;
  const what = around ? "Point" : "Boundary";
  const dt = sheet.interval_s;
  const perRow = sheet.count.map((row) => row.reduce((a, b) => a + b, 0) * dt);
  const perColumn = Array.from({ length: columns }, (_, j) =>
    sheet.count.reduce((sum, row) => sum + (row[j] ?? 0) * dt, 0),
  );
  const most = Math.max(...perRow, 1e-9);
  const mostColumn = Math.max(...perColumn, 1e-9);
  const step = (cell: Cell, by: [number, number]) => {
    const next = {
      row: Math.min(Math.max(cell.row + by[0], 0), rows.length - 1),
      column: Math.min(Math.max(cell.column + by[1], 0), columns - 1),
    };
    onChoose(next);
    document.querySelector<HTMLElement>(`[data-cell="${next.row} ${next.column}"]`)?.focus();
  };
  const arrows: Record<string, [number, number]> = {
    ArrowUp: [1, 0],
    ArrowDown: [-1, 0],
    ArrowLeft: [0, -1],
    ArrowRight: [0, 1],
  };
  return (
    <div className="overflow-x-auto pt-1">
      <div style={{ minWidth: Math.max(440, columns * LEAST_CELL_PX + 124) }}>
        <div className="flex justify-between pl-12 text-[12px] text-soft">
          <span>
            {sheet.over.name.toLowerCase()}
            {sheet.over.unit && `, ${sheet.over.unit}`} across, {sheet.and_over.name.toLowerCase()}
            {sheet.and_over.unit && `, ${sheet.and_over.unit}`} up
          </span>
          <span>time, s</span>
        </div>
        <div className="relative ml-12 h-6" style={{ marginRight: 76 }}>
          {breaks.map((edge, i) => (
            <span
              // biome-ignore lint/suspicious/noArrayIndexKey: a boundary is its place
              key={i}
              className="absolute w-14 -translate-x-1/2"
              style={{ left: `${(100 * (i + off)) / columns}%` }}
            >
              <Edge
                value={edge}
                index={i}
                edges={breaks}
                onEdges={onEdges}
                words={`${what} ${i + 1} of ${sheet.over.name.toLowerCase()}`}
                cells={({ movedX }) => movedX / ((table.current?.clientWidth ?? 440) / columns)}
              />
            </span>
          ))}
        </div>
        <div className="flex">
          <div className="relative w-12 shrink-0" style={{ height: rows.length * ROW_PX }}>
            {andBreaks.map((edge, i) => (
              <span
                // biome-ignore lint/suspicious/noArrayIndexKey: a boundary is its place
                key={i}
                className="absolute right-1 w-10 -translate-y-1/2"
                style={{ top: (rows.length - i - off) * ROW_PX }}
              >
                <Edge
                  value={edge}
                  index={i}
                  edges={andBreaks}
                  onEdges={onAndEdges}
                  words={`${what} ${i + 1} of ${sheet.and_over.name.toLowerCase()}`}
                  cells={({ movedY }) => -movedY / ROW_PX}
                />
              </span>
            ))}
          </div>
          <table ref={table} className="w-full min-w-0 table-fixed border-separate border-spacing-[2px]">
            <tbody>
              {rows.map((i) => (
                <tr key={i} style={{ height: ROW_PX - 2 }}>
                  {Array.from({ length: columns }, (_, j) => {
                    const cell = { row: i, column: j };
                    const count = sheet.count[i]?.[j] ?? 0;
                    const mean = sheet.mean[i]?.[j] ?? null;
                    const here = chosen?.row === i && chosen.column === j;
                    const few = count < sheet.fewest;
                    const picked = sheet.picked?.count[i]?.[j] ?? 0;
                    const high = !few && mean !== null && target !== null && mean > target[1];
                    const low = !few && mean !== null && target !== null && mean < target[0];
                    const look =
                      count === 0
                        ? "border-hair border-dashed"
                        : few
                          ? "border-hair bg-salt text-soft"
                          : high
                            ? "border-lost bg-lost/20"
                            : low
                              ? "border-gained bg-gained/20"
                              : "border-line bg-panel";
                    return (
                      // biome-ignore lint/suspicious/noArrayIndexKey: a cell is its place
                      <td key={j} className="p-0">
                        <button
                          type="button"
                          data-cell={`${i} ${j}`}
                          tabIndex={here || (!chosen && i === rows[0] && j === 0) ? 0 : -1}
                          aria-pressed={here}
                          className={`block h-full min-h-[34px] w-full rounded-[3px] border leading-none hover:outline-2 hover:outline-act ${look} ${here ? "outline-2 outline-ink" : picked > 0 ? "outline-2 outline-act" : ""}`}
                          onClick={(e) => {
                            if (!e.altKey) onChoose(here ? null : cell);
                            else if (e.shiftKey) onAndEdges(splitAt(andBreaks, i));
                            else onEdges(splitAt(breaks, j));
                          }}
                          onKeyDown={(e) => {
                            const by = arrows[e.key];
                            if (!by) return;
                            e.preventDefault();
                            e.stopPropagation();
                            step(cell, by);
                          }}
                        >
                          <span className="sr-only">{cellWords(sheet, cell, decimals)}.</span>
                          {count > 0 && mean !== null && (
                            <>
                              <b className="font-narrow font-semibold text-[13px]">
                                {(high || low) && (
                                  <span className={`mr-0.5 text-[9px] ${high ? "text-lost" : "text-gained"}`}>
                                    {high ? "▲" : "▼"}
                                  </span>
                                )}
                                {shares ? signed(sheet.share[i]?.[j] ?? null) : fixed(mean, decimals)}
                              </b>
                              <span className="mt-0.5 block text-[11px] text-soft">
                                {picked > 0 && <b className="font-semibold text-act">{picked} of </b>}
                                {count}
                              </span>
                            </>
                          )}
                        </button>
                      </td>
                    );
                  })}
                </tr>
              ))}
            </tbody>
          </table>
          <div className="w-[76px] shrink-0 pl-2">
            {rows.map((i) => (
              <div key={i} className="text-[12px] text-soft" style={{ height: ROW_PX }}>
                {fixed(perRow[i] ?? 0, 1)}
                <span className="block h-1 bg-line" style={{ width: `${(100 * (perRow[i] ?? 0)) / most}%` }} />
              </div>
            ))}
          </div>
        </div>
        <div className="ml-12 flex" style={{ marginRight: 76 }}>
          {perColumn.map((s, j) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a column is its place
            <div key={j} className="flex-1 px-1 text-[12px] text-soft">
              <span className="block h-1 bg-line" style={{ width: `${(100 * s) / mostColumn}%` }} />
              {fixed(s, 1)}
            </div>
          ))}
        </div>
      </div>
    </div>
  );
}

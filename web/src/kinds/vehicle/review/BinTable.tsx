import { useState } from "react";
import { type BinSheet, type Cell, cellWords, targetOf } from "./bins";

const ROW_PX = 38;

/** A boundary between two cells: typed, removed with Delete; "+" splits what lies after it. */
function Edge({
  value,
  index,
  edges,
  onEdges,
  words,
}: {
  value: number;
  index: number;
  edges: number[];
  onEdges: (edges: number[]) => void;
  words: string;
}) {
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
      title="type another; Delete removes it; + splits the cells after it"
      className="min-h-6 w-full min-w-0 rounded border border-transparent bg-transparent text-center font-medium text-[12px] text-act hover:border-line focus:border-act"
      inputMode="decimal"
      value={text ?? value.toLocaleString("en", { maximumFractionDigits: 3 })}
      onChange={(e) => setText(e.target.value)}
      onBlur={take}
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
  chosen,
  onChoose,
  onEdges,
  onAndEdges,
}: {
  sheet: BinSheet;
  decimals: number;
  chosen: Cell | null;
  onChoose: (cell: Cell | null) => void;
  onEdges: (edges: number[]) => void;
  onAndEdges: (edges: number[]) => void;
}) {
  const target = targetOf(sheet);
  const rows = [...sheet.mean.keys()].reverse();
  const columns = sheet.edges.length - 1;
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
      <div className="min-w-[440px]">
        <div className="flex justify-between pl-12 text-[12px] text-soft">
          <span>
            {sheet.over.name.toLowerCase()}
            {sheet.over.unit && `, ${sheet.over.unit}`} across, {sheet.and_over.name.toLowerCase()}
            {sheet.and_over.unit && `, ${sheet.and_over.unit}`} up
          </span>
          <span>time, s</span>
        </div>
        <div className="relative ml-12 h-6" style={{ marginRight: 76 }}>
          {sheet.edges.map((edge, i) => (
            <span
              // biome-ignore lint/suspicious/noArrayIndexKey: a boundary is its place
              key={i}
              className="absolute w-14 -translate-x-1/2"
              style={{ left: `${(100 * i) / columns}%` }}
            >
              <Edge
                value={edge}
                index={i}
                edges={sheet.edges}
                onEdges={onEdges}
                words={`Boundary ${i + 1} of ${sheet.over.name.toLowerCase()}`}
              />
            </span>
          ))}
        </div>
        <div className="flex">
          <div className="relative w-12 shrink-0" style={{ height: rows.length * ROW_PX }}>
            {sheet.and_edges.map((edge, i) => (
              <span
                // biome-ignore lint/suspicious/noArrayIndexKey: a boundary is its place
                key={i}
                className="absolute right-1 w-10 -translate-y-1/2"
                style={{ top: (rows.length - i) * ROW_PX }}
              >
                <Edge
                  value={edge}
                  index={i}
                  edges={sheet.and_edges}
                  onEdges={onAndEdges}
                  words={`Boundary ${i + 1} of ${sheet.and_over.name.toLowerCase()}`}
                />
              </span>
            ))}
          </div>
          <table className="w-full min-w-0 table-fixed border-separate border-spacing-[2px]">
            <tbody>
              {rows.map((i) => (
                <tr key={i} style={{ height: ROW_PX - 2 }}>
                  {Array.from({ length: columns }, (_, j) => {
                    const cell = { row: i, column: j };
                    const count = sheet.count[i]?.[j] ?? 0;
                    const mean = sheet.mean[i]?.[j] ?? null;
                    const here = chosen?.row === i && chosen.column === j;
                    const few = count < sheet.fewest;
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
                          className={`block h-full min-h-[34px] w-full rounded-[3px] border leading-none hover:outline-2 hover:outline-act ${look} ${here ? "outline-2 outline-ink" : ""}`}
                          onClick={() => onChoose(here ? null : cell)}
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
                                {mean.toFixed(decimals)}
                              </b>
                              <span className="mt-0.5 block text-[11px] text-soft">{count}</span>
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
                {(perRow[i] ?? 0).toFixed(1)}
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
              {s.toFixed(1)}
            </div>
          ))}
        </div>
      </div>
    </div>
  );
}

import type { Assessment } from "@/sheet/assessed";
import { Verdict } from "@/ui/basics";
import { number, type WallClock } from "@/ui/format";
import { DEPTH, RATE } from "./case";

interface Row {
  name: string;
  column: string;
  target: readonly [number, number] | null;
}

const ROWS: Row[] = [
  { name: "Compressions", column: "Compressions", target: null },
  { name: `Rate, ${RATE.join(" to ")} /min`, column: "Rate", target: RATE },
  { name: `Depth, ${DEPTH.join(" to ")} mm`, column: "Depth", target: DEPTH },
  { name: "In depth target, %", column: "Depth in target", target: null },
  { name: "With compressions, %", column: "Fraction", target: null },
  { name: "Pause over 10 s, s", column: "Long pause", target: [0, 0] },
];

/** Minute by minute from the start: what was pressed, off target marked; a press on a minute goes there. */
export function Minutes({
  shown,
  clock,
  onMinute,
}: {
  shown: Assessment;
  clock: WallClock;
  onMinute: (atS: number) => void;
}) {
  const table = shown.tables.find((each) => each.key === "minutes");
  if (!table || table.rows.length === 0) return <p className="text-[13px] text-soft">Nothing was recorded.</p>;
  const at = (name: string) => table.columns.findIndex((column) => column.name === name);
  const isOff = (value: number, target: Row["target"]) =>
    target !== null && (Math.round(value) < target[0] || Math.round(value) > target[1]);
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: it scrolls
    <section aria-label="Minute by minute" tabIndex={0} className="overflow-x-auto">
      <table className="text-right font-narrow text-[13px]">
        <thead>
          <tr className="text-soft">
            <th className="pr-3 text-left font-medium">Minute</th>
            {table.rows.map((row, i) => (
              <th key={String(row[0])} className="min-w-12 font-medium">
                <button
                  type="button"
                  className="min-h-6 w-full px-1.5 text-right text-act hover:underline"
                  title={`from ${clock(Number(row[0]))}`}
                  onClick={() => onMinute(Number(row[0]))}
                >
                  {i + 1}
                </button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {ROWS.map(({ name, column, target }) => (
            <tr key={column} className="border-hair border-t">
              <th scope="row" className="whitespace-nowrap py-1 pr-3 text-left font-normal">
                {name}
              </th>
              {table.rows.map((row) => {
                const value = row[at(column)];
                if (typeof value !== "number")
                  return (
                    <td key={String(row[0])} className="px-1.5 text-soft">
                      –
                    </td>
                  );
                return (
                  <td key={String(row[0])} className="whitespace-nowrap px-1.5 font-semibold">
                    {isOff(value, target) && <Verdict verdict="action level reached" words="off target" bare />}{" "}
                    {number(value, 0)}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

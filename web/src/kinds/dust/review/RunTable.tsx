import { type KeyboardEvent, type MouseEvent, memo, useMemo, useState } from "react";
import { Verdict } from "@/ui/basics";
import { length, number, type WallClock } from "@/ui/format";
import type { Run } from "./runs";

const WIDE = 66;
type Head = "startS" | "lengthS" | "low" | "mean" | "high" | "above";
const HEADS: [Head, string][] = [
  ["startS", "Start"],
  ["lengthS", "Length"],
  ["low", "Lowest"],
  ["mean", "Mean"],
  ["high", "Highest"],
  ["above", "Above"],
];
const three = (value: number | null) => (value === null ? "–" : number(value, 3));

/** From lowest to highest, with the mean as a bar across; the limit dotted. */
function Range({ run, top, limit }: { run: Run; top: number; limit: number | null }) {
  if (run.low === null || run.mean === null || run.high === null) return null;
  const x = (value: number) => Math.min(Math.max(value / top, 0), 1) * WIDE;
  return (
    <svg width={WIDE} height={16} aria-hidden="true" className="inline-block align-middle">
      <rect
        x={x(run.low)}
        y={6}
        width={Math.max(x(run.high) - x(run.low), 1)}
        height={4}
        rx={2}
        className="fill-soft"
        opacity={0.4}
      />
      {limit !== null && (
        <line x1={x(limit)} x2={x(limit)} y1={0} y2={16} className="stroke-ink" strokeDasharray="2 2" />
      )}
      <rect x={x(run.mean) - 1.5} y={2} width={3} height={12} className="fill-act" />
    </svg>
  );
}

/** Every run of the placing in one table: a press loads one, a press with Shift lays another over it. */
export const RunTable = memo(function RunTable({
  runs,
  chosen,
  over,
  limit,
  moment,
  onChoose,
}: {
  runs: Run[];
  chosen: number;
  over: number | null;
  limit: number | null;
  moment: WallClock;
  onChoose: (at: number, isOver: boolean) => void;
}) {
  const [sort, setSort] = useState<{ by: Head; falling: boolean }>({ by: "startS", falling: true });
  const order = useMemo(
    () =>
      runs
        .map((run, at) => ({ run, at }))
        .sort((a, b) => {
          const apart = (a.run[sort.by] ?? -1) - (b.run[sort.by] ?? -1);
          return sort.falling ? -apart : apart;
        }),
    [runs, sort],
  );
  const top = Math.max(...runs.map((run) => run.high ?? 0), limit ?? 0, 1e-9) * 1.03;
  const press = (at: number) => (event: MouseEvent | KeyboardEvent) => onChoose(at, event.shiftKey);
  return (
    <div className="max-h-[420px] overflow-auto">
      <table className="w-full whitespace-nowrap font-narrow text-[13px]">
        <thead className="sticky top-0 bg-panel font-narrow text-[12.5px] text-soft">
          <tr className="text-right [&>th]:px-1 [&>th]:py-1 [&>th]:font-medium">
            {HEADS.map(([head, words]) => (
              <th
                key={head}
                className={head === "startS" ? "text-left" : ""}
                aria-sort={sort.by === head ? (sort.falling ? "descending" : "ascending") : undefined}
              >
                <button
                  type="button"
                  className="min-h-6 font-medium hover:text-act"
                  onClick={() => setSort({ by: head, falling: sort.by === head ? !sort.falling : true })}
                >
                  {words}
                  {sort.by === head ? (sort.falling ? " ↓" : " ↑") : ""}
                </button>
              </th>
            ))}
            <th className="text-left max-[1100px]:hidden">range</th>
            <th className="text-left">Verdict</th>
          </tr>
        </thead>
        <tbody>
          {order.map(({ run, at }) => (
            <tr
              key={run.startS}
              aria-selected={at === chosen}
              className={`border-hair border-t text-right [&>td]:px-1 [&>td]:py-0.5 ${at === chosen ? "bg-act-soft" : at === over ? "bg-hair" : ""}`}
            >
              <td className="whitespace-nowrap text-left">
                <button
                  type="button"
                  className="min-h-6 hover:underline"
                  title="Shift lays it over the chosen one"
                  aria-current={at === chosen}
                  onClick={press(at)}
                >
                  {moment(run.startS)}
                </button>
              </td>
              <td>{length(run.lengthS)}</td>
              <td className="text-soft">{three(run.low)}</td>
              <td className="font-semibold">{three(run.mean)}</td>
              <td>{three(run.high)}</td>
              <td>{run.above ?? "–"}</td>
              <td className="text-left max-[1100px]:hidden">
                <Range run={run} top={top} limit={limit} />
              </td>
              <td className="whitespace-nowrap text-left">
                <Verdict
                  verdict={run.verdict}
                  words={run.because || (run.verdict === "within" ? "within" : run.verdict)}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
});

import type { Assessment } from "@/sheet/assessed";
import { DataTable } from "@/sheet/DataTable";
import type { WallClock } from "@/ui/format";
import { number } from "@/ui/format";

/** The night by the hour, each index over the valid time of its own hour; by the position of the body where it was recorded. */
export function Hours({
  shown,
  clock,
  onTime,
}: {
  shown: Assessment;
  clock: WallClock;
  onTime: (atS: number) => void;
}) {
  const [hours, positions] = ["hours", "positions"].map((key) => shown.tables.find((table) => table.key === key));
  if (!hours || hours.rows.length === 0) return <p className="text-[13px] text-soft">Nothing was recorded.</p>;
  const index = hours.columns.findIndex((column) => column.name === "ODI4");
  const highest = Math.max(...hours.rows.map((row) => (typeof row[index] === "number" ? row[index] : 0)), 1);
  return (
    <>
      <ul className="flex h-24 items-end gap-1 pb-2" aria-label="Falls of four points an hour of valid time">
        {hours.rows.map((row) => {
          const [from, value] = [Number(row[0]), row[index]];
          const known = typeof value === "number";
          return (
            <li key={from} className="min-w-6 flex-1">
              <button
                type="button"
                className="block w-full text-center font-narrow text-[11.5px] hover:underline"
                title={`from ${clock(from)}: ${known ? `${number(value, 1)} an hour` : "nothing valid"}`}
                onClick={() => onTime(from)}
              >
                {known ? number(value, 1) : "–"}
                <i
                  className="block rounded-t-sm bg-act"
                  style={{ height: known ? Math.max((46 * value) / highest, 1) : 1 }}
                />
                <span className="text-soft">{clock(from).slice(0, 2)}</span>
              </button>
            </li>
          );
        })}
      </ul>
      <DataTable table={hours} clock={clock} onTime={onTime} />
      {positions && (
        <>
          <h2 className="pt-2">{positions.title}</h2>
          <DataTable table={positions} clock={clock} />
        </>
      )}
    </>
  );
}

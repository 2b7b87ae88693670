import { readUnit, readValue } from "@/api/readers";
import { fixed } from "@/ui/format";
import { type LapSheet, lapTime, signed } from "./laps";

const time = (s: number | null) => (s === null ? "–" : lapTime(s));

const SPEED = "km/h";

/** Two sessions in a few figures each, and which lap of the other one is the reference. */
export function SideBySide({
  sheet,
  mine,
  whose,
  onReference,
}: {
  sheet: LapSheet;
  mine: string;
  whose: string;
  onReference: (lap: number) => void;
}) {
  const [own, other] = [sheet.sums, sheet.beside_sums];
  if (!other) return null;
  const row = (
    name: string,
    key: "best_s" | "theoretical_s" | "mean_s" | "consistency_s" | "top_km_h",
    decimals = 2,
  ) => {
    const said = (value: number | null) =>
      key === "consistency_s" || key === "top_km_h" ? (value === null ? "–" : fixed(value, decimals)) : time(value);
    const read = (value: number | null) => (key === "top_km_h" && value !== null ? readValue(value, SPEED, 1) : value);
    const [a, b] = [read(own[key]), read(other[key])];
    return [name, said(a), said(b), a === null || b === null ? "" : signed(a - b, decimals)] as const;
  };
  const rows = [
    row("Best lap", "best_s"),
    row("Theoretical best", "theoretical_s"),
    row("Mean lap", "mean_s"),
    row("Consistency, s", "consistency_s"),
    ["Laps counted", String(own.count), String(other.count), ""] as const,
    row(`Top, ${readUnit(SPEED)}`, "top_km_h", 1),
  ];
  return (
    <section aria-label="Side by side" className="mt-2 overflow-x-auto rounded-lg border border-line bg-panel">
      <table className="w-full text-right text-[13.5px] tabular-nums">
        <thead className="font-narrow text-[12.5px] text-soft">
          <tr>
            <th className="px-3 py-1 text-left font-medium">Whose</th>
            {rows.map(([name]) => (
              <th key={name} className="px-3 font-medium">
                {name}
              </th>
            ))}
            <th className="px-3 text-left font-medium">Lap shown</th>
          </tr>
        </thead>
        <tbody>
          <tr className="border-hair border-t">
            <th className="px-3 py-1 text-left font-medium">
              <i className="mr-1.5 inline-block h-[3px] w-4 bg-compared align-middle" />
              {mine}
            </th>
            {rows.map(([name, value]) => (
              <td key={name} className="px-3 font-narrow font-semibold text-[17px]">
                {value}
              </td>
            ))}
            <td className="px-3 text-left text-soft">lap {sheet.lap}, chosen below</td>
          </tr>
          <tr className="border-hair border-t">
            <th className="px-3 py-1 text-left font-medium">
              <i className="mr-1.5 inline-block h-[3px] w-4 bg-reference align-middle" />
              {whose}
            </th>
            {rows.map(([name, , value]) => (
              <td key={name} className="px-3 font-narrow font-semibold text-[17px]">
                {value}
              </td>
            ))}
            <td className="px-3 text-left">
              <select
                aria-label={`Lap of ${whose}`}
                className="min-h-7 rounded-md border border-line bg-panel px-1"
                value={sheet.reference ?? ""}
                onChange={(e) => onReference(Number(e.target.value))}
              >
                {sheet.beside
                  .filter((l) => l.kind === "timed")
                  .map((l) => (
                    <option key={l.number} value={l.number}>
                      lap {l.number}, {lapTime(l.time_s)}
                      {l.number === other.best_lap ? ", best" : l.counts ? "" : ", left out"}
                    </option>
                  ))}
              </select>
            </td>
          </tr>
          <tr className="border-hair border-t text-soft">
            <th className="px-3 py-0.5 text-left font-medium">Difference</th>
            {rows.map(([name, , , difference]) => (
              <td key={name} className="px-3">
                {difference}
              </td>
            ))}
            <td />
          </tr>
        </tbody>
      </table>
    </section>
  );
}

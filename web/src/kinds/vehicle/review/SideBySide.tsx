import { fixed } from "@/ui/format";
import { type LapRow, type LapSheet, lapTime, signed } from "./laps";

interface Sum {
  best: number | null;
  bestLap: number | null;
  theoretical: number | null;
  mean: number | null;
  deviation: number | null;
  counted: number;
  top: number | null;
}

const SMALL = [0.399, 0.994, 0.512, 0.844, 0.611, 0.857, 0.669, 0.872];

/** As the figure Consistency has it: Qn (docs/methods/vehicle.md). */
export function robustSpread(times: number[]): number | null {
  const n = times.length;
  if (n < 2) return null;
  const apart = times.flatMap((a, i) => times.slice(i + 1).map((b) => Math.abs(a - b))).sort((a, b) => a - b);
  const h = Math.floor(n / 2) + 1;
  const small = SMALL[n - 2] ?? n / (n + (n % 2 ? 1.4 : 3.8));
  return 2.2219 * small * (apart[(h * (h - 1)) / 2 - 1] ?? 0);
}

function sumOf(laps: LapRow[]): Sum {
  const counted = laps.filter((l) => l.kind === "timed" && l.counts);
  const times = counted.map((l) => l.time_s);
  const best = counted.filter((l) => !l.unsure).sort((a, b) => a.time_s - b.time_s)[0];
  const mean = times.length ? times.reduce((a, b) => a + b, 0) / times.length : null;
  const sectors = Math.max(0, ...counted.map((l) => l.sectors_s.length));
  const bests = Array.from({ length: sectors }, (_, i) =>
    Math.min(...counted.map((l) => l.sectors_s[i] ?? Number.POSITIVE_INFINITY)),
  );
  const tops = counted.flatMap((l) => (l.top_km_h === null ? [] : [l.top_km_h]));
  return {
    best: best?.time_s ?? null,
    bestLap: best?.number ?? null,
    theoretical: bests.length && bests.every(Number.isFinite) ? bests.reduce((a, b) => a + b, 0) : null,
    mean,
    deviation: robustSpread(times),
    counted: counted.length,
    top: tops.length ? Math.max(...tops) : null,
  };
}

const time = (s: number | null) => (s === null ? "–" : lapTime(s));

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
  const [own, other] = [sumOf(sheet.laps), sumOf(sheet.beside)];
  const differs = (a: number | null, b: number | null, decimals = 2) =>
    a === null || b === null ? "" : signed(a - b, decimals);
  const rows: [string, string, string, string][] = [
    ["Best lap", time(own.best), time(other.best), differs(own.best, other.best)],
    ["Theoretical best", time(own.theoretical), time(other.theoretical), differs(own.theoretical, other.theoretical)],
    ["Mean lap", time(own.mean), time(other.mean), differs(own.mean, other.mean)],
    [
      "Consistency, s",
      own.deviation == null ? "–" : fixed(own.deviation, 2),
      other.deviation == null ? "–" : fixed(other.deviation, 2),
      differs(own.deviation, other.deviation),
    ],
    ["Laps counted", String(own.counted), String(other.counted), ""],
    [
      "Top, km/h",
      own.top == null ? "–" : fixed(own.top, 1),
      other.top == null ? "–" : fixed(other.top, 1),
      differs(own.top, other.top, 1),
    ],
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
                      {l.number === other.bestLap ? ", best" : l.counts ? "" : ", left out"}
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

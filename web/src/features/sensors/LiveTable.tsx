import type { Schemas } from "@/api/client";
import { dayMonth, number } from "@/ui/format";
import { type LiveValues, useCalmNow, useLost } from "./live";

type Bench = Schemas["SensorBench"];

export const decimalsOfUnit = (unit: string) => (unit === "g" ? 3 : unit === "rpm" || unit === "%" ? 0 : 1);
export const shownUnit = (unit: string) => (unit === "deg" ? "°" : unit);

const BARS: Record<string, [number, number]> = { deg: [-120, 120], "%": [0, 100], g: [-2, 2] };

/** The ends of what a sensor is calibrated over; of one press from nothing to its value at rest. */
export const endsOf = (sensor: Schemas["Sensor"]): [number, number] => [
  Math.min(0, ...sensor.trues),
  Math.max(...sensor.trues, Math.min(0, ...sensor.trues) + 1),
];

/** Where a value lies between its ends; from the middle outwards where it can be negative. */
function Bar({ ends, value }: { ends: [number, number] | undefined; value: number | null | undefined }) {
  if (!ends) return null;
  const [low, high] = ends;
  const share = (v: number) => (Math.min(Math.max(v, low), high) - low) / (high - low);
  const zero = share(0);
  const at = value === null || value === undefined ? zero : share(value);
  return (
    <span aria-hidden className="relative block h-1.5 w-11 rounded bg-hair">
      <i
        className="absolute top-0 h-full rounded bg-act"
        style={{ left: `${Math.min(zero, at) * 100}%`, width: `${Math.abs(at - zero) * 100}%` }}
      />
      {low < 0 && <i className="absolute -top-1 h-3.5 w-px bg-soft" style={{ left: `${zero * 100}%` }} />}
    </span>
  );
}

/** What every channel says now; a row whose sensor can be calibrated is chosen by it. */
export function LiveTable({
  bench,
  live,
  chosen,
  onChoose,
}: {
  bench: Bench;
  live: LiveValues;
  chosen: string;
  onChoose: (key: string) => void;
}) {
  const now = useCalmNow(live);
  const lost = useLost(live);
  const sensorOf = (key: string) => bench.sensors.find((s) => s.channels.includes(key));
  const since = (sensor: Schemas["Sensor"] | undefined) => {
    const standing = sensor?.standing;
    if (!standing) return <span className="text-soft">no need</span>;
    if (standing.state === "never") return <span className="text-action">never</span>;
    const words = standing.at ? dayMonth(standing.at) : "";
    return standing.state === "right" ? words : <span className="text-action">{words}, due</span>;
  };
  return (
    <section aria-label="Live now" className="rounded-lg border border-line bg-panel">
      <div className="flex items-baseline gap-2.5 px-3 pt-2.5 pb-1">
        <h2>Live now</h2>
        <span className={`text-[13px] ${lost ? "text-action" : "text-soft"}`}>
          {lost || `${bench.channels.length} channels, ten times a second`}
        </span>
      </div>
      <table className={`w-full text-[13.5px] ${lost ? "text-none" : ""}`}>
        <thead className="text-left font-narrow text-[12.5px] text-soft">
          <tr>
            <th className="px-3 py-1 font-medium">Channel</th>
            <th>
              <span className="sr-only">picture</span>
            </th>
            <th className="px-1 text-right font-medium">value</th>
            <th>
              <span className="sr-only">unit</span>
            </th>
            <th className="px-3 text-right font-medium">calibrated</th>
          </tr>
        </thead>
        <tbody>
          {bench.channels.map((channel) => {
            const sensor = sensorOf(channel.key);
            const value = now?.values[channel.key];
            const off = sensor?.off;
            return (
              <tr
                key={channel.key}
                className={`border-hair border-t ${sensor?.key === chosen ? "bg-[color-mix(in_srgb,var(--act-soft)_45%,var(--panel))] shadow-[inset_3px_0_var(--act)]" : ""} ${off ? "hatched" : ""}`}
              >
                <td className="px-3">
                  {sensor && sensor.way === "positions" ? (
                    <button
                      type="button"
                      aria-pressed={sensor.key === chosen}
                      className="min-h-7 text-left hover:text-act"
                      onClick={() => onChoose(sensor.key)}
                    >
                      {channel.name}
                    </button>
                  ) : (
                    <span className="inline-flex min-h-7 items-center">{channel.name}</span>
                  )}
                </td>
                <td>
                  <Bar ends={BARS[channel.unit] ?? (sensor && endsOf(sensor))} value={value} />
                </td>
                <td className="px-1 text-right font-narrow font-semibold tabular-nums">
                  {value === null ? "no value" : number(value, decimalsOfUnit(channel.unit))}
                </td>
                <td className="text-soft">{shownUnit(channel.unit)}</td>
                <td className="whitespace-nowrap px-3 text-right text-[13px] text-soft">
                  {off ? `switched off${sensor.off_because ? `: ${sensor.off_because}` : ""}` : since(sensor)}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}

import type { Schemas } from "@/api/client";
import { Button, Verdict } from "@/ui/basics";
import { moment, number } from "@/ui/format";
import { type LiveValues, useCalmNow } from "./live";

/** A sensor of one press: what its axes say, and the press. */
export function PressCard({
  sensor,
  live,
  busy,
  onPress,
}: {
  sensor: Schemas["Sensor"];
  live: LiveValues;
  busy: boolean;
  onPress: () => void;
}) {
  const now = useCalmNow(live);
  const at = sensor.standing?.at;
  return (
    <section aria-label={`${sensor.label}, one press`} className="rounded-lg border border-line bg-panel px-3 py-2.5">
      <h2>{sensor.label}, one press</h2>
      <p className="text-[13px] text-soft">{sensor.stands}</p>
      <table className="mt-1 w-full text-[13.5px]">
        <tbody>
          {sensor.positions.map((axis) => (
            <tr key={axis.channel} className="border-hair border-t">
              <td className="py-0.5">{axis.words}</td>
              <td className="text-right text-soft">should be {Number(axis.true.toPrecision(4))}</td>
              <td className="w-24 text-right font-narrow font-semibold tabular-nums">
                {number(now?.values[axis.channel], 3)} {sensor.unit}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="mt-2 flex flex-wrap items-center gap-3">
        <Button size="small" disabled={busy} onClick={onPress}>
          {at ? "Zero again" : "Zero"}
        </Button>
        {at && <Verdict verdict="within" words={`zeroed ${moment(at)}, on the recorder`} />}
      </div>
    </section>
  );
}

import type { Schemas } from "@/api/client";
import { Button } from "@/ui/basics";
import { dayMonth, moment, number } from "@/ui/format";

const WORDS: Record<string, string> = {
  calibration: "calibrated",
  proof: "proved",
  replaced: "sensor replaced",
  bump: "bump test",
  span: "calibration",
  zero: "zeroed",
  calibrator: "calibrator",
};

function what(row: Schemas["SensorCheck"]) {
  const points = Object.values(row.points as Record<string, [number, number][]>).flat();
  if (row.what === "calibration") return points.map(([raw]) => number(raw, 3)).join(" / ");
  if (row.applied !== null && row.read !== null)
    return `applied ${number(row.applied)}, read ${number(row.read)} ${row.unit}`;
  return row.note;
}

const PUT_BACK = "put back";

/** The true values of the points, where all calibrations have the same. */
function trues(rows: Schemas["SensorCheck"][]) {
  const found = rows
    .filter((r) => r.what === "calibration")
    .map((r) =>
      Object.values(r.points as Record<string, [number, number][]>)
        .flat()
        .map(([, at]) => number(at, 0))
        .join(" / "),
    );
  return new Set(found).size === 1 ? (found[0] ?? "") : "";
}

/** Every check on record, the newest first; an earlier calibration can be put back. */
export function History({
  title,
  rows,
  sensors,
  onPutBack,
}: {
  title: string;
  rows: Schemas["SensorCheck"][];
  sensors: Schemas["Sensor"][];
  onPutBack?: (row: Schemas["SensorCheck"]) => void;
}) {
  const replacedAt = (sensor: string) => rows.find((r) => r.sensor === sensor && r.what === "replaced")?.at ?? "";
  const newest = (sensor: string) => rows.find((r) => r.sensor === sensor && r.what === "calibration")?.id;
  const label = (key: string) => sensors.find((s) => s.key === key)?.label ?? key;
  const heads = trues(rows);
  const many = new Set(rows.map((r) => r.sensor)).size > 1;
  return (
    <section aria-label={title} className="rounded-lg border border-line bg-panel">
      <h2 className="px-3 pt-2.5 pb-1">{title}</h2>
      {rows.length === 0 && <p className="px-3 pb-2.5 text-[13px] text-soft">None is on record.</p>}
      {rows.length > 0 && (
        <table className="w-full text-[13px]">
          <thead className="text-left font-narrow text-[12.5px] text-soft">
            <tr>
              {["Date, by", "what, serial number", heads ? `raw at ${heads}` : "result", "until", PUT_BACK].map((h) => (
                <th key={h} className="px-2 py-1 font-medium first:pl-3">
                  {h === PUT_BACK ? <span className="sr-only">{h}</span> : h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={row.id} className="border-hair border-t align-top">
                <td className="whitespace-nowrap py-1 pr-2 pl-3">
                  {moment(row.at)}
                  <span className="block text-soft">{row.by || "the recorder"}</span>
                </td>
                <td className={`px-2 py-1 ${row.passed ? "" : "font-semibold text-above"}`}>
                  {many && row.sensor ? `${label(row.sensor)}, ` : ""}
                  {WORDS[row.what] ?? row.what}
                  {!row.passed && ", failed"}
                  <span className="block text-soft">{row.serial}</span>
                </td>
                <td className="px-2 py-1 tabular-nums">
                  {what(row)}
                  {row.certificate && <span className="block text-soft">certificate {row.certificate}</span>}
                </td>
                <td className="whitespace-nowrap px-2 py-1">{row.due_at ? dayMonth(row.due_at) : ""}</td>
                <td className="whitespace-nowrap px-2 py-0.5 text-right text-soft">
                  {row.what !== "calibration" || !onPutBack ? (
                    ""
                  ) : row.at < replacedAt(row.sensor) ? (
                    "sensor replaced"
                  ) : newest(row.sensor) === row.id ? (
                    "on the recorder"
                  ) : (
                    <Button look="quiet" size="small" onClick={() => onPutBack(row)}>
                      put back
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

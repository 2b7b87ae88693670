import type { Schemas } from "@/api/client";
import { Button, inputLook, Verdict } from "@/ui/basics";
import { moment } from "@/ui/format";

/** What is on the recorder, what is captured and not written; the write. */
export function WriteCard({
  sensor,
  captured,
  all,
  serial,
  onSerial,
  busy,
  onWrite,
  onReplaced,
}: {
  sensor: Schemas["Sensor"];
  captured: number;
  /** How many points there are to be. */
  all: number;
  serial: string;
  onSerial: (value: string) => void;
  busy: boolean;
  onWrite: () => void;
  onReplaced: () => void;
}) {
  const { standing } = sensor;
  const at = standing?.at ?? null;
  const complete = captured === all;
  return (
    <section aria-label="Write to recorder" className="rounded-lg border border-line bg-panel px-3 py-2.5">
      <h2>Write to recorder</h2>
      <div className={`-mx-3 mt-1 px-3 py-1.5 ${captured > 0 ? "bg-warn" : ""} border-hair border-y`}>
        <div className="flex justify-between gap-2">
          <span>{sensor.label}</span>
          {captured > 0 ? (
            <b className="font-semibold text-action">not written</b>
          ) : standing?.state === "right" ? (
            <Verdict verdict="within" words="read back equal" />
          ) : (
            <span className="text-action">{standing?.state === "never" ? "not calibrated" : "due"}</span>
          )}
        </div>
        <p className="flex justify-between gap-2 text-[13px] text-soft">
          <span>
            {captured > 0 ? `${captured} of ${all} points, ` : ""}
            {at ? `on the recorder: ${moment(at)}` : "nothing of ours on the recorder"}
          </span>
          {captured > 0 && captured < all && <span>{all - captured} to capture</span>}
        </p>
      </div>
      <div className="mt-2 flex items-end gap-2">
        <label className="grid gap-0.5 text-[13px] text-soft">
          Serial number of the sensor
          <input
            className={`${inputLook} max-w-[150px]`}
            value={serial}
            maxLength={40}
            onChange={(e) => onSerial(e.target.value)}
          />
        </label>
        <Button look="quiet" size="small" className="mb-1" onClick={onReplaced}>
          sensor replaced
        </Button>
      </div>
      <Button
        main
        className="mt-2"
        look={complete ? "primary" : "plain"}
        disabled={!complete || busy}
        onClick={onWrite}
      >
        {busy ? "Writing and reading back …" : `Write ${sensor.label.toLowerCase()}`}
      </Button>
      <p className="mt-1.5 text-[12.5px] text-soft">
        Every value is read back and compared. If one differs, the recorder keeps the calibration it had.
      </p>
    </section>
  );
}

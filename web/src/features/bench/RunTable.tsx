import { useState } from "react";
import { Button, Field, inputLook, Verdict, type VerdictWord } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { day, moment, number, unitWords } from "@/ui/format";
import { type Ask, AskCard } from "./Asks";
import { AtWork, ByHand } from "./AtWork";
import { type Bay, type Row, type Run, useBenchDeeds } from "./useBench";

const SHAPE: Record<Row["state"], VerdictWord | null> = {
  passed: "within",
  failed: "above limit",
  "no result": "not assessable",
  waits: null,
  runs: null,
};

const shown = (value: number | null, row: Row) => (value === null ? "–" : number(value, row.decimals));

function Result({ row }: { row: Row }) {
  const shape = SHAPE[row.state];
  if (shape)
    return (
      <span title={row.words || undefined}>
        <Verdict verdict={shape} words={row.state === "failed" ? row.words || "failed" : row.state} />
      </span>
    );
  if (row.state === "runs")
    return <span className="text-act">at work{row.seconds === null ? "" : `, ${number(row.seconds, 0)} s left`}</span>;
  return <span className="text-soft">waits</span>;
}

function ReplaceSensor({ recorder, row, onClose }: { recorder: number; row: Row; onClose: () => void }) {
  const { replace } = useBenchDeeds();
  const [serial, setSerial] = useState("");
  return (
    <Dialog title={`A new sensor, ${row.label}`} open onClose={onClose}>
      <form
        className="grid gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          replace.mutate({ recorder, sensor: row.sensor, serial }, { onSuccess: onClose });
        }}
      >
        <p className="text-[13.5px]">
          Its checks and its span factors begin anew: it counts as never calibrated until it was. The old one was{" "}
          {row.serial}.
        </p>
        <Field label="Serial number of the new one">
          <input
            className={inputLook}
            value={serial}
            maxLength={40}
            onChange={(event) => setSerial(event.target.value)}
          />
        </Field>
        <div>
          <Button look="primary" type="submit" disabled={!serial.trim() || replace.isPending}>
            It was replaced
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

/** A check of one recorder, sensor by sensor: applied, before, after, factor, result, when it is due again. */
export function RunTable({ bay, run, asks, onStop }: { bay: Bay; run: Run; asks: Ask[]; onStop: (run: Run) => void }) {
  const asked = asks.find((each) => each.recorder_id === bay.recorder_id && each.what === run.what);
  const [replacing, setReplacing] = useState<Row | null>(null);
  const word = bay.checks.find((each) => each.key === run.what);
  const done = run.rows.filter((row) => row.state === "passed" || row.state === "failed").length;
  return (
    <section
      aria-label={`${bay.token}, ${word?.label ?? run.what}`}
      className="rounded-lg border border-line bg-panel px-3 py-2"
    >
      <div className="flex flex-wrap items-baseline gap-x-3 pb-1">
        <h2>
          {bay.token}, {word?.label.toLowerCase() ?? run.what}
        </h2>
        <span className="text-[13px] text-soft">
          {bay.holder ? `with ${bay.holder}` : "nobody has it"}; began {moment(run.began_at)}
        </span>
        <span className="ml-auto text-[13px]" role="status">
          <b className="font-semibold">
            {done} of {run.rows.length}
          </b>{" "}
          sensors done
        </span>
        {run.state === "running" && (
          <Button size="small" look="quiet" onClick={() => onStop(run)}>
            {word?.by_hand ? "Stop here" : "Stop after this sensor"}
          </Button>
        )}
        {run.certificate_id !== null && (
          <a
            className="text-act hover:underline"
            href={`/api/certificates/${run.certificate_id}/pdf`}
            target="_blank"
            rel="noreferrer"
          >
            Certificate
          </a>
        )}
      </div>
      {run.trouble && <p className="pb-1 text-[13px] text-action">{run.trouble}</p>}
      {asked ? (
        <div className="pb-1.5">
          <AskCard ask={asked} />
        </div>
      ) : (
        run.rows.some((row) => row.state === "failed") && (
          <p className="pb-1 text-[13px] text-soft">No session since it was passed last.</p>
        )
      )}
      <div className="overflow-x-auto">
        <table className="w-full whitespace-nowrap text-[13.5px]">
          <thead className="font-narrow text-[12.5px] text-soft">
            <tr className="text-right [&>th]:px-2 [&>th]:py-1 [&>th]:font-medium">
              <th className="text-left">Sensor</th>
              <th className="text-left">Serial number</th>
              <th>Applied</th>
              <th>Before</th>
              <th>After</th>
              <th>Factor</th>
              <th className="text-left">Result</th>
              <th>Next due</th>
            </tr>
          </thead>
          <tbody>
            {run.rows.map((row) => (
              <tr
                key={row.sensor}
                className={`border-hair border-t text-right [&>td]:px-2 [&>td]:py-0.5 ${row.state === "runs" ? "bg-act-soft" : ""}`}
              >
                <th scope="row" className="px-2 text-left font-semibold">
                  {row.label}
                </th>
                <td className="text-left text-soft">{row.serial}</td>
                <td>
                  {shown(row.applied, row)} <span className="text-soft">{unitWords(row.unit)}</span>
                </td>
                <td>{shown(row.before, row)}</td>
                <td>{shown(row.after, row)}</td>
                <td>{row.after === null || row.factor === null ? "–" : `× ${number(row.factor, 3)}`}</td>
                <td className="text-left">
                  <Result row={row} />
                </td>
                <td className="text-soft">
                  {row.state === "failed" && run.state !== "running" && row.serial ? (
                    <button
                      type="button"
                      className="min-h-6 text-act hover:underline"
                      aria-label={`Replace the sensor ${row.label}`}
                      onClick={() => setReplacing(row)}
                    >
                      replace sensor …
                    </button>
                  ) : row.due ? (
                    day(row.due)
                  ) : (
                    "–"
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {replacing && <ReplaceSensor recorder={bay.recorder_id} row={replacing} onClose={() => setReplacing(null)} />}
      {run.state === "running" &&
        word &&
        (word.by_hand ? <ByHand run={run} word={word} /> : <AtWork run={run} word={word} />)}
    </section>
  );
}

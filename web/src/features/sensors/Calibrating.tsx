import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, ask, Problem, type Schemas } from "@/api/client";
import { moment } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { PasscodeDialog } from "@/ui/passcode";
import { ReasonDialog } from "@/ui/reason";
import { History } from "./History";
import { LiveTable } from "./LiveTable";
import { useLiveValues } from "./live";
import { Positions } from "./Positions";
import { PressCard } from "./PressCard";
import { Proof } from "./Proof";
import { useCapture } from "./useCapture";
import { WriteCard } from "./WriteCard";

type Bench = Schemas["SensorBench"];

/** Three columns: what the sensors say and the simple calibrations, the capture, writing and proof. */
export function Calibrating({ recorder, bench }: { recorder: Schemas["Recorder"]; bench: Bench }) {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const positions = bench.sensors.filter((s) => s.way === "positions");
  const [chosen, setChosen] = useState(
    positions.find((s) => s.standing?.state !== "right")?.key ?? positions[0]?.key ?? "",
  );
  // Chosen by a click or a key: the next key belongs to its capture, and not to the row again.
  const [byHand, setByHand] = useState(false);
  const sensor = positions.find((s) => s.key === chosen);
  const live = useLiveValues(
    recorder.id,
    recorder.in_reach ? bench.channels.map((c) => c.key) : [],
    positions.map((s) => s.key),
  );
  const capture = useCapture(recorder.id, sensor);
  const [serials, setSerials] = useState<Record<string, string>>({});
  const [replacing, setReplacing] = useState(false);
  const passcode = useRef("");
  const [asking, setAsking] = useState<(() => void) | null>(null);
  const path = { recorder_id: recorder.id };
  const serial = sensor ? (serials[sensor.key] ?? sensor.serial) : "";
  const keep = useMutation({
    mutationFn: ({ work }: { work: () => Promise<Bench>; words: string; after?: () => void }) => work(),
    onSuccess: (found, { words, after }) => {
      queries.setQueryData(["sensors", recorder.id], found);
      queries.invalidateQueries({ queryKey: ["recorders"] });
      after?.();
      say(words);
    },
    onError: (error, wish) => {
      if (error instanceof Problem && error.status === 423) {
        if (passcode.current) fail(error);
        setAsking(() => () => keep.mutate(wish));
      } else fail(error);
    },
  });
  const points = (): [number, number][] =>
    (capture.work?.captured ?? []).flatMap((c, i): [number, number][] =>
      c ? [[c.raw, Number(capture.work?.trues[i])]] : [],
    );
  const complete = sensor && points().length === capture.work?.captured.length ? points() : null;
  const write = () =>
    sensor &&
    complete &&
    keep.mutate({
      work: () =>
        ask(
          api.POST("/api/recorders/{recorder_id}/sensors/{sensor}/calibrate", {
            params: { path: { ...path, sensor: sensor.key } },
            body: { points: complete.map(([raw, at]) => ({ raw, true: at })), serial, passcode: passcode.current },
          }),
        ),
      words: `${sensor.label}: written and read back equal.`,
      after: () => capture.written(sensor.key),
    });
  const press = (of: Schemas["Sensor"]) =>
    keep.mutate({
      work: () =>
        ask(
          api.POST("/api/recorders/{recorder_id}/sensors/{sensor}/calibrate", {
            params: { path: { ...path, sensor: of.key } },
            body: { points: [], serial: of.serial, passcode: passcode.current },
          }),
        ),
      words: `${of.label}: zeroed, written and read back equal.`,
    });
  const mine = sensor ? bench.checks.filter((r) => r.sensor === sensor.key) : [];
  return (
    <div className="grid grid-cols-[344px_minmax(0,1fr)_300px] gap-2.5 max-[1180px]:grid-cols-[minmax(0,1fr)_minmax(0,1.4fr)] max-[860px]:grid-cols-1">
      <div className="grid content-start gap-2.5">
        <LiveTable
          bench={bench}
          live={live}
          chosen={chosen}
          onChoose={(key) => {
            setChosen(key);
            setByHand(true);
          }}
        />
        {bench.sensors
          .filter((s) => s.way === "press")
          .map((s) => (
            <PressCard key={s.key} sensor={s} live={live} busy={keep.isPending} onPress={() => press(s)} />
          ))}
      </div>
      <div className="grid content-start gap-2.5">
        {sensor && capture.work && (
          <Positions
            key={sensor.key}
            sensor={sensor}
            live={live}
            takesFocus={byHand}
            captured={capture.work.captured}
            trues={capture.work.trues}
            next={capture.next}
            busy={capture.busy}
            refusals={capture.work.refusals}
            onTrue={capture.setTrue}
            onCapture={capture.capture}
            onAgain={capture.again}
            onMore={capture.more}
            onFewer={capture.fewer}
            onStartOver={capture.startOver}
          />
        )}
        <History
          title={`Earlier checks, ${sensor?.label.toLowerCase() ?? "all"}`}
          rows={mine}
          sensors={bench.sensors}
          onPutBack={(row) =>
            keep.mutate({
              work: () =>
                ask(
                  api.POST("/api/recorders/{recorder_id}/sensors/put-back", {
                    params: { path },
                    body: { check_id: row.id, passcode: passcode.current },
                  }),
                ),
              words: `The calibration of ${moment(row.at)} is on the recorder again.`,
            })
          }
        />
      </div>
      <div className="grid content-start gap-2.5 max-[1180px]:col-span-2 max-[1180px]:grid-cols-2 max-[860px]:col-span-1 max-[860px]:grid-cols-1">
        {sensor && (
          <WriteCard
            sensor={sensor}
            captured={points().length}
            all={capture.work?.captured.length ?? sensor.positions.length}
            serial={serial}
            onSerial={(value) => setSerials((all) => ({ ...all, [sensor.key]: value }))}
            busy={keep.isPending}
            onWrite={write}
            onReplaced={() => setReplacing(true)}
          />
        )}
        {sensor && (
          <Proof
            key={sensor.key}
            sensor={sensor}
            live={live}
            fresh={complete}
            written={sensor.standing?.at && sensor.standing.state !== "never" ? JSON.stringify(sensor.on_it) : ""}
            busy={keep.isPending}
            onChecked={(seen, days, certificate) =>
              keep.mutate({
                work: () =>
                  ask(
                    api.POST("/api/recorders/{recorder_id}/sensors/{sensor}/proof", {
                      params: { path: { ...path, sensor: sensor.key } },
                      body: { seen, days, certificate },
                    }),
                  ),
                words: `${sensor.label}: checked.`,
              })
            }
          />
        )}
      </div>
      {asking && (
        <PasscodeDialog
          token={recorder.token}
          onClose={() => setAsking(null)}
          onGiven={(given) => {
            passcode.current = given;
            setAsking(null);
            asking();
          }}
        />
      )}
      {replacing && sensor && (
        <ReasonDialog
          title={`${sensor.label}: the sensor was replaced`}
          text={`Calibrations of the sensor before${sensor.serial ? ` (${sensor.serial})` : ""} count no longer; capture anew. The serial number of the new one is what stands in its field${serial && serial !== sensor.serial ? `: ${serial}` : ""}.`}
          hint="why it was replaced"
          action="It was replaced"
          reasons={["broken", "cable torn off", "worn"]}
          onClose={() => setReplacing(false)}
          onReason={(why) => {
            setReplacing(false);
            keep.mutate({
              work: () =>
                ask(
                  api.POST("/api/recorders/{recorder_id}/sensors/{sensor}/replaced", {
                    params: { path: { ...path, sensor: sensor.key } },
                    body: { serial, why },
                  }),
                ),
              words: `${sensor.label}: replaced; it has to be calibrated.`,
              after: () => capture.written(sensor.key),
            });
          }}
        />
      )}
    </div>
  );
}

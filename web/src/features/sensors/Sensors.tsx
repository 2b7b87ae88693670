import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link, useParams } from "react-router";
import { api, ask, Problem, type Schemas } from "@/api/client";
import { kindName } from "@/kinds/kinds";
import { Button, inputLook, Loading, Token, Trouble, Verdict, Warn } from "@/ui/basics";
import { clockError, day, moment, percent } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { PasscodeDialog } from "@/ui/passcode";
import { ReasonDialog } from "@/ui/reason";
import { History } from "./History";
import { KeepCheck } from "./KeepCheck";
import { LiveTable } from "./LiveTable";
import { useLiveValues } from "./live";
import { Positions } from "./Positions";
import { PressCard } from "./PressCard";
import { Proof } from "./Proof";
import { useCapture } from "./useCapture";

type Bench = Schemas["SensorBench"];

function Fact({ label, value }: { label: string; value: string }) {
  return (
    <div className="text-[13px]">
      <span className="block text-soft">{label}</span>
      <b className="font-semibold">{value}</b>
    </div>
  );
}

/** What is on the recorder, what is captured and not written; the write. */
function WriteCard({
  sensor,
  captured,
  serial,
  onSerial,
  busy,
  onWrite,
  onReplaced,
}: {
  sensor: Schemas["Sensor"];
  captured: number;
  serial: string;
  onSerial: (value: string) => void;
  busy: boolean;
  onWrite: () => void;
  onReplaced: () => void;
}) {
  const all = sensor.positions.length;
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

/** A recorder without sensors to calibrate here: how its checks stand. */
function Standings({ bench }: { bench: Bench }) {
  return (
    <section aria-label="What is due" className="rounded-lg border border-line bg-panel px-3 py-2.5">
      <h2 className="mb-1">What is due</h2>
      {bench.standings.length === 0 && (
        <p className="text-[13px] text-soft">
          No check with a date is on record for this recorder. Keep the one from its last certificate, and it is said
          here and at hand-out when the next is due.
        </p>
      )}
      {bench.standings.map((s) => (
        <p
          key={`${s.check} ${s.sensor}`}
          className="flex justify-between gap-3 border-hair border-t py-1 first:border-t-0"
        >
          <span>{s.label}</span>
          {s.state === "right" ? (
            <Verdict verdict="within" words={s.due_at ? `until ${day(s.due_at, undefined, true)}` : "done"} />
          ) : (
            <Verdict
              verdict={s.state === "failed" ? "above limit" : "action level reached"}
              words={s.words.split(": ").slice(1).join(": ")}
            />
          )}
        </p>
      ))}
    </section>
  );
}

function Calibrating({ recorder, bench }: { recorder: Schemas["Recorder"]; bench: Bench }) {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const positions = bench.sensors.filter((s) => s.way === "positions");
  const [chosen, setChosen] = useState(
    positions.find((s) => s.standing?.state !== "right")?.key ?? positions[0]?.key ?? "",
  );
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
  const complete = sensor && points().length === sensor.positions.length ? points() : null;
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
        <LiveTable bench={bench} live={live} chosen={chosen} onChoose={setChosen} />
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
            captured={capture.work.captured}
            trues={capture.work.trues}
            next={capture.next}
            busy={capture.busy}
            refusals={capture.work.refusals}
            onTrue={capture.setTrue}
            onCapture={capture.capture}
            onAgain={capture.again}
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

/** A recorder's sensors: what they say now, their calibrations, every check on record. */
export default function Sensors() {
  const { id } = useParams();
  const queries = useQueryClient();
  const recorders = useQuery({ queryKey: ["recorders"], queryFn: () => ask(api.GET("/api/recorders")) });
  const recorder = recorders.data?.find((r) => r.id === Number(id));
  const bench = useQuery({
    queryKey: ["sensors", Number(id)],
    queryFn: () =>
      ask(api.GET("/api/recorders/{recorder_id}/sensors", { params: { path: { recorder_id: Number(id) } } })),
    enabled: recorder !== undefined,
  });
  if (recorders.error && !recorders.data) return <Trouble error={recorders.error} again={() => recorders.refetch()} />;
  if (recorders.data && !recorder) return <Trouble error={new Error("This recorder is not on record.")} />;
  if (bench.error && !bench.data) return <Trouble error={bench.error} again={() => bench.refetch()} />;
  if (!recorder || !bench.data) return <Loading what="the sensors of the recorder" />;
  const again = () => queries.invalidateQueries({ queryKey: ["sensors", recorder.id] });
  const calibrates = bench.data.sensors.length > 0 && bench.data.channels.length > 0;
  return (
    <main className="h-full overflow-auto px-5 py-3.5">
      <div className="mb-3 flex flex-wrap items-center gap-x-4 gap-y-2">
        <Token name={recorder.token} away={!recorder.in_reach} />
        <div>
          <h1>{recorder.name}</h1>
          <span className="text-[13px] text-soft">
            <Link to="/recorders" className="text-act hover:underline">
              Recorders
            </Link>
            , {kindName(recorder.kind)}, {[recorder.serial, recorder.firmware].filter(Boolean).join(", firmware ")}
          </span>
        </div>
        <div className="ml-auto flex flex-wrap items-center gap-x-6 gap-y-2">
          {recorder.in_reach && (
            <>
              <Fact
                label={recorder.place}
                value={recorder.quality === null ? "in reach" : `link ${percent(recorder.quality)}`}
              />
              {recorder.battery !== null && <Fact label="Battery" value={percent(recorder.battery)} />}
              <Fact label="Clock" value={clockError(recorder.clock_error_s)} />
            </>
          )}
          <KeepCheck recorder={recorder.id} token={recorder.token} onKept={again} />
        </div>
      </div>
      {bench.data.trouble && (
        <div className="mb-3 flex items-center gap-3">
          <Warn>{bench.data.trouble}</Warn>
          <Button size="small" onClick={again}>
            Ask again
          </Button>
        </div>
      )}
      {calibrates ? (
        <Calibrating key={recorder.id} recorder={recorder} bench={bench.data} />
      ) : (
        <div className="grid grid-cols-[minmax(0,420px)_minmax(0,1fr)] gap-2.5 max-[1000px]:grid-cols-1">
          <Standings bench={bench.data} />
          <History title="Every check on record" rows={bench.data.checks} sensors={bench.data.sensors} />
        </div>
      )}
    </main>
  );
}

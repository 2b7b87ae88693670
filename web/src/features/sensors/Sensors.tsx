import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { api, ask, type Schemas } from "@/api/client";
import { kindName } from "@/kinds/kinds";
import { Button, Loading, Token, Trouble, Warn } from "@/ui/basics";
import { clockError, percent } from "@/ui/format";
import { Calibrating } from "./Calibrating";
import { History } from "./History";
import { KeepCheck } from "./KeepCheck";
import { Standings } from "./Standings";

function Fact({ label, value }: { label: string; value: string }) {
  return (
    <div className="text-[13px]">
      <span className="block text-soft">{label}</span>
      <b className="font-semibold">{value}</b>
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
    queryFn: async () => {
      const found = await ask(
        api.GET("/api/recorders/{recorder_id}/sensors", { params: { path: { recorder_id: Number(id) } } }),
      );
      // One that does not answer has not lost its channels, and who calibrates it has not lost what was captured.
      const before = queries.getQueryData<Schemas["SensorBench"]>(["sensors", Number(id)]);
      return found.trouble && before ? { ...found, channels: before.channels } : found;
    },
    enabled: recorder !== undefined,
    // One that did not answer is asked again by itself while it is in reach.
    refetchInterval: (query) => (query.state.data?.trouble && recorder?.in_reach ? 4_000 : false),
  });
  if (recorders.error && !recorders.data)
    return <Trouble view="Sensors" error={recorders.error} again={() => recorders.refetch()} />;
  if (recorders.data && !recorder)
    return <Trouble view="Sensors" error={new Error("This recorder is not on record.")} />;
  if (bench.error && !bench.data) return <Trouble view="Sensors" error={bench.error} again={() => bench.refetch()} />;
  if (!recorder || !bench.data) return <Loading view="Sensors" what="the sensors of the recorder" />;
  const again = () => queries.invalidateQueries({ queryKey: ["sensors", recorder.id] });
  const calibrates = bench.data.sensors.length > 0 && bench.data.channels.length > 0;
  return (
    <main className="h-full overflow-auto px-5 py-3.5">
      <div className="mb-3 flex flex-wrap items-center gap-x-4 gap-y-2">
        <Token name={recorder.token} away={!recorder.in_reach} />
        <div>
          <h1>{recorder.name}</h1>
          <span className="text-[13px] text-soft">
            <Link to="/recorders" className="text-act underline">
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

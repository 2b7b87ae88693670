import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask, type Schemas } from "@/api/client";
import { useNotices } from "@/ui/notices";

export type Bay = Schemas["BenchBay"];
export type Run = Schemas["BenchRun"];
export type Row = Schemas["BenchRow"];
export type Check = Schemas["BenchCheck"];
export type Reference = Schemas["Reference"];

const AT_WORK_MS = 1_000;
const BENCH = ["bench"];

/** Whether a recorder goes through a check by itself now; one that is read by hand changes only when somebody reads. */
export const isAtWork = (run: Run | null) =>
  run?.state === "running" && run.rows.some((row) => row.state === "runs" || !row.by_hand);

/** The bench as it stands: asked for each second while something is at work. */
export function useBench() {
  return useQuery({
    queryKey: BENCH,
    queryFn: () => ask(api.GET("/api/bench")),
    refetchInterval: ({ state }) => (state.data?.bays.some((bay) => isAtWork(bay.run)) ? AT_WORK_MS : false),
  });
}

/** Recorders on which a check is due, and that are not at work. */
export const dueOf = (bays: Bay[], what: string) =>
  bays.filter((bay) => bay.run?.state !== "running" && bay.due.some((each) => each.check === what));

/** What follows from checks that were not passed for the sessions before them. */
export function useDoubts() {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  return useMutation({
    mutationFn: (wish: Schemas["DoubtDecision"]) => ask(api.POST("/api/bench/doubts", { body: wish })),
    onSuccess: (_, { follows }) => {
      say(
        follows === "held"
          ? "Their figures are held."
          : follows
            ? "Accepted; it is said beside them."
            : "Taken back; it waits for a decision.",
      );
      void queries.invalidateQueries({ queryKey: BENCH });
    },
    onError: fail,
  });
}

export function useBenchDeeds() {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const again = () => void queries.invalidateQueries({ queryKey: BENCH });
  const begin = useMutation({
    mutationFn: (wish: Schemas["BenchWish"]) => ask(api.POST("/api/bench/runs", { body: wish })),
    onSuccess: ({ refused }) => {
      again();
      if (refused.length) say(refused.map((each) => each.why).join(" "));
    },
    onError: fail,
  });
  const read = useMutation({
    mutationFn: ({ run, ...body }: { run: number } & Schemas["BenchReading"]) =>
      ask(api.POST("/api/bench/runs/{run_id}/read", { params: { path: { run_id: run } }, body })),
    onSuccess: again,
    onError: fail,
  });
  const replace = useMutation({
    mutationFn: ({ recorder, sensor, serial }: { recorder: number; sensor: string; serial: string }) =>
      ask(
        api.POST("/api/recorders/{recorder_id}/checks", {
          params: { path: { recorder_id: recorder } },
          body: {
            what: "replaced",
            sensor,
            serial,
            at: new Date().toISOString(),
            passed: true,
            unit: "",
            certificate: "",
            note: "at the bench",
          },
        }),
      ),
    onSuccess: () => {
      say("The new sensor is on record; calibrate it before it goes out.");
      again();
    },
    onError: fail,
  });
  const stop = useMutation({
    mutationFn: (run: number) => ask(api.POST("/api/bench/runs/{run_id}/stop", { params: { path: { run_id: run } } })),
    onSuccess: (run) => {
      if (run.state === "running") say("It ends after the sensor that is at work.");
      again();
    },
    onError: fail,
  });
  const add = useMutation({
    mutationFn: (wish: Schemas["NewReference"]) => ask(api.POST("/api/bench/references", { body: wish })),
    onSuccess: again,
    onError: fail,
  });
  const remove = useMutation({
    mutationFn: (id: number) =>
      ask(api.DELETE("/api/bench/references/{reference_id}", { params: { path: { reference_id: id } } })),
    onSuccess: again,
    onError: fail,
  });
  const revoke = useMutation({
    mutationFn: ({ id, why }: { id: number; why: string }) =>
      ask(
        api.POST("/api/certificates/{certificate_id}/revoke", {
          params: { path: { certificate_id: id } },
          body: { why },
        }),
      ),
    onSuccess: (paper) => {
      say(`${paper.number} is revoked; it stays on record.`);
      again();
    },
    onError: fail,
  });
  return { begin, read, replace, stop, add, remove, revoke };
}

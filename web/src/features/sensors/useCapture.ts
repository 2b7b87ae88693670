import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { clock } from "@/ui/format";
import { useNotices } from "@/ui/notices";

export interface Captured {
  raw: number;
  spread: number;
  at: string;
}

export interface Refusal {
  at: string;
  position: string;
  why: string;
}

export const MOST_POINTS = 9;

/** What a point is called: its position, or its number. */
export const placeOf = (sensor: Schemas["Sensor"], index: number) =>
  sensor.positions[index]?.words ?? `point ${index + 1}`;

interface Work {
  captured: (Captured | null)[];
  trues: string[];
  refusals: Refusal[];
}

const fresh = (sensor: Schemas["Sensor"]): Work => ({
  captured: sensor.trues.map(() => null),
  trues: sensor.trues.map(String),
  refusals: [],
});

/** The points captured so far, sensor by sensor; they stay when the link is lost and when another sensor is looked at. */
export function useCapture(recorder: number, sensor: Schemas["Sensor"] | undefined) {
  const [all, setAll] = useState<Record<string, Work>>({});
  const { fail } = useNotices();
  const work = sensor ? (all[sensor.key] ?? fresh(sensor)) : null;
  const put = (key: string, change: (work: Work) => Work, whole: Schemas["Sensor"]) =>
    setAll((now) => ({ ...now, [key]: change(now[key] ?? fresh(whole)) }));
  const open = work ? work.captured.indexOf(null) : -1;
  const next = open < 0 ? null : open;
  const hold = useMutation({
    mutationFn: ({ of, position, work: then }: { of: Schemas["Sensor"]; position: number; work: Work }) =>
      ask(
        api.POST("/api/recorders/{recorder_id}/sensors/{sensor}/capture", {
          params: { path: { recorder_id: recorder, sensor: of.key } },
          body: {
            position,
            trues: then.trues.map(Number),
            raws: then.captured.map((c) => c?.raw ?? null),
          },
        }),
      ),
    onSuccess: (held, { of, position }) => {
      const at = clock(new Date().toISOString(), undefined, true);
      put(
        of.key,
        (now) =>
          held.refused
            ? {
                ...now,
                refusals: [{ at, position: placeOf(of, position), why: held.refused }, ...now.refusals],
              }
            : {
                ...now,
                captured: now.captured.map((c, i) => (i === position ? { raw: held.raw, spread: held.spread, at } : c)),
              },
        of,
      );
    },
    onError: fail,
  });
  return {
    work,
    next,
    busy: hold.isPending,
    capture: () => {
      if (!sensor || !work || next === null || hold.isPending) return;
      const wrong = work.trues.findIndex((t) => t.trim() === "" || !Number.isFinite(Number(t)));
      if (wrong >= 0) return fail(new Error(`The true value ${placeOf(sensor, wrong)} is no number.`));
      hold.mutate({ of: sensor, position: next, work });
    },
    setTrue: (position: number, value: string) =>
      sensor &&
      put(sensor.key, (now) => ({ ...now, trues: now.trues.map((t, i) => (i === position ? value : t)) }), sensor),
    again: (position: number) =>
      sensor &&
      put(sensor.key, (now) => ({ ...now, captured: now.captured.map((c, i) => (i === position ? null : c)) }), sensor),
    /** One point more than the positions, where the recorder holds as many. */
    more: () =>
      sensor &&
      put(
        sensor.key,
        (now) =>
          now.trues.length < MOST_POINTS
            ? { ...now, trues: [...now.trues, ""], captured: [...now.captured, null] }
            : now,
        sensor,
      ),
    fewer: (position: number) =>
      sensor &&
      put(
        sensor.key,
        (now) => ({
          ...now,
          trues: now.trues.filter((_, i) => i !== position),
          captured: now.captured.filter((_, i) => i !== position),
        }),
        sensor,
      ),
    startOver: () => sensor && put(sensor.key, () => fresh(sensor), sensor),
    /** What was captured is on the recorder now. */
    written: (key: string) =>
      setAll((now) => {
        const { [key]: _, ...rest } = now;
        return rest;
      }),
  };
}

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, ask, Problem, type Schemas } from "@/api/client";
import { useNotices } from "@/ui/notices";
import { PROFILES } from "../profiles";

type Look = Schemas["Arrangement"]["value"];

const NAME = "kumpel.vehicle-looks";

function inBrowser(vehicle: string): Record<string, unknown> {
  try {
    return JSON.parse(localStorage.getItem(`${NAME}.${vehicle}`) ?? "{}") as Record<string, unknown>;
  } catch {
    return {};
  }
}

/**
 * How sessions of a vehicle are looked at: remembered with the vehicle, for everybody; of one that is not in the register, in
 * this browser. `value` is null where nothing is remembered, or nothing that `read` knows.
 */
export function useLook<T>(vehicle: string, what: string, read: (kept: unknown) => T | null) {
  const queries = useQueryClient();
  const vehicles = useQuery({ queryKey: ["vehicles"], queryFn: () => ask(api.GET("/api/vehicles")) });
  const row = vehicles.data?.find((each) => each.name === vehicle);
  const { fail } = useNotices();
  // What was put last and is on its way: what is fetched meanwhile may still be what was before it.
  const [going, setGoing] = useState<{ vehicle: string; value: T | null } | null>(null);
  const last = useRef<Promise<unknown>>(Promise.resolve());
  const put = (value: T | null) => {
    localStorage.setItem(`${NAME}.${vehicle}`, JSON.stringify({ ...inBrowser(vehicle), [what]: value }));
    const mine = { vehicle, value };
    setGoing(mine);
    if (!row) return;
    const params = { path: { vehicle_id: row.id, what } };
    const over = () => setGoing((now) => (now === mine ? null : now));
    // One after the other: the last is what stays.
    last.current = last.current
      .then(() => ask(api.PUT("/api/vehicles/{vehicle_id}/looks/{what}", { params, body: { value: value as Look } })))
      .then((kept) => {
        queries.setQueryData<Schemas["Vehicle"][]>(["vehicles"], (all) =>
          all?.map((each) => (each.id === kept.id ? kept : each)),
        );
        over();
      })
      .catch((error: unknown) => {
        // Where the server is away it stays in this browser, and the page says that it is away.
        if (error instanceof Problem && error.status === 0) return;
        over();
        fail(error as Error);
      });
  };
  const kept = row?.looks ?? inBrowser(vehicle);
  return {
    value: going?.vehicle === vehicle ? going.value : read(kept[what] ?? null),
    put,
    ready: !vehicles.isPending,
    /** What holds as long as nothing is remembered. */
    profile: row ? PROFILES[row.profile] : undefined,
  };
}

/** A list of words, such as the keys of lanes. */
export const readWords = (kept: unknown): string[] | null =>
  Array.isArray(kept) ? kept.filter((each): each is string => typeof each === "string") : null;

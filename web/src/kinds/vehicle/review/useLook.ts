import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
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
  const [own, setOwn] = useState<Record<string, unknown>>(() => inBrowser(vehicle));
  // What was put last and is on its way: what is fetched meanwhile may still be what was before it.
  const [going, setGoing] = useState<{ value: T | null } | null>(null);
  const last = useRef<Promise<unknown>>(Promise.resolve());
  const put = (value: T | null) => {
    const looks = { ...own, [what]: value };
    setOwn(looks);
    localStorage.setItem(`${NAME}.${vehicle}`, JSON.stringify(looks));
    if (!row) return;
    const mine = { value };
    setGoing(mine);
    const params = { path: { vehicle_id: row.id, what } };
    // One after the other: the last is what stays. Where the server is away it stays in this browser; the page says that it is away.
    last.current = last.current
      .then(() => ask(api.PUT("/api/vehicles/{vehicle_id}/looks/{what}", { params, body: { value: value as Look } })))
      .then((kept) => {
        queries.setQueryData<Schemas["Vehicle"][]>(["vehicles"], (all) =>
          all?.map((each) => (each.id === kept.id ? kept : each)),
        );
        setGoing((now) => (now === mine ? null : now));
      })
      .catch(() => {});
  };
  const kept = row?.looks ?? own;
  return {
    value: going ? going.value : read(kept[what] ?? null),
    put,
    ready: !vehicles.isPending,
    /** What holds as long as nothing is remembered. */
    profile: row ? PROFILES[row.profile] : undefined,
  };
}

/** A list of words, such as the keys of lanes. */
export const readWords = (kept: unknown): string[] | null =>
  Array.isArray(kept) ? kept.filter((each): each is string => typeof each === "string") : null;

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, ask } from "@/api/client";
import { useRested } from "@/ui/rested";
import type { Edge } from "./counting";

const REST_MS = 250;

/** How the sessions of the last year lie on the scales of a set. */
export const useMeasured = (id: number) =>
  useQuery({
    queryKey: ["limits", "measured", id],
    queryFn: () => ask(api.GET("/api/limit-sets/{limit_set_id}/measured", { params: { path: { limit_set_id: id } } })),
    staleTime: 60_000,
  });

export type Measured = NonNullable<ReturnType<typeof useMeasured>["data"]>;

export const useInUse = () =>
  useQuery({ queryKey: ["limits", "in-use"], queryFn: () => ask(api.GET("/api/limit-sets/in-use")) });

export interface Moved {
  key: string;
  now: Edge;
  tried: Edge;
}

/** Whom a moved step would hit; asked when it rests. */
export function useHit(id: number, since: string, moved: Moved | null) {
  const rested = useRested(moved, REST_MS);
  return useQuery({
    queryKey: ["limits", "hit", id, since, rested],
    enabled: rested !== null && since !== "",
    placeholderData: keepPreviousData,
    queryFn: () => {
      const { key, now, tried } = rested as Moved;
      return ask(
        api.GET("/api/limit-sets/{limit_set_id}/hit", {
          params: {
            path: { limit_set_id: id },
            query: {
              key,
              before: now.value,
              after: tried.value,
              since,
              below: now.below,
              beyond_before: now.beyond,
              beyond_after: tried.beyond,
            },
          },
        }),
      );
    },
  });
}

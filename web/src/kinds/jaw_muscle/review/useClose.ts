import { useQueries, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, ask } from "@/api/client";
import type { Episode } from "./episodes";

export const [BEFORE_S, AFTER_S] = [12, 17];
/** So many episodes are fetched ahead of the one that is looked at. */
const AHEAD = 3;
const POINTS = 900;

function optionsOf(session: number, channels: string[], atS: number, lengthS: number, basis: string) {
  const [start_s, end_s] = [Math.max(atS - BEFORE_S, 0), Math.min(atS + AFTER_S, lengthS)];
  const path = { session_id: session };
  return [
    {
      queryKey: ["view", session, "close", channels.join(","), start_s],
      queryFn: () =>
        ask(
          api.GET("/api/sessions/{session_id}/view", {
            params: { path, query: { channel: channels, start_s, end_s, points: POINTS } },
          }),
        ),
      staleTime: Number.POSITIVE_INFINITY,
    },
    {
      // A mains filter that was set changes the curves.
      queryKey: ["close-up", session, start_s, basis],
      queryFn: () =>
        ask(api.GET("/api/sessions/{session_id}/close-up", { params: { path, query: { start_s, end_s } } })),
      staleTime: Number.POSITIVE_INFINITY,
    },
  ] as const;
}

/** The raw signals around an episode, its RMS and beats; those of the next three are on their way meanwhile. */
export function useClose(
  session: number,
  lengthS: number,
  channels: string[],
  episodes: Episode[],
  at: number,
  basis: string,
) {
  const queries = useQueryClient();
  const here = optionsOf(session, channels, episodes[at]?.atS ?? 0, lengthS, basis);
  const [raw, close] = useQueries({ queries: [here[0], here[1]] });
  useEffect(() => {
    for (const next of episodes.slice(at + 1, at + 1 + AHEAD)) {
      const [view, look] = optionsOf(session, channels, next.atS, lengthS, basis);
      void queries.prefetchQuery(view);
      void queries.prefetchQuery(look);
    }
  }, [queries, session, lengthS, channels, episodes, at, basis]);
  return { raw: raw.data, close: close.data };
}

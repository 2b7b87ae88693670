import { useCallback, useEffect, useRef, useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import type { LimitWish } from "@/limits/LimitEditor";

export const TRIED = 20;
const PAUSE_MS = 250;

export interface TriedSession {
  session: Schemas["Session"];
  effect: Schemas["Effect"];
}

/** What a wished limit set would do to the newest sessions of a kind; a newer wish ends the one before. */
export function useEffects(kind: string) {
  const [tried, setTried] = useState<TriedSession[] | null>(null);
  const [wrong, setWrong] = useState<string | null>(null);
  const running = useRef<AbortController | null>(null);
  const timer = useRef(0);
  const stop = useCallback(() => {
    window.clearTimeout(timer.current);
    running.current?.abort();
  }, []);
  useEffect(() => stop, [stop]);
  const run = useCallback(
    async (limits: LimitWish) => {
      const own = new AbortController();
      running.current = own;
      const { signal } = own;
      try {
        const query = { kind, limit: TRIED };
        const found = await ask(api.GET("/api/sessions", { params: { query }, signal }));
        const sessions = found.sessions.filter((s) => s.figures === "assessed");
        if (sessions.length === 0) return setTried([]);
        const effects = await ask(
          api.POST("/api/preview", { body: { sessions: sessions.map((s) => s.id), limits }, signal }),
        );
        const of = new Map(effects.map((e) => [e.session_id, e]));
        setTried(
          sessions.flatMap((session) => {
            const effect = of.get(session.id);
            return effect ? [{ session, effect }] : [];
          }),
        );
        setWrong(null);
      } catch (error) {
        if (signal.aborted) return;
        setTried(null);
        setWrong(error instanceof Error ? error.message : String(error));
      }
    },
    [kind],
  );
  const tryIt = useCallback(
    (limits: LimitWish) => {
      stop();
      timer.current = window.setTimeout(() => void run(limits), PAUSE_MS);
    },
    [run, stop],
  );
  return { tried, wrong, tryIt };
}

import { useCallback, useEffect, useRef, useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import type { Assessment } from "./assessed";

type Wish = Partial<Schemas["DecisionWish"]> & Pick<Schemas["DecisionWish"], "what">;

export interface Supposing {
  /** Decisions that are not taken, others that would be taken away, limits that are only wished. */
  add?: Wish[];
  remove?: number[];
  limits?: Schemas["LimitWish"];
}

/**
 * What would come out with something that is not kept: the server computes it, one question at a time. What is asked meanwhile
 * waits, and of that only the newest; so a handle that moves shows what lies under it as fast as answers come.
 */
export function useSupposed(sessionId: number) {
  const [supposed, setSupposed] = useState<Assessment | null>(null);
  const [wrong, setWrong] = useState<string | null>(null);
  const [asking, setAsking] = useState(false);
  const running = useRef<AbortController | null>(null);
  const waiting = useRef<Supposing | null>(null);
  const held = useRef<Schemas["LimitWish"] | null>(null);
  const run = useCallback(
    async (what: Supposing) => {
      const own = new AbortController();
      const limits = what.limits ?? held.current;
      running.current = own;
      setAsking(true);
      try {
        const found = await ask(
          api.POST("/api/sessions/{session_id}/preview", {
            params: { path: { session_id: sessionId } },
            body: {
              add: (what.add ?? []).map((wish) => ({ key: "", reason: "", ...wish })),
              remove: what.remove ?? [],
              ...(limits ? { limits } : {}),
            },
            signal: own.signal,
          }),
        );
        if (own.signal.aborted) return;
        setSupposed(found);
        setWrong(null);
      } catch (error) {
        if (own.signal.aborted) return;
        setSupposed(null);
        setWrong(error instanceof Error ? error.message : String(error));
      }
      running.current = null;
      const next = waiting.current;
      waiting.current = null;
      if (next) void run(next);
      else setAsking(false);
    },
    [sessionId],
  );
  const suppose = useCallback(
    (what: Supposing) => {
      if (running.current) waiting.current = what;
      else void run(what);
    },
    [run],
  );
  const stop = useCallback(() => {
    running.current?.abort();
    running.current = waiting.current = null;
    setSupposed(null);
    setWrong(null);
    setAsking(false);
  }, []);
  useEffect(() => stop, [stop]);
  /** Nothing is supposed any more; but for limits that are held. */
  const forget = useCallback(() => {
    stop();
    if (held.current) void run({});
  }, [stop, run]);
  /** Limits that hold for whatever else is supposed, until others do, or (null) none any more. */
  const hold = useCallback(
    (limits: Schemas["LimitWish"] | null) => {
      held.current = limits;
      if (limits) suppose({});
      else stop();
    },
    [suppose, stop],
  );
  return { supposed, wrong, asking, suppose, forget, hold };
}

export type Supposed = ReturnType<typeof useSupposed>;

import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { type RefObject, useCallback, useEffect, useRef, useState } from "react";
import { api, ask, Problem, type Schemas } from "@/api/client";
import { type Stretch, settingOf, stretchesOf } from "@/sheet/assessed";
import { useNotices } from "@/ui/notices";
import { whileChanging } from "@/ui/own";
import { reviewOf } from "./ahead";

type ReviewData = Schemas["Review"];
type Wish = Partial<Schemas["DecisionWish"]> & Pick<Schemas["DecisionWish"], "what">;

/** Says that a session which is open here was signed off elsewhere: what one was about to change can be changed no more. */
function useTold(data: ReviewData | undefined, signing: RefObject<boolean>, say: (text: string) => void) {
  const was = useRef<string | null | undefined>(undefined);
  const signedAt = data?.session.signed_at;
  const by = data?.signature?.by;
  useEffect(() => {
    if (was.current === null && signedAt && !signing.current)
      say(`Signed off just now by ${by ?? "somebody"}, in another window. Nothing more is changed here.`);
    if (signedAt !== undefined) was.current = signedAt;
  }, [signedAt, by, signing, say]);
}

/** A session's review and everything that can be done to it. Every answer brings the new figures. */
export function useReview(id: number) {
  const [limitSetId, setLimitSetId] = useState<number | null>(null);
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const path = { session_id: id };
  const query = useQuery({ ...reviewOf(id, limitSetId), placeholderData: keepPreviousData });
  const queue = useRef<Promise<unknown>>(Promise.resolve());
  const refused = useRef(0);
  const signing = useRef(false);
  useTold(query.data, signing, say);

  const finish = useCallback(
    async (answer: Promise<ReviewData>) => {
      try {
        const data = await answer;
        // An older view that is still on its way must not replace what this answer brings.
        await queries.cancelQueries({ queryKey: ["review", id] });
        queries.setQueryData(["review", id, null], data);
        queries.invalidateQueries({ queryKey: ["review", id], refetchType: limitSetId === null ? "none" : "active" });
        for (const key of ["sessions", "line", "years"]) queries.invalidateQueries({ queryKey: [key] });
        return true;
      } catch (error) {
        fail(error);
        if (error instanceof Problem && error.status === 409) refused.current++;
        // Also where only the answer was lost: the change may be on record, and its note was passed over.
        for (const key of [["review", id], ["sessions"], ["line"], ["years"]])
          queries.invalidateQueries({ queryKey: key });
        return false;
      }
    },
    [queries, id, limitSetId, fail],
  );

  /** Each change waits for the one before, so that one's own quick second decision is based on the first. */
  const settle = useCallback(
    (work: (version: number) => Promise<ReviewData>): Promise<boolean> => {
      const asked = refused.current;
      const done = queue.current.then(() => {
        // What followed a change that was refused as somebody else's was decided on what is no longer there.
        if (asked !== refused.current) return false;
        const now = queries.getQueryData<ReviewData>(["review", id, null]);
        return whileChanging(id, () => finish(work(now?.version ?? query.data?.version ?? 0)));
      });
      queue.current = done;
      return done;
    },
    [queries, id, query.data?.version, finish],
  );
  /** Takes decisions and takes others away: one step, that one undo takes back. */
  const decide = (add: Wish[], remove: number[] = []) =>
    settle((version) =>
      ask(
        api.POST("/api/sessions/{session_id}/decisions", {
          params: { path },
          body: { version, add: add.map((wish) => ({ key: "", reason: "", ...wish })), remove },
        }),
      ),
    );
  const own = query.data ? settingOf(query.data, "limit_set_id") : null;

  return {
    query,
    limitSetId,
    look: (wanted: number | null) => setLimitSetId(wanted === own ? null : wanted),
    /** Keeps the set that was chosen, also while what it says is still on its way. */
    keepLimits: () => {
      if (limitSetId === null) return;
      decide([{ what: "setting", key: "limit_set_id", value: limitSetId }]).then((done) => done && setLimitSetId(null));
    },
    decide,
    set: (key: string, value: number | string | null, reason = "") =>
      decide([{ what: "setting", key, value, ...(reason ? { reason } : {}) }]),
    setMany: (settings: readonly (readonly [string, number | string | null])[]) =>
      decide(settings.map(([key, value]) => ({ what: "setting", key, value }))),
    accept: (code: string, reason: string) => decide([{ what: "accepted", key: code, reason }]),
    mark: (what: Stretch["what"], startS: number, endS: number, reason: string) =>
      decide([{ what, start_s: startS, end_s: endS, reason }]),
    edit: (stretch: Stretch, startS: number, endS: number, reason: string) =>
      decide([{ what: stretch.what, start_s: startS, end_s: endS, reason }], [stretch.id]),
    sleep: (stretches: [number, number][]) =>
      decide(stretches.map(([start_s, end_s]) => ({ what: "asleep", start_s, end_s, reason: "by hand" }))),
    resleep: (stretches: [number, number][]) =>
      decide(
        stretches.map(([start_s, end_s]) => ({ what: "asleep", start_s, end_s, reason: "by hand" })),
        query.data ? stretchesOf(query.data, "asleep").map((s) => s.id) : [],
      ),
    drop: (key: string, lengthS: number, reason: string) => decide([{ what: "dropped", key, value: lengthS, reason }]),
    keep: (key: string, lengthS: number) => decide([{ what: "kept", key, value: lengthS }]),
    takeBack: (ids: number[]) => decide([], ids),
    decideEvents: (
      events: { key: string; lengthS: number; counts: boolean; reason: string }[],
      remove: number[] = [],
    ) =>
      decide(
        events.map(({ key, lengthS, counts, reason }) => ({
          what: counts ? "kept" : "dropped",
          key,
          value: lengthS,
          reason,
        })),
        remove,
      ),
    regroup: (changes: { what: "edge" | "type"; key: string; value: string | null }[]) => decide(changes),
    again: () =>
      ask(api.POST("/api/sessions/{session_id}/assess", { params: { path } })).then(
        () => queries.invalidateQueries({ queryKey: ["review", id] }),
        fail,
      ),
    undo: useCallback(
      () =>
        void settle((version) =>
          ask(api.POST("/api/sessions/{session_id}/undo", { params: { path: { session_id: id } }, body: { version } })),
        ),
      [settle, id],
    ),
    redo: useCallback(
      () =>
        void settle((version) =>
          ask(api.POST("/api/sessions/{session_id}/redo", { params: { path: { session_id: id } }, body: { version } })),
        ),
      [settle, id],
    ),
    /** Whether it was signed here, and not in another window or by somebody else. */
    signedHere: useCallback(() => signing.current, []),
    sign: (conclusionVersion: number) => {
      signing.current = true;
      return settle((version) =>
        ask(
          api.POST("/api/sessions/{session_id}/sign", {
            params: { path },
            body: { version, conclusion_version: conclusionVersion },
          }),
        ),
      ).then((done) => {
        if (!done) signing.current = false;
        return done;
      });
    },
    openAgain: (why: string) => {
      signing.current = false;
      return settle(() => ask(api.POST("/api/sessions/{session_id}/open-again", { params: { path }, body: { why } })));
    },
    conclude: (text: string, version: number) =>
      ask(api.PUT("/api/sessions/{session_id}/conclusion", { params: { path }, body: { text, version } })),
  };
}

export type ReviewActions = ReturnType<typeof useReview>;

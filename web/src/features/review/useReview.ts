import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { api, ask, Problem, type Schemas } from "@/api/client";
import { useNotices } from "@/ui/notices";

type ReviewData = Schemas["Review"];

/** A session's review and everything that can be done to it. Every answer brings the new figures. */
export function useReview(id: number) {
  const [limitSetId, setLimitSetId] = useState<number | null>(null);
  const queries = useQueryClient();
  const { fail } = useNotices();
  const path = { session_id: id };
  const query = useQuery({
    queryKey: ["review", id, limitSetId],
    queryFn: () =>
      ask(
        api.GET("/api/sessions/{session_id}/review", {
          params: { path, query: limitSetId === null ? {} : { limit_set_id: limitSetId } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
  const version = query.data?.version ?? 0;

  const settle = useCallback(
    async (answer: Promise<ReviewData>) => {
      try {
        const data = await answer;
        queries.setQueryData(["review", id, null], data);
        queries.invalidateQueries({ queryKey: ["review", id], refetchType: limitSetId === null ? "none" : "active" });
        queries.invalidateQueries({ queryKey: ["sessions"] });
        return true;
      } catch (error) {
        fail(error);
        if (error instanceof Problem && error.status === 409) queries.invalidateQueries({ queryKey: ["review", id] });
        return false;
      }
    },
    [queries, id, limitSetId, fail],
  );

  const setField = (field: Schemas["ReviewField"]["field"], value: unknown) =>
    settle(ask(api.PUT("/api/sessions/{session_id}/review", { params: { path }, body: { version, field, value } })));

  return {
    query,
    limitSetId,
    look: (wanted: number | null) => setLimitSetId(wanted === query.data?.own_limit_set_id ? null : wanted),
    keepLimits: (wanted: number) => {
      setField("limit_set_id", wanted).then((done) => done && setLimitSetId(null));
    },
    setField,
    mark: (what: "left out" | "task", startS: number, endS: number, label: string) =>
      settle(
        ask(
          api.POST("/api/sessions/{session_id}/stretches", {
            params: { path },
            body: { version, what, start_s: startS, end_s: endS, label },
          }),
        ),
      ),
    edit: (stretch: Schemas["Stretch"], startS: number, endS: number, label: string) =>
      settle(
        ask(
          api.PUT("/api/sessions/{session_id}/stretches/{stretch_id}", {
            params: { path: { ...path, stretch_id: stretch.id } },
            body: { version, what: stretch.what as "task", start_s: startS, end_s: endS, label },
          }),
        ),
      ),
    unmark: (stretch: Schemas["Stretch"]) =>
      settle(
        ask(
          api.DELETE("/api/sessions/{session_id}/stretches/{stretch_id}", {
            params: { path: { ...path, stretch_id: stretch.id }, query: { version } },
          }),
        ),
      ),
    undo: useCallback(
      () =>
        void settle(
          ask(api.POST("/api/sessions/{session_id}/undo", { params: { path: { session_id: id } }, body: { version } })),
        ),
      [settle, id, version],
    ),
    redo: useCallback(
      () =>
        void settle(
          ask(api.POST("/api/sessions/{session_id}/redo", { params: { path: { session_id: id } }, body: { version } })),
        ),
      [settle, id, version],
    ),
    sign: () => settle(ask(api.POST("/api/sessions/{session_id}/sign", { params: { path }, body: { version } }))),
    openAgain: () => settle(ask(api.POST("/api/sessions/{session_id}/open-again", { params: { path } }))),
    conclude: (text: string) =>
      ask(api.PUT("/api/sessions/{session_id}/conclusion", { params: { path }, body: { text } })),
  };
}

export type ReviewActions = ReturnType<typeof useReview>;

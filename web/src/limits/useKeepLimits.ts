import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { api, ask } from "@/api/client";
import { useNotices } from "@/ui/notices";
import { type LimitSet, type Rule, rulesOf, sameRule } from "./rules";
import type { LimitWish } from "./typedLimits";

/** Every rule that a set of a kind may have: those of the sets on record, then those of further sensors of vehicles. */
export function useRulesKnown(sets: LimitSet[], kind: string): Rule[] {
  const further = useQuery({
    queryKey: ["limit-rules", kind],
    queryFn: () => ask(api.GET("/api/limit-rules", { params: { query: { kind } } })),
  });
  return useMemo(() => {
    const all = [...sets.filter((s) => s.kind === kind).flatMap(rulesOf), ...((further.data ?? []) as Rule[])];
    return all.filter((rule, i) => all.findIndex((other) => sameRule(other, rule)) === i);
  }, [sets, kind, further.data]);
}

/** Keeps what was typed over a set: a copy of a shipped one is a set of the house, an own one gets its next version. */
export function useKeepLimits(base: LimitSet, onKept: (made: LimitSet) => void) {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const keep = useMutation({
    mutationFn: (wish: LimitWish) =>
      base.shipped
        ? ask(api.POST("/api/limit-sets", { body: wish }))
        : ask(
            api.POST("/api/limit-sets/{limit_set_id}/versions", {
              params: { path: { limit_set_id: base.id } },
              body: wish,
            }),
          ),
    onSuccess: async (made) => {
      await queries.invalidateQueries({ queryKey: ["limit-sets"] });
      say(`${made.name}, ${made.version}, is on record.`);
      onKept(made);
    },
    onError: (error) => {
      fail(error);
      queries.invalidateQueries({ queryKey: ["limit-sets"] });
    },
  });
  return {
    keep: keep.mutate,
    keeping: keep.isPending,
    words: base.shipped ? "Keep as a set of the house" : "Keep as the next version",
  };
}

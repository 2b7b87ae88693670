import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask, type Schemas } from "@/api/client";
import { useNotices } from "@/ui/notices";

export type Plan = Schemas["PlanAhead"];
export type Item = Schemas["PlanItem"];

/** The weeks ahead, and what can be done about them. */
export function usePlan() {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const found = useQuery({ queryKey: ["plan"], queryFn: () => ask(api.GET("/api/plan")) });
  const anew = () => queries.invalidateQueries({ queryKey: ["plan"] });
  const put = (days: Schemas["PlannedDay"][]) => ask(api.PUT("/api/plan/days", { body: { days } })).then(anew);
  const choose = useMutation({
    mutationFn: ({ days }: { days: Schemas["PlannedDay"][]; before: Schemas["PlannedDay"][] }) => put(days),
    onSuccess: (_, { days, before }) => say(`${days.length} moved.`, () => void put(before).catch(fail)),
    onError: fail,
  });
  const remove = useMutation({
    mutationFn: (id: number) => ask(api.DELETE("/api/plan/rules/{rule_id}", { params: { path: { rule_id: id } } })),
    onSuccess: (_, id) => {
      void anew();
      say(
        "The rule is gone; nothing that was measured changes.",
        () =>
          void ask(api.POST("/api/plan/rules/{rule_id}/restore", { params: { path: { rule_id: id } } })).then(
            anew,
            fail,
          ),
      );
    },
    onError: fail,
  });
  const give = useMutation({
    mutationFn: (items: Item[]) =>
      ask(
        api.POST("/api/plan/hand-out", {
          body: { wanted: items.map((item) => ({ rule_id: item.rule_id, person_id: item.person_id })) },
        }),
      ),
    onSuccess: (found) => {
      const done = found.filter((each) => each.done);
      if (done.length) say(`Handed out: ${done.map((each) => `${each.token} to ${each.name}`).join(", ")}.`);
      const left = found.filter((each) => !each.done).map((each) => `${each.name}: ${each.why}`);
      if (left.length) fail(new Error(`Not handed out: ${left.join("; ")}`));
    },
    onError: fail,
    onSettled: () => {
      void anew();
      void queries.invalidateQueries({ queryKey: ["recorders"] });
      void queries.invalidateQueries({ queryKey: ["hand-overs"] });
    },
  });
  return {
    give,
    found,
    anew,
    /** The days of some, and one step back to those before. */
    move: (items: Item[], dayOf: (item: Item) => string) =>
      choose.mutate({
        days: items.map((item) => ({ rule_id: item.rule_id, person_id: item.person_id, day: dayOf(item) })),
        before: items.map((item) => ({
          rule_id: item.rule_id,
          person_id: item.person_id,
          day: item.chosen ? item.day : null,
        })),
      }),
    isMoving: choose.isPending,
    removeRule: remove.mutate,
  };
}

/** The recorders that are wanted beyond those that are there, on a day. */
export const short = (kind: Schemas["PlanKind"], at: number) =>
  Math.max((kind.wanted[at] ?? 0) - (kind.there[at] ?? 0), 0);

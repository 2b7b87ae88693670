import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask, type Schemas } from "@/api/client";
import { useNotices } from "@/ui/notices";

export type OnBoard = Schemas["OnBoard"];
export type Cell = OnBoard["cell"];

/** The columns of the board, in their order: what each asks for. */
export const CELLS: [Cell, string, string][] = [
  ["go", "can go out now", "in reach, charged, checked"],
  ["press", "one press sets it right", "take in, clock"],
  ["hand", "need a hand", "what, and what to do"],
  ["out", "out", "with whom, until when"],
  ["away", "away", "where nobody reaches them"],
];

/** Every recorder in its cell; it follows what recorders and hand-overs tell. */
export const useBoard = () =>
  useQuery({ queryKey: ["recorders", "board"], queryFn: () => ask(api.GET("/api/recorders/board")) });

export const useLife = (id: number) =>
  useQuery({
    queryKey: ["recorders", "life", id],
    queryFn: () => ask(api.GET("/api/recorders/{recorder_id}/life", { params: { path: { recorder_id: id } } })),
  });

/** Does what the machine can do alone to several recorders; those that need a hand are named. */
export function useSetRight() {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  return useMutation({
    mutationFn: (recorders: number[]) => ask(api.POST("/api/recorders/set-right", { body: { recorders } })),
    onSuccess: (found) => {
      const done = found.filter((each) => each.done);
      const left = found.filter((each) => !each.done);
      const words = left.map((each) => `${each.token}: ${each.why}`).join("; ");
      const begun = done.map((each) => `${each.token} ${each.done}`).join(", ");
      if (done.length) say(`${begun}.${words ? ` Not done: ${words}.` : ""}`);
      else fail(new Error(`Nothing was done. ${words}.`));
    },
    onError: fail,
    onSettled: () => {
      void queries.invalidateQueries({ queryKey: ["recorders"] });
      void queries.invalidateQueries({ queryKey: ["take-in"] });
    },
  });
}

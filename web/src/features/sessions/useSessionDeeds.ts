import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, ask, Problem, type Schemas } from "@/api/client";
import { useNotices } from "@/ui/notices";
import type { Session } from "./columns";

/** What can be done to several sessions at once; `settled` is called when it is done. */
export function useSessionDeeds(rows: Session[], settled: () => void) {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  /** One after the other; those that were done. Signed sessions that refuse are left as they are and counted. */
  const each = async (ids: number[], work: (id: number) => Promise<unknown>) => {
    const done: number[] = [];
    let signed = 0;
    try {
      for (const id of ids)
        try {
          await work(id);
          done.push(id);
        } catch (error) {
          if (!(error instanceof Problem && error.code === "signed")) throw error;
          signed++;
        }
    } catch (error) {
      fail(error);
    }
    settled();
    queries.invalidateQueries();
    return { done, signed };
  };
  const amount = (count: number) => `${count} session${count === 1 ? "" : "s"}`;
  const restore = (ids: number[]) =>
    each(ids, (id) => ask(api.POST("/api/sessions/{session_id}/restore", { params: { path: { session_id: id } } })));
  const remove = useMutation({
    mutationFn: async (ids: number[]) => {
      const shut = new Set(rows.filter((s) => s.signed_at !== null).map((s) => s.id));
      const { done } = await each(ids, (id) =>
        ask(api.DELETE("/api/sessions/{session_id}", { params: { path: { session_id: id } } })),
      );
      return { done, signed: done.filter((id) => shut.has(id)).length };
    },
    onSuccess: ({ done, signed }) => {
      if (done.length === 0) return;
      const reports = signed ? ` ${signed} of them signed off; their reports stay.` : "";
      say(`${amount(done.length)} deleted here.${reports} Nothing happened on a recorder.`, () => restore(done));
    },
  });
  const giveEach = (ids: number[], to: (id: number) => number | null) =>
    each(ids, (id) =>
      ask(
        api.PATCH("/api/sessions/{session_id}", { params: { path: { session_id: id } }, body: { person_id: to(id) } }),
      ),
    );
  const give = async (picked: number[], person: Schemas["Person"]) => {
    const before = new Map(rows.map((s) => [s.id, s.person_id]));
    const { done, signed } = await giveEach(picked, () => person.id);
    const left = signed
      ? ` ${signed} signed off and left as ${signed === 1 ? "it is" : "they are"}: open again first.`
      : "";
    if (done.length === 0) return say(`Nothing was given to ${person.name}.${left}`);
    say(`${amount(done.length)} given to ${person.name}.${left}`, () => giveEach(done, (id) => before.get(id) ?? null));
  };
  return { give, restore, remove };
}

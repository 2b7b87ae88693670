import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, ask, type Schemas } from "@/api/client";
import { useNotices } from "@/ui/notices";
import type { Session } from "./columns";

type Change = Schemas["ChangeOfOne"];

const amount = (count: number) => `${count} session${count === 1 ? "" : "s"}`;

/** What can be done to several sessions: one asking, and one step back. `settled` is called when it is done. */
export function useSessionDeeds(rows: Session[], settled: () => void) {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const anew = () => void queries.invalidateQueries();
  const done = () => {
    settled();
    anew();
  };
  const changeEach = (each: Change[]) => ask(api.PATCH("/api/sessions", { body: { each } }));
  // A step back says nothing about what was ticked since: only a deed on the ticked does.
  const back = (each: Change[]) => () => void changeEach(each).then(anew, fail);
  const change = useMutation({
    mutationFn: ({ each }: { each: Change[]; said: string }) => changeEach(each),
    onSuccess: (found, { said }) => {
      const left = found.signed.length
        ? ` ${found.signed.length} signed off and left as ${found.signed.length === 1 ? "it is" : "they are"}: open again first.`
        : "";
      if (found.done.length === 0) say(`Nothing was changed.${left}`);
      else say(`${amount(found.done.length)} ${said}.${left}`, back(found.before));
      done();
    },
    onError: fail,
  });
  const restore = (sessions: number[]) =>
    ask(api.POST("/api/sessions/restore", { body: { sessions } })).then(anew, fail);
  const remove = useMutation({
    mutationFn: async (sessions: number[]) => {
      // Counted before they go: the list may be without them when the answer comes.
      const shut = new Set(rows.filter((s) => s.signed_at !== null).map((s) => s.id));
      const found = await ask(api.POST("/api/sessions/delete", { body: { sessions } }));
      return { ...found, signed: found.done.filter((id) => shut.has(id)).length };
    },
    onSuccess: ({ signed, ...found }) => {
      const reports = signed ? ` ${signed} of them signed off; their reports stay.` : "";
      say(
        `${amount(found.done.length)} deleted here.${reports} Nothing happened on a recorder.`,
        () => void restore(found.done),
      );
      done();
    },
    onError: fail,
  });
  return {
    give: (picked: number[], person: Schemas["Person"]) =>
      change.mutate({ each: picked.map((id) => ({ id, person_id: person.id })), said: `given to ${person.name}` }),
    tag: (picked: number[], key: string, value: string) =>
      change.mutate({
        each: picked.map((id) => ({ id, tags: { [key]: value } })),
        said: value ? `tagged ${key}: ${value}` : `without the tag ${key}`,
      }),
    aside: (picked: number[], why: string) =>
      change.mutate({
        each: picked.map((id) => ({ id, aside: why })),
        said: why ? `kept aside: ${why}` : "brought in",
      }),
    isChanging: change.isPending,
    restore,
    remove,
  };
}

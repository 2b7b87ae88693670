import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask, type Schemas } from "@/api/client";
import { useNotices } from "@/ui/notices";

export type Group = Schemas["GroupLook"];
export type Wish = Schemas["GroupWish"];
export type Measured = Schemas["GroupMeasured"];

const path = (id: number) => ({ params: { path: { group_id: id } } });

export const useGroups = () => useQuery({ queryKey: ["groups"], queryFn: () => ask(api.GET("/api/groups")) });

/** A group as it stands, and what can be done to it; each change is a version, and can be taken back by the one before. */
export function useGroup(id: number, without: number[] = []) {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const found = useQuery({
    queryKey: without.length ? ["groups", "one", id, without] : ["groups", "one", id],
    queryFn: () => ask(api.GET("/api/groups/{group_id}", { params: { path: { group_id: id }, query: { without } } })),
    placeholderData: keepPreviousData,
  });
  const anew = () => queries.invalidateQueries({ queryKey: ["groups"] });
  const put = async (wish: Wish, name?: string) => {
    // Of what is on the screen now: an undo comes after the version that it undoes.
    const seen = queries.getQueryData<Group>(["groups", "one", id]);
    const made = await ask(
      api.PUT("/api/groups/{group_id}", { ...path(id), body: { version: seen?.version ?? 0, wish, name } }),
    );
    queries.setQueryData(["groups", "one", id], made);
    void anew();
  };
  const change = useMutation({
    mutationFn: ({ wish, name }: { wish: Wish; name?: string; said: string }) => put(wish, name),
    onMutate: () => queries.getQueryData<Group>(["groups", "one", id]),
    onSuccess: (_, { said }, before) => {
      if (before) say(said, () => void put(before.wish, before.name).catch(fail));
    },
    onError: fail,
  });
  const split = useMutation({
    mutationFn: async ({ name, go, stay }: { name: string; go: number[]; stay: number[] }) => {
      const version = found.data?.version ?? 0;
      const made = await ask(
        api.POST("/api/groups/{group_id}/split", { ...path(id), body: { version, name, go, stay } }),
      );
      return { made: made.id, before: found.data };
    },
    onSuccess: ({ made, before }, { name }) => {
      void anew();
      say(`“${name}” is a group of its own now.`, () => {
        if (!before) return;
        void ask(api.DELETE("/api/groups/{group_id}", path(made)))
          .then(() =>
            queries.fetchQuery({
              queryKey: ["groups", "one", id],
              queryFn: () => ask(api.GET("/api/groups/{group_id}", path(id))),
            }),
          )
          .then(() => put(before.wish))
          .catch(fail);
      });
    },
    onError: fail,
  });
  const deed = (does: () => Promise<unknown>) => does().then(anew, fail);
  return {
    found,
    change: (wish: Wish, said: string, name?: string) => change.mutate({ wish, said, name }),
    isChanging: change.isPending || split.isPending,
    split: split.mutate,
    conclude: async (text: string, version: number) => {
      const now = await ask(api.PUT("/api/groups/{group_id}/conclusion", { ...path(id), body: { text, version } }));
      queries.setQueryData<Group>(["groups", "one", id], (group) =>
        group ? { ...group, conclusion: now.text, conclusion_version: now.version } : group,
      );
      return now;
    },
    sign: async (version: number, conclusionVersion: number) => {
      await ask(
        api.POST("/api/groups/{group_id}/sign", {
          ...path(id),
          body: { version, conclusion_version: conclusionVersion },
        }),
      );
      await anew();
    },
    openAgain: (why: string) =>
      deed(() => ask(api.POST("/api/groups/{group_id}/open", { ...path(id), body: { why } }))),
    issue: async (named: boolean) => {
      const made = await ask(api.POST("/api/groups/{group_id}/reports", { ...path(id), body: { named } }));
      await queries.invalidateQueries({ queryKey: ["reports"] });
      return made;
    },
    remove: () =>
      deed(async () => {
        await ask(api.DELETE("/api/groups/{group_id}", path(id)));
        say(
          "The group is gone from the list; its sessions and reports stay.",
          () => void deed(() => ask(api.POST("/api/groups/{group_id}/restore", path(id)))),
        );
      }),
  };
}

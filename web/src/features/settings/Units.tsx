import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask } from "@/api/client";
import { readIn } from "@/api/readers";
import { Loading, Trouble } from "@/ui/basics";
import { useNotices } from "@/ui/notices";
import { Segmented } from "@/ui/segmented";

/** The units that one reads and types in, chosen once: on every screen, and on what one signs. */
export function Units() {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const choices = useQuery({ queryKey: ["units"], queryFn: () => ask(api.GET("/api/units")) });
  const state = useQuery({ queryKey: ["state"], queryFn: () => ask(api.GET("/api/state")), staleTime: 60_000 });
  const choose = useMutation({
    mutationFn: (units: string[]) => ask(api.PUT("/api/me/units", { body: { units } })),
    onSuccess: (me) => {
      readIn(me.reads);
      queries.setQueryData(["state"], (before: typeof state.data) => before && { ...before, me });
      // Every screen is read anew: what it has is in other units.
      queries.removeQueries({ type: "inactive" });
      void queries.invalidateQueries({ predicate: (query) => !["state", "units"].includes(String(query.queryKey[0])) });
    },
    onError: fail,
  });
  const error = choices.error ?? state.error;
  if (error) return <Trouble heading="Units" error={error} again={() => void choices.refetch()} />;
  if (!choices.data || !state.data?.me) return <Loading heading="Units" what="the units" />;
  const { units } = state.data.me;
  return (
    <section aria-label="Units" className="overflow-auto px-5 py-[18px]">
      <h1>Units</h1>
      <p className="mb-3 max-w-[70ch] text-soft">
        Yours alone, on every screen you sign in at. What was recorded stays as it is; what you type is understood in
        your units, and in the others with their unit behind it. A report says the units of who signed it.
      </p>
      <div className="max-w-[760px]">
        {choices.data.map(({ key, label, usual, other }) => (
          <div key={key} className="flex flex-wrap items-center gap-x-4 gap-y-1 border-hair border-t py-2">
            <span className="min-w-[240px] flex-1">{label}</span>
            <Segmented
              label={label}
              choices={[
                ["kept", usual],
                [key, other],
              ]}
              value={units.includes(key) ? key : "kept"}
              onChange={(wanted) =>
                choose.mutate([...units.filter((each) => each !== key), ...(wanted === key ? [key] : [])])
              }
            />
          </div>
        ))}
      </div>
    </section>
  );
}

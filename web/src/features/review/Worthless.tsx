import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask } from "@/api/client";
import { useNotices } from "@/ui/notices";
import { SWITCHED_ON } from "@/ui/reason";

const MOST = 100;

/** Those that hold one record or none: offered to be set aside in one go, with a way back. */
export function Worthless() {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const found = useQuery({
    queryKey: ["sessions", "worthless"],
    queryFn: () => ask(api.GET("/api/sessions", { params: { query: { standing: "worthless", limit: MOST } } })),
  });
  const put = (each: { id: number; aside: string }[]) => ask(api.PATCH("/api/sessions", { body: { each } }));
  const done = () => void queries.invalidateQueries();
  const setAside = useMutation({
    mutationFn: (ids: number[]) => put(ids.map((id) => ({ id, aside: SWITCHED_ON }))),
    onSuccess: ({ done: ids, before }) => {
      say(
        `${ids.length} set aside: ${SWITCHED_ON}.`,
        () => void put(before.map(({ id, aside = "" }) => ({ id, aside }))).then(done, fail),
      );
      done();
    },
    onError: fail,
  });
  const ids = found.data?.sessions.map((s) => s.id) ?? [];
  if (ids.length === 0) return null;
  return (
    <p className="mx-3 my-1 rounded-md bg-act-soft px-2.5 py-1.5 text-[13px]">
      {ids.length === 1 ? "1 has" : `${ids.length} have`} one record or none.{" "}
      <button
        type="button"
        className="min-h-6 text-act hover:underline"
        disabled={setAside.isPending}
        onClick={() => setAside.mutate(ids)}
      >
        Set {ids.length === 1 ? "it" : "them"} aside
      </button>
    </p>
  );
}

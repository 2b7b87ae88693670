import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ask } from "@/api/client";
import { useNumbers } from "@/features/settings/useSettings";
import { kindName } from "@/kinds/kinds";
import { Button, Empty, Loading, Token, Trouble } from "@/ui/basics";
import { clockError, moment, percent } from "@/ui/format";
import { useNotices } from "@/ui/notices";

/** Where recorders are looked for, and how many are in reach there. */
function LookedIn() {
  const networks = useQuery({ queryKey: ["recorders", "networks"], queryFn: () => ask(api.GET("/api/networks")) });
  if (!networks.data) return null;
  return (
    <section aria-label="Looked in" className="mb-3 flex flex-wrap items-baseline gap-x-5 gap-y-1 text-[13px]">
      <span className="text-soft">Looked in</span>
      {networks.data.map((each) => (
        <span key={each.network}>
          {each.network === "127.0.0.0/8" ? "this machine" : each.network}
          {each.addresses.length > 0 ? (
            <span className="text-soft">, {each.in_reach === 0 ? "none" : each.in_reach} in reach</span>
          ) : (
            <span className="text-action">, the server has no address in it now</span>
          )}
        </span>
      ))}
      <Link to="/settings" className="text-act hover:underline">
        other networks
      </Link>
    </section>
  );
}

/** Every recorder that was ever seen: where it is, who has it, its battery and clock. */
export default function Recorders() {
  const queries = useQueryClient();
  const wrongFrom = useNumbers("link.clock_s");
  const lowBelow = useNumbers("link.battery");
  const { fail } = useNotices();
  const recorders = useQuery({ queryKey: ["recorders"], queryFn: () => ask(api.GET("/api/recorders")) });
  const again = useMutation({
    mutationFn: (id: number) =>
      ask(api.POST("/api/recorders/{recorder_id}/look-again", { params: { path: { recorder_id: id } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ["recorders"] }),
    onError: fail,
  });
  if (recorders.isError && !recorders.data)
    return <Trouble error={recorders.error} again={() => recorders.refetch()} />;
  if (!recorders.data) return <Loading what="the recorders" />;
  return (
    <main className="h-full overflow-auto px-5 py-[18px]">
      <h1 className="mb-1.5">Recorders</h1>
      <LookedIn />
      {recorders.data.length === 0 && (
        <Empty title="No recorder was seen yet">
          Put one in the dock or plug it in. It shows here by itself within a few seconds.
        </Empty>
      )}
      <table className="w-full">
        <thead className="text-left font-narrow text-[12.5px] text-soft">
          <tr>
            {["", "Name", "Where", "With", "Battery", "Memory", "Clock", "Serial number, firmware", ""].map((h) => (
              <th key={h} className="px-2 py-1 font-medium">
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {recorders.data.map((r) => (
            <tr key={r.id} className="border-line border-t">
              <td className="px-2 py-1.5">
                <Token name={r.token} away={!r.in_reach} />
              </td>
              <td className="px-2">
                <b className="block font-semibold">{r.name}</b>
                <span className="text-[12.5px] text-soft">{kindName(r.kind)}</span>
              </td>
              <td className="px-2">
                {r.in_reach ? (
                  `${r.place}, ${r.mode}`
                ) : (
                  <span className="text-soft">{r.seen_at ? `last seen ${moment(r.seen_at)}` : "not seen yet"}</span>
                )}
              </td>
              <td className="px-2">{r.holder || <span className="text-soft">nobody</span>}</td>
              <td className={`px-2 ${r.in_reach && 100 * (r.battery ?? 1) < lowBelow(r.kind) ? "text-action" : ""}`}>
                {r.in_reach ? percent(r.battery ?? 0) : ""}
              </td>
              <td className="px-2">{r.in_reach ? percent(r.memory_used ?? 0) : ""}</td>
              <td className={`px-2 ${Math.abs(r.clock_error_s ?? 0) >= wrongFrom(r.kind) ? "text-action" : ""}`}>
                {r.in_reach ? clockError(r.clock_error_s) : ""}
              </td>
              <td className="px-2 text-soft">
                {r.serial}, {r.firmware}
              </td>
              <td className="px-2 text-right">
                <Button look="quiet" disabled={again.isPending} onClick={() => again.mutate(r.id)}>
                  Look again
                </Button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </main>
  );
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { Token, Verdict } from "@/ui/basics";
import { clock, since } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { Swap } from "./Swap";

function isLate(slip: Schemas["HandOver"]): string {
  if (!slip.expected_at) return "";
  const late = (Date.now() - new Date(slip.expected_at).getTime()) / 60_000;
  if (late < 15) return "";
  return late < 90 ? `${Math.round(late)} min late` : `${Math.round(late / 60)} h late`;
}

/** Who has what now; brought back or swapped from here. */
export function OutNow() {
  const out = useQuery({ queryKey: ["hand-overs"], queryFn: () => ask(api.GET("/api/hand-overs")) });
  const queries = useQueryClient();
  const { fail } = useNotices();
  const [swapping, setSwapping] = useState<Schemas["HandOver"] | null>(null);
  const back = useMutation({
    mutationFn: (id: string) =>
      ask(api.POST("/api/hand-overs/{hand_over_id}/return", { params: { path: { hand_over_id: id } } })),
    onSuccess: () => queries.invalidateQueries(),
    onError: fail,
  });
  return (
    <>
      <h2 className="mb-2">Out now</h2>
      {swapping && <Swap slip={swapping} onClose={() => setSwapping(null)} />}
      {out.data?.length === 0 && <p className="text-soft">Every recorder is back.</p>}
      <ul>
        {out.data?.map((slip) => (
          <li key={slip.id} className="flex items-center gap-3 border-line border-t py-2">
            <Token name={slip.token} size="small" away={!slip.in_reach} />
            <span className="min-w-0 flex-1">
              <b className="block truncate font-medium">{slip.person}</b>
              <span className="block text-[12.5px] text-soft">since {since(slip.given_at)}</span>
              <a
                className="inline-block min-h-6 text-[12.5px] text-act hover:underline"
                href={`/api/hand-overs/${slip.id}/leaflet`}
                target="_blank"
                rel="noreferrer"
                aria-label={`leaflet for ${slip.person}`}
              >
                leaflet
              </a>
            </span>
            <span className="grid justify-items-end text-right text-[13px]">
              {isLate(slip) ? (
                <Verdict verdict="action level reached" words={isLate(slip)} />
              ) : (
                slip.expected_at && <span className="text-soft">back {clock(slip.expected_at)}</span>
              )}
              <span className="whitespace-nowrap">
                <button
                  type="button"
                  className="min-h-6 pr-3 text-act hover:underline"
                  onClick={() => setSwapping(slip)}
                  aria-label={`swap: give ${slip.person} another recorder than ${slip.token}`}
                >
                  swap
                </button>
                <button
                  type="button"
                  className="min-h-6 text-act hover:underline"
                  onClick={() => back.mutate(slip.id)}
                  aria-label={`it is back: ${slip.token} from ${slip.person}`}
                >
                  it is back
                </button>
              </span>
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}

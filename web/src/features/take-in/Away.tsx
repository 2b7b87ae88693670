import type { Schemas } from "@/api/client";
import { Button, Token } from "@/ui/basics";
import { moment } from "@/ui/format";

/** Recorders that are not in reach: who has them, and what to check when one of them lies here all the same. */
export function Away({
  recorders,
  busy,
  onLook,
}: {
  recorders: Schemas["Recorder"][];
  busy: boolean;
  onLook: (id: number) => void;
}) {
  return recorders.map((r) => (
    <article
      key={r.id}
      aria-label={`${r.token}, away`}
      className="mt-2.5 flex items-center gap-3 rounded-lg border border-line border-dashed px-3.5 py-2"
    >
      <Token name={r.token} away />
      <div className="min-w-0 flex-1">
        <h2>{r.name}</h2>
        <span className="block truncate text-[13px] text-soft">
          {r.holder ? `with ${r.holder}, ` : ""}
          {r.seen_at ? `last seen ${moment(r.seen_at)}` : "not seen yet"}
          {r.trouble ? `; ${r.trouble}` : ""}
        </span>
      </div>
      <details className="max-w-[420px] text-[13px] text-soft">
        <summary className="cursor-pointer text-act">It is here but does not show?</summary>
        <ol className="list-decimal py-1 pl-5">
          {r.check_list.map((c) => (
            <li key={c}>{c}</li>
          ))}
        </ol>
      </details>
      <Button onClick={() => onLook(r.id)} disabled={busy}>
        Look again
      </Button>
    </article>
  ));
}

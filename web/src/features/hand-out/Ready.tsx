import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api, ask } from "@/api/client";
import { Token, Trouble } from "@/ui/basics";
import { moment, percent } from "@/ui/format";

/** The recorders that can go out, and those that are away. */
export function Ready({
  chosen,
  person,
  onChoose,
}: {
  chosen: number | null;
  person: number | null;
  onChoose: (id: number) => void;
}) {
  const first = useRef<HTMLButtonElement>(null);
  const was = useRef(person);
  // Somebody was chosen: the next step is a recorder.
  useEffect(() => {
    if (person !== null && person !== was.current && chosen === null) first.current?.focus();
    was.current = person;
  }, [person, chosen]);
  const recorders = useQuery({ queryKey: ["recorders"], queryFn: () => ask(api.GET("/api/recorders")) });
  const all = (recorders.data ?? []).filter((r) => r.sets_up);
  const here = all.filter((r) => r.in_reach && !r.trouble && !r.holder);
  const away = all.filter((r) => !r.in_reach && !r.holder);
  return (
    <>
      <h2 className="mb-2">In reach and ready</h2>
      {recorders.isError && <Trouble error={recorders.error} again={() => recorders.refetch()} />}
      <div className="mb-5 flex flex-wrap gap-2">
        {here.map((r, i) => (
          <button
            key={r.id}
            ref={i === 0 ? first : undefined}
            type="button"
            aria-pressed={r.id === chosen}
            aria-label={`${r.token}, ${r.name}, ${r.place}${r.overdue.length > 0 ? ", a check is due" : ""}`}
            title={[`${r.name}, ${r.place}, battery ${percent(r.battery) || "not known"}`, ...r.overdue].join("; ")}
            onClick={() => onChoose(r.id)}
            className={`relative rounded-full ${r.id === chosen ? "outline-3 outline-act" : ""}`}
          >
            <Token name={r.token} />
            {r.overdue.length > 0 && (
              <i
                className="absolute -top-0.5 -right-0.5 size-3.5 rounded-full border-2 border-action"
                style={{ background: "linear-gradient(90deg, var(--action) 50%, var(--panel) 50%)" }}
              />
            )}
          </button>
        ))}
        {away.map((r) => (
          <span
            key={r.id}
            title={`${r.name}: out of reach${r.seen_at ? `, last seen ${moment(r.seen_at)}` : ""}`}
            role="img"
            aria-label={`${r.token} is out of reach`}
          >
            <Token name={r.token} away />
          </span>
        ))}
        {recorders.isSuccess && here.length === 0 && (
          <p className="text-soft">
            None. Put a recorder in the dock or plug it in; it shows here by itself within a few seconds.
          </p>
        )}
      </div>
    </>
  );
}

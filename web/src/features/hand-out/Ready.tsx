import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { kindName } from "@/kinds/kinds";
import { inputLook, Token, Trouble } from "@/ui/basics";
import { moment, percent } from "@/ui/format";

type Recorder = Schemas["Recorder"];

/** Words of a recorder that somebody may look for: each of those typed begins one of them, or is in it. */
const wordsOf = (r: Recorder) => `${r.token} ${r.name} ${r.model} ${kindName(r.kind)} ${r.place}`.toLowerCase();

function One({
  recorder: r,
  chosen,
  onChoose,
}: {
  recorder: Recorder;
  chosen: boolean;
  onChoose: (id: number) => void;
}) {
  return (
    <button
      type="button"
      data-ready
      aria-pressed={chosen}
      aria-label={`${r.token}, ${r.name}, ${r.place}${r.overdue.length > 0 ? ", a check is due" : ""}`}
      title={[`${r.name}, ${r.place}, battery ${percent(r.battery) || "not known"}`, ...r.overdue].join("; ")}
      onClick={() => onChoose(r.id)}
      className={`relative rounded-full ${chosen ? "outline-3 outline-act" : ""}`}
    >
      <Token name={r.token} />
      {r.overdue.length > 0 && (
        <i
          className="absolute -top-0.5 -right-0.5 size-3.5 rounded-full border-2 border-action"
          style={{ background: "linear-gradient(90deg, var(--action) 50%, var(--panel) 50%)" }}
        />
      )}
    </button>
  );
}

/** The recorders that can go out, by kind, and those that are away: found by typing, by kind, or only those that are here. */
export function Ready({
  chosen,
  person,
  onChoose,
}: {
  chosen: number | null;
  person: number | null;
  onChoose: (id: number) => void;
}) {
  const list = useRef<HTMLDivElement>(null);
  const was = useRef(person);
  const [words, setWords] = useState("");
  const [kind, setKind] = useState("");
  const [here, setHere] = useState(false);
  // Somebody was chosen: the next step is a recorder.
  useEffect(() => {
    if (person !== null && person !== was.current && chosen === null)
      list.current?.querySelector<HTMLElement>("[data-ready]")?.focus();
    was.current = person;
  }, [person, chosen]);
  const recorders = useQuery({ queryKey: ["recorders"], queryFn: () => ask(api.GET("/api/recorders")) });
  const all = (recorders.data ?? []).filter((r) => r.sets_up && !r.holder && (!r.in_reach || !r.trouble));
  const kinds = [...new Set(all.map((r) => r.kind))].sort((a, b) => kindName(a).localeCompare(kindName(b)));
  const typed = words.toLowerCase().split(/\s+/).filter(Boolean);
  const found = all.filter(
    (r) => (!kind || r.kind === kind) && (!here || r.in_reach) && typed.every((word) => wordsOf(r).includes(word)),
  );
  const ready = found.filter((r) => r.in_reach);
  return (
    <>
      <h2 className="mb-2">In reach and ready</h2>
      {recorders.isError && <Trouble error={recorders.error} again={() => recorders.refetch()} />}
      {all.length > 0 && (
        <div className="mb-2 flex flex-wrap items-center gap-1.5">
          <input
            className={`${inputLook} min-w-24 flex-1`}
            aria-label="Find a recorder"
            placeholder="N-07, name, dock"
            value={words}
            onChange={(e) => setWords(e.target.value)}
            onKeyDown={(e) => {
              if (e.key === "Escape") setWords("");
              if (e.key === "Enter" && ready[0] && (ready.length === 1 || ready[0].token.toLowerCase() === typed[0]))
                onChoose(ready[0].id);
            }}
          />
          {kinds.length > 1 && (
            <select
              aria-label="Kind of recorder"
              className="min-h-[34px] max-w-full rounded-md border border-line bg-panel px-1"
              value={kind}
              onChange={(e) => setKind(e.target.value)}
            >
              <option value="">every kind</option>
              {kinds.map((each) => (
                <option key={each} value={each}>
                  {kindName(each)}
                </option>
              ))}
            </select>
          )}
          <label className="flex min-h-8 items-center gap-1.5 text-[13px]">
            <input type="checkbox" checked={here} onChange={(e) => setHere(e.target.checked)} />
            here now
          </label>
        </div>
      )}
      <div ref={list} className="mb-5">
        {kinds
          .map((each) => [each, found.filter((r) => r.kind === each)] as const)
          .filter(([, mine]) => mine.length > 0)
          .map(([each, mine]) => (
            <section key={each} aria-label={kindName(each)} className="mb-2.5">
              {kinds.length > 1 && <h3 className="mb-1 font-narrow text-[12.5px] text-soft">{kindName(each)}</h3>}
              <div className="flex flex-wrap gap-2">
                {mine
                  .filter((r) => r.in_reach)
                  .map((r) => (
                    <One key={r.id} recorder={r} chosen={r.id === chosen} onChoose={onChoose} />
                  ))}
                {mine
                  .filter((r) => !r.in_reach)
                  .map((r) => (
                    <span
                      key={r.id}
                      title={`${r.name}: out of reach${r.seen_at ? `, last seen ${moment(r.seen_at)}` : ""}`}
                      role="img"
                      aria-label={`${r.token} is out of reach`}
                    >
                      <Token name={r.token} away />
                    </span>
                  ))}
              </div>
            </section>
          ))}
        {all.length > 0 && found.length === 0 && <p className="text-soft">None of these.</p>}
        {recorders.isSuccess && !all.some((r) => r.in_reach) && (
          <p className="text-soft">
            None. Put a recorder in the dock or plug it in; it shows here by itself within a few seconds.
          </p>
        )}
      </div>
    </>
  );
}

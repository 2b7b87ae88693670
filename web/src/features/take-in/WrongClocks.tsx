import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, ask } from "@/api/client";
import { Token } from "@/ui/basics";
import { clockError } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { type Draft, isAside, isStored, isWaiting, type Line, noDraft } from "./dock";

interface Wrong {
  token: string;
  error: number;
  /** Not here yet: they are moved as they are taken in. */
  waiting: Line[];
  stored: Line[];
  moved: Line[];
}

/** Sessions in view that were recorded under a wrong clock, by recorder. */
export function wrongClocks(lines: Line[], wrongFrom: (kind: string) => number, mine: Set<string>): Wrong[] {
  const found = new Map<string, Wrong>();
  for (const line of lines) {
    const { bay, found: session } = line;
    const stored = isStored(session) && mine.has(line.key);
    const error = stored ? session.clock_error_s : bay.recorder.clock_error_s;
    if (error === null || Math.abs(error) < wrongFrom(bay.recorder.kind) || session.signed) continue;
    if (!stored && (!isWaiting(session) || isAside(session))) continue;
    const { token } = bay.recorder;
    const own = found.get(token) ?? { token, error, waiting: [], stored: [], moved: [] };
    (stored ? (session.clock_shift_s ? own.moved : own.stored) : own.waiting).push(line);
    found.set(token, own);
  }
  return [...found.values()];
}

/** Recorders whose clock was wrong: all their sessions are moved together, here or as they are taken in; the original is kept. */
export function WrongClocks({
  wrong,
  drafts,
  onDrafts,
}: {
  wrong: Wrong[];
  drafts: Record<string, Draft>;
  onDrafts: (drafts: Record<string, Draft>) => void;
}) {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const shift = useMutation({
    mutationFn: ({ sessions, back }: { sessions: number[]; back: boolean }) =>
      ask(api.POST("/api/sessions/shift", { body: { sessions, back } })),
    onSuccess: (done, wish) => {
      queries.invalidateQueries();
      const count = `${done.sessions.length} session${done.sessions.length === 1 ? "" : "s"}`;
      say(wish.back ? `${count} stand as the recorder said.` : `${count} moved together.`, () =>
        shift.mutate({ sessions: done.sessions, back: !wish.back }),
      );
    },
    onError: fail,
  });
  if (wrong.length === 0) return null;
  const ids = (lines: Line[]) => lines.flatMap(({ found }) => found.session_id ?? []);
  return (
    <section aria-label="Wrong clocks" className="mt-4 border-line border-t pt-3 text-[13px]">
      <h2>Wrong clocks</h2>
      <ul>
        {wrong.map(({ token, error, waiting, stored, moved }) => {
          const marked = waiting.length > 0 && waiting.every((l) => drafts[l.key]?.shiftClock);
          const open = waiting.length + stored.length;
          const back = moved.length > 0 && stored.length === 0;
          const act = (on: boolean) => {
            if (waiting.length > 0) {
              const next = { ...drafts };
              for (const { key, found } of waiting) next[key] = { ...(next[key] ?? noDraft(found)), shiftClock: on };
              onDrafts(next);
            }
            const those = ids(on ? stored : moved);
            if (those.length > 0) shift.mutate({ sessions: those, back: !on });
          };
          const on = waiting.length > 0 ? marked && stored.length === 0 : back;
          return (
            <li key={token} className="flex items-center gap-2.5 border-hair border-t py-1.5">
              <Token name={token} size="small" />
              <span className="min-w-0 flex-1 text-soft">
                {clockError(error)}
                {on && <b className="block font-medium text-ink">{open + moved.length} moved together</b>}
              </span>
              <button
                type="button"
                className="min-h-6 text-right text-act hover:underline disabled:opacity-45"
                disabled={shift.isPending}
                onClick={() => act(!on)}
              >
                {on ? "as recorded" : `move ${open === 1 ? "its session" : `all ${open}`}`}
                <span className="sr-only"> of {token}</span>
              </button>
            </li>
          );
        })}
      </ul>
    </section>
  );
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useId } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { MiniLevel } from "@/charts/MiniLevel";
import { useNumber } from "@/features/settings/useSettings";
import { kindName, useKindWords } from "@/kinds/kinds";
import { Button } from "@/ui/basics";
import { clockError, length, moment } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { PersonPicker } from "@/ui/person-picker";
import { useTyped } from "@/ui/typed";
import { type Draft, noDraft } from "./dock";

const line =
  "w-full min-h-7 border-0 border-line border-b bg-transparent px-0 pb-0.5 placeholder:text-soft hover:border-soft";

function Stored({ id, onReview }: { id: number; onReview: () => void }) {
  const session = useQuery({
    queryKey: ["sessions", "one", id],
    queryFn: () => ask(api.GET("/api/sessions/{session_id}", { params: { path: { session_id: id } } })),
  });
  if (!session.data) return null;
  const isAside = session.data.aside !== "";
  return (
    <>
      {!isAside && <MiniLevel session={session.data} />}
      <div className="mt-4 flex flex-wrap gap-2">
        {isAside ? (
          <span className="text-soft">Kept aside: {session.data.aside}.</span>
        ) : (
          <Button look="primary" onClick={onReview}>
            Review it
          </Button>
        )}
      </div>
    </>
  );
}

/** A line of words: kept as it is typed (`onType`), or when it is left. */
function Line({
  label,
  value,
  hint,
  suggestions = [],
  disabled,
  onType,
  onLeave,
}: {
  label: string;
  value: string;
  hint: string;
  suggestions?: string[];
  disabled: boolean;
  onType?: (value: string) => void;
  /** Says whether it was kept. */
  onLeave: (value: string) => Promise<boolean>;
}) {
  const offered = useId();
  const { text, awaited, typed, type, forget, send } = useTyped(value);
  const leave = () => {
    if (typed === null) return;
    if (onType || typed.trim() === awaited) return forget();
    send(typed.trim(), onLeave(typed));
  };
  return (
    <>
      <span className="pt-1 text-soft">{label}</span>
      <input
        aria-label={label}
        className={line}
        list={suggestions.length > 0 ? offered : undefined}
        placeholder={hint}
        maxLength={200}
        value={text}
        disabled={disabled}
        onChange={(e) => {
          type(e.target.value);
          onType?.(e.target.value);
        }}
        onBlur={leave}
        onKeyDown={(e) => e.key === "Enter" && leave()}
      />
      {suggestions.length > 0 && (
        <datalist id={offered}>
          {suggestions.map((each) => (
            <option key={each} value={each} />
          ))}
        </datalist>
      )}
    </>
  );
}

/** Who, where, what: prefilled from the hand-over, changeable before and after take-in. */
export function Details({
  bay,
  found,
  draft,
  onDraft,
  onReview,
  onClear,
}: {
  bay: Schemas["Bay"];
  found: Schemas["Found"];
  draft: Draft | undefined;
  onDraft: (draft: Draft) => void;
  onReview: (id: number) => void;
  onClear: () => void;
}) {
  const stored = (found.standing === "stored" || found.standing === "aside") && found.session_id !== null;
  const id = found.session_id ?? 0;
  const queries = useQueryClient();
  const { fail } = useNotices();
  const session = useQuery({
    queryKey: ["sessions", "one", id],
    queryFn: () => ask(api.GET("/api/sessions/{session_id}", { params: { path: { session_id: id } } })),
    enabled: stored,
  });
  const change = useMutation({
    mutationFn: (body: Schemas["SessionChange"]) =>
      ask(api.PATCH("/api/sessions/{session_id}", { params: { path: { session_id: id } }, body })),
    onSuccess: () => queries.invalidateQueries(),
    onError: fail,
  });
  const keep = useMutation({
    mutationFn: () =>
      ask(api.POST("/api/sessions/{session_id}/keep-on-recorder", { params: { path: { session_id: id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["take-in"] }),
    onError: fail,
  });
  const own: Draft = draft ?? noDraft(found);
  const tags = stored ? (session.data?.tags ?? {}) : own.tags;
  const person = stored
    ? session.data?.person || "nobody yet"
    : own.unclaimed
      ? "nobody yet"
      : (own.person?.name ?? (found.person || "nobody yet"));
  const note = stored ? (session.data?.note ?? "") : own.note;
  const error = bay.recorder.clock_error_s ?? 0;
  const wrongFrom = useNumber("link.clock_s", found.kind);
  const words = useKindWords().data?.find((k) => k.key === found.kind)?.tags ?? [];
  const put = (body: Schemas["SessionChange"]) =>
    change.mutateAsync(body).then(
      () => true,
      () => false,
    );
  const shut = found.standing === "arriving" || found.standing === "deleted";
  return (
    <>
      <h2>
        {moment(found.start, bay.utc_offset_min)}, {kindName(found.kind).toLowerCase()}, {length(found.length_s)}
      </h2>
      {found.too_short && (
        <p className="mt-2 text-[13px] text-soft">
          Too short to count. It is taken in and kept aside, so that nothing gets lost and no list gets longer.
        </p>
      )}
      <div className="mt-3 grid grid-cols-[84px_1fr] gap-y-2">
        <span className="text-soft">Person</span>
        <b className="truncate border-line border-b pb-0.5 font-medium">{person}</b>
        {words.map((w) => (
          <Line
            key={w.key}
            label={w.label}
            value={tags[w.key] ?? ""}
            hint={w.hint}
            suggestions={w.suggestions}
            disabled={shut}
            onType={stored ? undefined : (v) => onDraft({ ...own, tags: { ...tags, [w.key]: v } })}
            onLeave={(v) => put({ tags: { [w.key]: v } })}
          />
        ))}
        {Math.abs(error) >= wrongFrom && (
          <>
            <span className="text-soft">Clock</span>
            {stored ? (
              <span>
                {session.data?.clock_shift_s
                  ? `shifted; the recorder was ${clockError(-session.data.clock_shift_s)}`
                  : `the recorder was ${clockError(session.data?.clock_error_s ?? null)}`}{" "}
                {session.data?.clock_error_s !== null && (
                  <Button
                    look="quiet"
                    size="small"
                    onClick={() =>
                      change.mutate({
                        clock_shift_s: session.data?.clock_shift_s ? 0 : -(session.data?.clock_error_s ?? 0),
                      })
                    }
                  >
                    {session.data?.clock_shift_s ? "shift it back" : "shift this session"}
                  </Button>
                )}
              </span>
            ) : (
              <label className="flex items-start gap-2">
                <input
                  type="checkbox"
                  className="mt-1"
                  checked={own.shiftClock}
                  onChange={(e) => onDraft({ ...own, shiftClock: e.target.checked })}
                />
                <span>
                  shift this session by {error < 0 ? "+" : "−"}
                  {clockError(error).replace(/ (fast|slow)$/, "")}; the recorder is {clockError(error)}
                </span>
              </label>
            )}
          </>
        )}
        <Line
          label="Note"
          value={note}
          hint="add a note"
          disabled={shut}
          onType={stored ? undefined : (v) => onDraft({ ...own, note: v })}
          onLeave={(v) => put({ note: v })}
        />
      </div>
      {found.standing !== "deleted" && found.standing !== "arriving" && (
        <div className="mt-4 flex flex-wrap gap-2">
          <PersonPicker
            label={person === "nobody yet" ? "Give to somebody" : "Give to someone else"}
            onPick={(p) =>
              stored ? change.mutate({ person_id: p.id }) : onDraft({ ...own, person: p, unclaimed: false })
            }
          />
          {person !== "nobody yet" && (
            <Button
              look="quiet"
              onClick={() =>
                stored ? change.mutate({ person_id: null }) : onDraft({ ...own, person: null, unclaimed: true })
              }
            >
              Leave unclaimed
            </Button>
          )}
        </div>
      )}
      {stored && found.session_id !== null && <Stored id={found.session_id} onReview={() => onReview(id)} />}
      {found.to_clear && (
        <p className="mt-3 text-[13px] text-soft">
          It goes from {bay.recorder.token} as soon as that can be done.{" "}
          <Button look="quiet" size="small" onClick={() => keep.mutate()}>
            keep it there
          </Button>
        </p>
      )}
      {found.may_clear && (
        <Button className="mt-3" onClick={onClear}>
          Remove this one on {bay.recorder.token}
        </Button>
      )}
    </>
  );
}

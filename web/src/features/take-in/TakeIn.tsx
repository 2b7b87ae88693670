import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, ask, Problem, type Schemas } from "@/api/client";
import { useNumbers } from "@/features/settings/useSettings";
import { Button, Empty, Loading, Progress, Tag, Token, Trouble, Verdict, Warn } from "@/ui/basics";
import { clockError, length, moment, percent, since } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { PasscodeDialog } from "@/ui/passcode";
import { ClearDialog } from "./ClearDialog";
import { Details, type Draft } from "./Details";
import { FileDialog } from "./FileDialog";

type Bay = Schemas["Bay"];
type Found = Schemas["Found"];

const keyOf = (bay: Bay, found: Found) => `${bay.recorder.id} ${found.recorder_session}`;

/** Recorders with something to take in come first. */
const waitingOn = (bay: Bay) =>
  bay.sessions.some((s) => ["new", "arriving", "recording"].includes(s.standing)) ? 1 : 0;

function Measure({ name, value, bad = false }: { name: string; value: string; bad?: boolean }) {
  return (
    <span className="ml-3 text-right font-narrow text-[12.5px] text-soft min-[1180px]:ml-4">
      {name}
      <b className={`block font-semibold text-[14px] ${bad ? "text-action" : "text-ink"}`}>{value}</b>
    </span>
  );
}

function Standing({ found, queued }: { found: Found; queued: boolean }) {
  if (found.trouble) return <span className="text-action">{found.trouble}</span>;
  if (found.standing === "arriving")
    return found.received ? (
      <Progress share={found.received / Math.max(found.size, 1)} label="taken in" />
    ) : (
      <span className="text-soft">next</span>
    );
  if (found.standing === "aside") return <Verdict verdict="not assessable" words="kept aside" />;
  if (found.standing === "stored") return <span className="text-soft">stored, may be cleared</span>;
  if (found.standing === "deleted") return <span className="text-soft">deleted here</span>;
  if (found.standing === "recording") return <span className="text-soft">recording now</span>;
  return <span className="text-soft">{queued ? "waiting" : "left where it is"}</span>;
}

function Row({
  bay,
  found,
  ticked,
  selected,
  draft,
  onTick,
  onSelect,
}: {
  bay: Bay;
  found: Found;
  ticked: boolean;
  selected: boolean;
  draft: Draft | undefined;
  onTick: () => void;
  onSelect: () => void;
}) {
  const old = found.standing === "stored" || found.standing === "deleted" || found.standing === "recording";
  const tags = draft?.tags ?? found.tags;
  const name = `${moment(found.start, bay.utc_offset_min)}, ${length(found.length_s)}`;
  return (
    <tr className={`${selected ? "bg-act-soft" : ""} ${old ? "text-none" : ""}`}>
      <td className="w-9 border-hair border-t py-1 pl-3.5">
        <input
          type="checkbox"
          aria-label={`Take in ${name}`}
          className="size-4 align-middle accent-(--act)"
          checked={ticked}
          disabled={found.standing !== "new" && found.standing !== "deleted" && !found.trouble}
          onChange={onTick}
        />
      </td>
      <td className="w-44 border-hair border-t p-0">
        <button
          type="button"
          className="block min-h-8 w-full px-2 text-left"
          aria-pressed={selected}
          onClick={onSelect}
        >
          <b className={old ? "font-normal" : "font-semibold"}>{moment(found.start, bay.utc_offset_min)}</b>
        </button>
      </td>
      <td className="w-28 whitespace-nowrap border-hair border-t px-2">{length(found.length_s)}</td>
      <td className="w-44 border-hair border-t px-2 text-soft">
        {found.too_short ? "too short to count" : found.about}
      </td>
      <td className="w-40 border-hair border-t px-2">{tags.place && <Tag>{tags.place}</Tag>}</td>
      <td className="max-w-72 border-hair border-t py-1 pr-3 pl-2">
        <Standing found={found} queued={ticked} />
      </td>
    </tr>
  );
}

function useRecorderAction() {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const again = useMutation({
    mutationFn: (id: number) =>
      ask(api.POST("/api/recorders/{recorder_id}/look-again", { params: { path: { recorder_id: id } } })),
    onSettled: () => queries.invalidateQueries(),
    onError: fail,
  });
  const [locked, setLocked] = useState<number | null>(null);
  const stop = useMutation({
    mutationFn: ({ id, passcode }: { id: number; passcode: string }) =>
      ask(
        api.POST("/api/recorders/{recorder_id}/stop", {
          params: { path: { recorder_id: id } },
          body: { passcode },
        }),
      ),
    onSettled: () => queries.invalidateQueries(),
    onError: (error, { id, passcode }) => {
      const asks = error instanceof Problem && error.status === 423;
      if (asks) setLocked(id);
      if (!asks || passcode) fail(error);
    },
  });
  return { again, stop, locked, setLocked };
}

export default function TakeIn() {
  const wrongFrom = useNumbers("link.clock_s");
  const lowBelow = useNumbers("link.battery");
  const bays = useQuery({ queryKey: ["take-in"], queryFn: () => ask(api.GET("/api/take-in")) });
  const recorders = useQuery({ queryKey: ["recorders"], queryFn: () => ask(api.GET("/api/recorders")) });
  const [showOld, setShowOld] = useState(false);
  const [unticked, setUnticked] = useState<Set<string>>(new Set());
  const [asked, setAsked] = useState<Set<string>>(new Set());
  const [selected, setSelected] = useState<string | null>(null);
  const proposed = useRef<string | null>(null);
  const [drafts, setDrafts] = useState<Record<string, Draft>>({});
  const [clearing, setClearing] = useState<Bay | null>(null);
  const [file, setFile] = useState<File | null>(null);
  const chooser = useRef<HTMLInputElement>(null);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { say, fail } = useNotices();
  const { again, stop, locked, setLocked } = useRecorderAction();
  const begin = useMutation({
    mutationFn: (sessions: Schemas["TakeInWish"][]) => ask(api.POST("/api/take-in", { body: { sessions } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["take-in"] }),
    onError: fail,
  });
  if (bays.isError && !bays.data) return <Trouble error={bays.error} again={() => bays.refetch()} />;
  if (!bays.data) return <Loading what="the recorders in reach" />;

  const ordered = [...bays.data].sort((a, b) => waitingOn(b) - waitingOn(a));
  const all = ordered.flatMap((bay) => bay.sessions.map((found) => ({ bay, found, key: keyOf(bay, found) })));
  const isTicked = (key: string, found: Found) =>
    found.standing === "new" ? !unticked.has(key) : asked.has(key) && found.standing === "deleted";
  const fresh = all.filter((s) => s.found.standing === "new");
  const chosen = all.filter((s) => isTicked(s.key, s.found));
  const cut = all.filter((s) => s.found.standing === "arriving" && s.found.trouble);
  const toggle = (key: string, found: Found) => {
    const flip = (old: Set<string>) => {
      const now = new Set(old);
      if (!now.delete(key)) now.add(key);
      return now;
    };
    if (found.standing === "new") setUnticked(flip);
    else setAsked(flip);
  };
  const wish = ({ bay, found, key }: (typeof all)[number]): Schemas["TakeInWish"] => {
    const draft = drafts[key];
    return {
      recorder_id: bay.recorder.id,
      recorder_session: found.recorder_session,
      tags: draft?.tags ?? {},
      note: draft?.note ?? "",
      person_id: draft?.person?.id ?? null,
      unclaimed: draft?.unclaimed ?? false,
      shift_clock: draft?.shiftClock ?? false,
    };
  };
  const go = () => {
    const wishes = [...chosen, ...cut].map(wish);
    begin.mutate(wishes);
    setAsked(new Set());
  };
  // What the panel shows stays that session, whatever becomes of it: nobody else's slips in under the same fields.
  proposed.current ??= (fresh[0] ?? all[0])?.key ?? null;
  const current = all.find((s) => s.key === (selected ?? proposed.current));
  const visible = (found: Found) => showOld || !["stored", "deleted", "aside"].includes(found.standing);
  const oldCount = all.filter((s) => ["stored", "deleted", "aside"].includes(s.found.standing)).length;
  const amount = chosen.length + cut.length;
  const label =
    amount === 0
      ? "Nothing to take in"
      : cut.length && !chosen.length
        ? `Go on with ${cut.length}`
        : chosen.length === fresh.length
          ? `Take in all ${amount}`
          : `Take in ${amount} of ${fresh.length}`;
  const away = (recorders.data ?? []).filter((r) => !r.in_reach);
  return (
    <main
      className="grid h-full grid-cols-[minmax(0,1fr)_240px] min-[960px]:grid-cols-[minmax(0,1fr)_320px] min-[1240px]:grid-cols-[880px_minmax(0,1fr)]"
      onDragOver={(e) => e.dataTransfer.types.includes("Files") && e.preventDefault()}
      onDrop={(e) => {
        const dropped = e.dataTransfer.files[0];
        if (!dropped) return;
        e.preventDefault();
        setFile(dropped);
      }}
    >
      <section aria-label="Recorders in reach" className="overflow-auto py-[18px] pl-5">
        <div className="mb-3 flex items-center gap-2.5 pr-5">
          <h1>Take in</h1>
          <span className="text-soft">
            {bays.data.length} recorder{bays.data.length === 1 ? "" : "s"} in reach, {fresh.length} new session
            {fresh.length === 1 ? "" : "s"}
          </span>
          <span className="ml-auto" />
          <Button aria-pressed={showOld} onClick={() => setShowOld(!showOld)} disabled={oldCount === 0}>
            {showOld ? "Hide stored" : `Show ${oldCount} stored`}
          </Button>
          <Button onClick={() => chooser.current?.click()}>Take in a file</Button>
          <input
            ref={chooser}
            type="file"
            aria-label="File to take in"
            className="hidden"
            accept=".krec,.csv,.txt,.edf,.gpx,.parquet"
            onChange={(e) => {
              setFile(e.target.files?.[0] ?? null);
              e.target.value = "";
            }}
          />
          <Button main look="primary" disabled={amount === 0 || begin.isPending} onClick={go}>
            {label}
          </Button>
        </div>
        {bays.data.length === 0 && (
          <Empty title="No recorder in reach">
            Put a recorder in the dock, plug it in or bring it near. It shows here by itself within a few seconds. A
            recorder that is still recording may have to be stopped by its own key first.
          </Empty>
        )}
        {ordered.map((bay) => {
          const r = bay.recorder;
          const rows = bay.sessions.filter(visible);
          const clearable = bay.sessions.filter((s) => s.may_clear);
          return (
            <article key={r.id} aria-label={r.token} className="mr-5 mb-2.5 rounded-lg border border-line bg-panel">
              <div className="flex items-center gap-3 px-3.5 py-2">
                <Token name={r.token} />
                <div className="min-w-0 flex-1">
                  <h2 className="truncate">{r.name}</h2>
                  <span className="block truncate text-[13px] text-soft">
                    {r.holder ? `${r.holder}, since ${r.since ? since(r.since, bay.utc_offset_min) : "?"}` : "nobody"}
                  </span>
                </div>
                {clearable.length > 0 && (
                  <Button look="quiet" onClick={() => setClearing(bay)}>
                    Clear {clearable.length} stored
                  </Button>
                )}
                <Measure name={r.place || "Link"} value="connected" />
                <Measure
                  name="Battery"
                  value={percent(r.battery ?? 0)}
                  bad={100 * (r.battery ?? 1) < lowBelow(r.kind)}
                />
                <Measure
                  name="Clock"
                  value={clockError(r.clock_error_s)}
                  bad={Math.abs(r.clock_error_s ?? 0) >= wrongFrom(r.kind)}
                />
                <Measure name="Memory" value={percent(r.memory_used ?? 0)} bad={(r.memory_used ?? 0) > 0.9} />
              </div>
              {r.trouble && (
                <div className="px-3.5 pb-3">
                  <Warn>{r.trouble}</Warn>
                </div>
              )}
              {r.keeps_one && (
                <div className="px-3.5 pb-3">
                  <Warn>
                    <b>Keeps one recording only.</b> The next start overwrites it. Take it in before it goes out again.
                  </Warn>
                </div>
              )}
              {r.mode === "recording" && (
                <div className="flex items-center gap-3 border-hair border-t px-3.5 py-2">
                  <span className="text-soft">It is still recording. Stop it to take this session in.</span>
                  <Button onClick={() => stop.mutate({ id: r.id, passcode: "" })} disabled={stop.isPending}>
                    Stop recording
                  </Button>
                </div>
              )}
              {rows.length > 0 ? (
                <table className="w-full border-collapse text-[13.5px]">
                  <tbody>
                    {rows.map((found) => {
                      const key = keyOf(bay, found);
                      return (
                        <Row
                          key={key}
                          bay={bay}
                          found={found}
                          ticked={isTicked(key, found)}
                          selected={current?.key === key}
                          draft={drafts[key]}
                          onTick={() => toggle(key, found)}
                          onSelect={() => setSelected(key)}
                        />
                      );
                    })}
                  </tbody>
                </table>
              ) : (
                r.mode !== "recording" && (
                  <p className="border-hair border-t px-3.5 py-2 text-[13px] text-soft">
                    {bay.sessions.length ? "Nothing new on it." : "Empty, ready to go out."}
                  </p>
                )
              )}
            </article>
          );
        })}
        {away.map((r) => (
          <article
            key={r.id}
            aria-label={`${r.token}, away`}
            className="mr-5 mb-2.5 flex items-center gap-3 rounded-lg border border-line border-dashed px-3.5 py-2"
          >
            <Token name={r.token} away />
            <div className="min-w-0 flex-1">
              <h2>{r.name}</h2>
              <span className="block truncate text-[13px] text-soft">
                {r.holder ? `with ${r.holder}, ` : ""}
                {r.seen_at ? `last seen ${moment(r.seen_at)}` : "not seen yet"}
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
            <Button onClick={() => again.mutate(r.id)} disabled={again.isPending}>
              Look again
            </Button>
          </article>
        ))}
      </section>
      <aside aria-label="Session" className="overflow-auto border-line border-l bg-panel px-5 py-[18px]">
        {current ? (
          <Details
            key={current.key}
            bay={current.bay}
            found={current.found}
            draft={drafts[current.key]}
            onDraft={(draft) => setDrafts((old) => ({ ...old, [current.key]: draft }))}
            onReview={(id) => navigate(`/review/${id}`)}
          />
        ) : (
          <p className="text-soft">Sessions show here with who, where and what, before they are taken in.</p>
        )}
        <p className="mt-5 text-[13px] text-soft">
          After take-in the recorder keeps its copy until you clear it. Clearing is offered only for sessions whose
          stored copy has been read back and matches.
        </p>
      </aside>
      {locked !== null && (
        <PasscodeDialog
          token={bays.data.find((b) => b.recorder.id === locked)?.recorder.token ?? "the recorder"}
          onClose={() => setLocked(null)}
          onGiven={(passcode) => {
            setLocked(null);
            stop.mutate({ id: locked, passcode });
          }}
        />
      )}
      {file && (
        <FileDialog
          file={file}
          onClose={() => setFile(null)}
          onStored={(session) => {
            setFile(null);
            queries.invalidateQueries({ queryKey: ["sessions"] });
            queries.invalidateQueries({ queryKey: ["line"] });
            if (session.aside) say(`${file.name} was stored and kept aside: ${session.aside}.`);
            else navigate(`/review/${session.id}`);
          }}
        />
      )}
      {clearing && (
        <ClearDialog
          bay={clearing}
          onClose={() => setClearing(null)}
          onCleared={(count) =>
            say(
              `${count} session${count === 1 ? "" : "s"} removed on ${clearing.recorder.token}. The stored copies stay.`,
            )
          }
        />
      )}
    </main>
  );
}

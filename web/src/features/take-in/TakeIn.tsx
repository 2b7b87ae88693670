import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, ask, Problem, type Schemas } from "@/api/client";
import { useNumbers } from "@/features/settings/useSettings";
import { Button, Empty, Loading, Progress, Trouble } from "@/ui/basics";
import { useNotices } from "@/ui/notices";
import { PasscodeDialog } from "@/ui/passcode";
import { Away } from "./Away";
import { ClearDialog, type Clearing, clearable } from "./ClearDialog";
import { Details } from "./Details";
import { DockMap } from "./DockMap";
import {
  type Bay,
  type Draft,
  groupsOf,
  isAside,
  isAtWork,
  isCut,
  isStored,
  isWaiting,
  keepMine,
  type Line,
  type LinkRules,
  linesOf,
  needOf,
  noDraft,
  readMine,
  standOf,
} from "./dock";
import { FileDialog } from "./FileDialog";
import { asideWords, Fold } from "./Fold";
import { Missing, NeedsHand } from "./NeedsHand";
import { SessionTable } from "./SessionTable";
import { TickedBar } from "./TickedBar";
import { useLateTags } from "./useLateTags";
import { toggled, useTicks } from "./useTicks";
import { WrongClocks, wrongClocks } from "./WrongClocks";

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

/** What is on the recorders in reach: new ones taken in, at work, in; what needs a hand; what may be cleared. */
export default function TakeIn() {
  const bays = useQuery({ queryKey: ["take-in"], queryFn: () => ask(api.GET("/api/take-in")) });
  const recorders = useQuery({ queryKey: ["recorders"], queryFn: () => ask(api.GET("/api/recorders")) });
  const [showStored, setShowStored] = useState(false);
  const [showAside, setShowAside] = useState(false);
  const [opened, setOpened] = useState<Set<string>>(new Set());
  const [mine, setMine] = useState(readMine);
  const [only, setOnly] = useState<string | null>(null);
  const [selected, setSelected] = useState<string | null>(null);
  const [drafts, setDrafts] = useState<Record<string, Draft>>({});
  const [clearing, setClearing] = useState<Clearing[] | null>(null);
  const [clearAfter, setClearAfter] = useState(false);
  const [file, setFile] = useState<File | null>(null);
  const chooser = useRef<HTMLInputElement>(null);
  const { ticked, tick, setTicked } = useTicks();
  const panel = useRef<HTMLElement>(null);
  const intoPanel = useRef(false);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { say, fail } = useNotices();
  const { again, stop, locked, setLocked } = useRecorderAction();
  const begin = useMutation({
    mutationFn: (sessions: Schemas["TakeInWish"][]) => ask(api.POST("/api/take-in", { body: { sessions } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["take-in"] }),
    onError: fail,
  });
  const halt = useMutation({
    mutationFn: () => ask(api.POST("/api/take-in/stop")),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["take-in"] }),
    onError: fail,
  });
  const wrongFrom = useNumbers("link.clock_s");
  const weakBelow = useNumbers("link.weak");
  const rules: LinkRules = { weak: (kind) => weakBelow(kind) / 100, longS: useNumbers("link.long_s") };
  useEffect(() => keepMine(mine), [mine]);
  useLateTags(linesOf(bays.data ?? []), drafts, mine);
  useEffect(() => {
    if (selected && intoPanel.current) panel.current?.querySelector("input")?.focus();
    else if (selected && window.innerWidth < 900) panel.current?.scrollIntoView({ block: "nearest" });
    intoPanel.current = false;
  }, [selected]);
  if (bays.isError && !bays.data) return <Trouble view="Take in" error={bays.error} again={() => bays.refetch()} />;
  if (!bays.data) return <Loading view="Take in" what="the recorders in reach" />;

  const all = linesOf(bays.data);
  const fresh = all.filter(({ found }) => isWaiting(found));
  const atWork = all.filter(({ found }) => isAtWork(found));
  const cut = all.filter(({ found }) => isCut(found));
  const chosen = all.filter(({ key, found }) => ticked.has(key) && (isWaiting(found) || found.standing === "deleted"));
  const wanted = chosen.length > 0 ? chosen : [...fresh, ...cut];
  const done = all.filter(({ key, found }) => mine.has(key) && isStored(found));
  const wish = ({ bay, found, key }: Line): Schemas["TakeInWish"] => {
    const draft = drafts[key];
    return {
      recorder_id: bay.recorder.id,
      recorder_session: found.recorder_session,
      tags: draft?.tags ?? {},
      note: draft?.note ?? "",
      person_id: draft?.person?.id ?? null,
      unclaimed: draft?.unclaimed ?? false,
      shift_clock: draft?.shiftClock ?? false,
      clear_after: clearAfter,
    };
  };
  const go = () => {
    setMine(new Set([...mine, ...wanted.map((l) => l.key)]));
    begin.mutate(wanted.map(wish));
    setTicked(new Set());
  };
  const isShown = ({ bay, found, key }: Line) => {
    if (only !== null && bay.recorder.token !== only && standOf(bay, mine, rules) !== only) return false;
    if (only === bay.recorder.token || mine.has(key)) return true;
    if (isAside(found)) return showAside;
    return !isStored(found) || showStored;
  };
  const groups = groupsOf(all.filter(isShown));
  const shown = groups.flatMap((g) => (g.team === null || opened.has(g.team) ? g.lines : []));
  const current = all.find((l) => l.key === selected);
  const hiddenStored = all.filter(({ found, key }) => found.standing === "stored" && !mine.has(key)).length;
  const aside = all.filter(({ found, key }) => isAside(found) && !mine.has(key));
  const isChosen = (bay: Bay) => bay.recorder.token === only;
  const inView = bays.data.filter((bay) => only === null || isChosen(bay) || standOf(bay, mine, rules) === only);
  const toClear = clearable(inView, isChosen);
  const clearCount = toClear.reduce((sum, each) => sum + each.sessions.length, 0);
  const needs = bays.data.flatMap((bay) => {
    const need = needOf(bay, rules);
    return need ? [{ bay, need }] : [];
  });
  needs.sort((a, b) => Number(b.bay.recorder.keeps_one) - Number(a.bay.recorder.keeps_one));
  const away = (recorders.data ?? []).filter((r) => !r.in_reach);
  const label =
    wanted.length === 0
      ? "Nothing to take in"
      : chosen.length > 0
        ? `Take in ${chosen.length} of ${fresh.length}`
        : fresh.length === 0
          ? `Go on with ${cut.length}`
          : `Take in all ${wanted.length}`;
  const putMany: Parameters<typeof TickedBar>[0]["onSet"] = (change) => {
    const next = { ...drafts };
    for (const { key, found } of all.filter((l) => ticked.has(l.key))) {
      const own = next[key] ?? noDraft(found);
      next[key] = {
        ...own,
        tags: { ...own.tags, ...change.tags },
        person: change.person ?? own.person,
        unclaimed: change.person ? false : own.unclaimed,
      };
    }
    setDrafts(next);
  };
  const share = done.length / Math.max(done.length + atWork.length, 1);
  return (
    <main
      className="grid h-full grid-cols-1 content-start max-[899px]:overflow-auto min-[900px]:grid-cols-[minmax(0,1fr)_240px] min-[900px]:content-stretch min-[1180px]:grid-cols-[minmax(0,1fr)_308px]"
      onDragOver={(e) => e.dataTransfer.types.includes("Files") && e.preventDefault()}
      onDrop={(e) => {
        const dropped = e.dataTransfer.files[0];
        if (!dropped) return;
        e.preventDefault();
        setFile(dropped);
      }}
    >
      <section aria-label="Sessions on the recorders" className="px-5 py-[18px] min-[900px]:overflow-auto">
        <div className="mb-3 flex flex-wrap items-center gap-x-3 gap-y-2">
          <h1>Take in</h1>
          <span className="text-[13px] text-soft">
            {bays.data.length} recorder{bays.data.length === 1 ? "" : "s"} in reach, {fresh.length} new session
            {fresh.length === 1 ? "" : "s"}
          </span>
          <span className="ml-auto" />
          {atWork.length > 0 ? (
            <>
              <span className="grid justify-items-end text-[13px]">
                <b className="font-semibold">
                  {done.length} in, {atWork.length} at work or next
                </b>
                <Progress share={share} label="taken in" />
              </span>
              <Button onClick={() => halt.mutate()} disabled={halt.isPending}>
                Stop after these
              </Button>
            </>
          ) : (
            <>
              <Button onClick={() => chooser.current?.click()}>Take in a file</Button>
              {wanted.length > 0 && (
                <label className="flex items-center gap-1.5 text-[13px] text-soft">
                  <input
                    type="checkbox"
                    className="accent-(--act)"
                    checked={clearAfter}
                    onChange={(e) => setClearAfter(e.target.checked)}
                  />
                  clear them on the recorder after
                </label>
              )}
            </>
          )}
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
          {atWork.length > 0 && wanted.length === 0 ? (
            <Button main look="primary" disabled={done.length === 0} onClick={() => navigate("/review")}>
              Review the {done.length}
            </Button>
          ) : (
            <Button main look="primary" disabled={wanted.length === 0 || begin.isPending} onClick={go}>
              {label}
            </Button>
          )}
        </div>
        <Missing />
        <NeedsHand
          needs={needs}
          onStop={(bay) => stop.mutate({ id: bay.recorder.id, passcode: "" })}
          onLook={(bay) => again.mutate(bay.recorder.id)}
        />
        {bays.data.length === 0 && (
          <Empty title="No recorder in reach">
            Put a recorder in the dock, plug it in or bring it near. It shows here by itself within a few seconds. A
            recorder that is still recording may have to be stopped by its own key first.
          </Empty>
        )}
        {bays.data.length > 0 && (
          <div className="rounded-lg border border-line bg-panel">
            {groups.length > 0 ? (
              <SessionTable
                groups={groups}
                opened={opened}
                lines={shown}
                fresh={fresh}
                ticked={ticked}
                drafts={drafts}
                selected={selected}
                rules={rules}
                onTickAll={(on) => setTicked(on ? new Set(fresh.map((l) => l.key)) : new Set())}
                onTickTeam={(lines, on) => {
                  const keys = lines.map((l) => l.key);
                  setTicked(on ? new Set([...ticked, ...keys]) : new Set([...ticked].filter((k) => !keys.includes(k))));
                }}
                onTick={(line, span) => tick(line, span ? shown : [])}
                onFold={(team) => setOpened((old) => toggled(old, team))}
                onOpen={(line, byKey) => {
                  setSelected(selected === line.key ? null : line.key);
                  intoPanel.current = byKey && selected !== line.key;
                }}
                onDraft={(key, draft) => setDrafts((old) => ({ ...old, [key]: draft }))}
              />
            ) : (
              <p className="px-3.5 py-3 text-soft">
                {only === null ? "Nothing new on the recorders in reach." : "Nothing on it."}
              </p>
            )}
            <Fold
              count={aside.length}
              open={showAside}
              onToggle={() => setShowAside(!showAside)}
              title={`${aside.length} kept aside`}
              about={asideWords(aside)}
            />
            <Fold
              count={hiddenStored}
              open={showStored}
              onToggle={() => setShowStored(!showStored)}
              title={showStored ? `Hide ${hiddenStored} stored` : `Show ${hiddenStored} stored`}
              about="taken in earlier and still on the recorders"
            />
            {ticked.size > 0 && (
              <TickedBar
                lines={all.filter((l) => ticked.has(l.key))}
                drafts={drafts}
                onSet={putMany}
                onClose={() => setTicked(new Set())}
              />
            )}
          </div>
        )}
        <Away recorders={away} busy={again.isPending} onLook={(id) => again.mutate(id)} />
      </section>
      <aside
        ref={panel}
        aria-label="Session"
        className="border-line bg-panel px-4 py-[18px] max-[899px]:border-t min-[900px]:overflow-auto min-[900px]:border-l"
        onKeyDown={(e) => {
          if (e.key !== "Escape" || !selected) return;
          document.querySelector<HTMLElement>(`[data-line="${CSS.escape(selected)}"]`)?.focus();
          setSelected(null);
        }}
      >
        {current ? (
          <>
            <Details
              key={current.key}
              bay={current.bay}
              found={current.found}
              draft={drafts[current.key]}
              onDraft={(draft) => setDrafts((old) => ({ ...old, [current.key]: draft }))}
              onReview={(id) => navigate(`/review/${id}`)}
              onClear={() => setClearing([{ bay: current.bay, sessions: [current.found] }])}
            />
            <Button look="quiet" className="mt-4 -ml-3" onClick={() => setSelected(null)}>
              back to where they stand
            </Button>
          </>
        ) : (
          <DockMap bays={bays.data} away={away} mine={mine} only={only} onOnly={setOnly} rules={rules} />
        )}
        {!current && <WrongClocks wrong={wrongClocks(all, wrongFrom, mine)} drafts={drafts} onDrafts={setDrafts} />}
        {!current && toClear.length > 0 && (
          <section aria-label="Clear" className="mt-4 border-line border-t pt-3 text-[13px]">
            <h2>Clear</h2>
            <p className="my-1.5 text-soft">
              {clearCount} session{clearCount === 1 ? "" : "s"} on{" "}
              {toClear.length === 1 ? toClear[0]?.bay.recorder.token : `${toClear.length} recorders`}{" "}
              {clearCount === 1 ? "is" : "are"} stored here. Each copy is read again before its original goes.
              {only === null &&
                " Choose a recorder above to clear it alone; files on sticks and cards never go with all."}
            </p>
            <Button onClick={() => setClearing(toClear)}>
              Clear {clearCount} on{" "}
              {toClear.length === 1 ? toClear[0]?.bay.recorder.token : `${toClear.length} recorders`}
            </Button>
          </section>
        )}
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
          chosen={clearing}
          onClose={() => setClearing(null)}
          onCleared={(sessions, count) =>
            say(
              `${sessions} session${sessions === 1 ? "" : "s"} removed on ${count === 1 ? clearing[0]?.bay.recorder.token : `${count} recorders`}. The stored copies stay.`,
            )
          }
        />
      )}
    </main>
  );
}

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, ask } from "@/api/client";
import { useNumbers } from "@/features/settings/useSettings";
import { Button, Empty, Loading, Trouble } from "@/ui/basics";
import { useNotices } from "@/ui/notices";
import { PasscodeDialog } from "@/ui/passcode";
import { Away } from "./Away";
import { ClearDialog, type Clearing } from "./ClearDialog";
import { ClearPart } from "./ClearPart";
import { Details } from "./Details";
import { DockMap } from "./DockMap";
import { type Draft, keepMine, type LinkRules, linesOf, readMine } from "./dock";
import { FileDialog } from "./FileDialog";
import { Lines } from "./Lines";
import { Missing, NeedsHand, OneSlot } from "./NeedsHand";
import { type Looking, sightOf, wishOf } from "./sight";
import { TakeInHead } from "./TakeInHead";
import { useLateTags } from "./useLateTags";
import { useTakingIn } from "./useTakingIn";
import { useTicks } from "./useTicks";
import { WrongClocks, wrongClocks } from "./WrongClocks";

/** What is on the recorders in reach: new ones taken in, at work, in; what needs a hand; what may be cleared. */
export default function TakeIn() {
  const bays = useQuery({ queryKey: ["take-in"], queryFn: () => ask(api.GET("/api/take-in")) });
  const recorders = useQuery({ queryKey: ["recorders"], queryFn: () => ask(api.GET("/api/recorders")) });
  const [looked, setLooked] = useState({ opened: new Set<string>(), showStored: false, showAside: false });
  const [only, setOnly] = useState<string | null>(null);
  const [mine, setMine] = useState(readMine);
  const [selected, setSelected] = useState<string | null>(null);
  const [drafts, setDrafts] = useState<Record<string, Draft>>({});
  const [clearing, setClearing] = useState<Clearing[] | null>(null);
  const [clearAfter, setClearAfter] = useState(false);
  const [file, setFile] = useState<File | null>(null);
  const ticks = useTicks();
  const panel = useRef<HTMLElement>(null);
  const intoPanel = useRef(false);
  const navigate = useNavigate();
  const { begin, halt, again, stop, locked, setLocked } = useTakingIn();
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

  const looking: Looking = { ...looked, only, mine, ticked: ticks.ticked, rules };
  const sight = sightOf(bays.data, looking);
  const { all, wanted } = sight;
  const current = all.find((l) => l.key === selected);
  const away = (recorders.data ?? []).filter((r) => !r.in_reach);
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
        <TakeInHead
          sight={sight}
          recorders={bays.data.length}
          busy={{ go: begin.isPending, halt: halt.isPending }}
          clearAfter={clearAfter}
          onClearAfter={setClearAfter}
          onGo={() => {
            setMine(new Set([...mine, ...wanted.map((l) => l.key)]));
            begin.mutate(wanted.map((line) => wishOf(line, drafts[line.key], clearAfter)));
            ticks.setTicked(new Set());
          }}
          onHalt={() => halt.mutate()}
          onFile={setFile}
        />
        <OneSlot bays={bays.data} />
        <Missing />
        <NeedsHand
          needs={sight.needs}
          onStop={(bay) => stop.mutate({ id: bay.recorder.id, passcode: "" })}
          onLook={(bay) => again.mutate(bay.recorder.id)}
        />
        {bays.data.length === 0 ? (
          <Empty title="No recorder in reach">
            Put a recorder in the dock, plug it in or bring it near. It shows here by itself within a few seconds. A
            recorder that is still recording may have to be stopped by its own key first.
          </Empty>
        ) : (
          <Lines
            sight={sight}
            looking={looking}
            onLook={(change) => setLooked((old) => ({ ...old, ...change }) as typeof old)}
            ticks={ticks}
            drafts={drafts}
            onDrafts={setDrafts}
            selected={selected}
            onOpen={(key, byKey) => {
              setSelected(selected === key ? null : key);
              intoPanel.current = byKey && selected !== key;
            }}
            rules={rules}
          />
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
          <>
            <DockMap bays={bays.data} away={away} mine={mine} only={only} onOnly={setOnly} rules={rules} />
            <WrongClocks wrong={wrongClocks(all, wrongFrom, mine)} drafts={drafts} onDrafts={setDrafts} />
            <ClearPart toClear={sight.toClear} all={only === null} onClear={setClearing} />
          </>
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
      <FileTaken file={file} onClose={() => setFile(null)} />
      <Cleared clearing={clearing} onClose={() => setClearing(null)} />
    </main>
  );
}

function FileTaken({ file, onClose }: { file: File | null; onClose: () => void }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { say } = useNotices();
  if (!file) return null;
  return (
    <FileDialog
      file={file}
      onClose={onClose}
      onStored={(session) => {
        onClose();
        queries.invalidateQueries({ queryKey: ["sessions"] });
        queries.invalidateQueries({ queryKey: ["line"] });
        if (session.aside) say(`${file.name} was stored and kept aside: ${session.aside}.`);
        else navigate(`/review/${session.id}`);
      }}
    />
  );
}

function Cleared({ clearing, onClose }: { clearing: Clearing[] | null; onClose: () => void }) {
  const { say } = useNotices();
  if (!clearing) return null;
  const token = clearing[0]?.bay.recorder.token;
  return (
    <ClearDialog
      chosen={clearing}
      onClose={onClose}
      onCleared={(sessions, count) =>
        say(
          `${sessions} session${sessions === 1 ? "" : "s"} removed on ${count === 1 ? token : `${count} recorders`}. The stored copies stay.`,
        )
      }
    />
  );
}

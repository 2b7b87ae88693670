import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Fragment, useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { api, ask, Problem, type Schemas } from "@/api/client";
import { useNumber } from "@/features/settings/useSettings";
import { settingsOf, useKindWords } from "@/kinds/kinds";
import { Button, Loading, Token, Trouble, Warn } from "@/ui/basics";
import { refusedEntry } from "@/ui/entry";
import { clockError, percent } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { PasscodeDialog } from "@/ui/passcode";
import { ReasonDialog } from "@/ui/reason";
import { SetupForm } from "./SetupForm";
import { type Settings, valueAt } from "./setup";

/** The slip: recorder, settings with what differs on the recorder, clock; write, read back, hand out. */
export function Slip({
  person,
  recorder,
  onDone,
}: {
  person: Schemas["Person"];
  recorder: Schemas["Recorder"];
  onDone: () => void;
}) {
  const kind = settingsOf(recorder.kind);
  const wrongFrom = useNumber("link.clock_s", recorder.kind);
  const words = useKindWords().data?.find((k) => k.key === recorder.kind)?.tags ?? [];
  const [edited, setEdited] = useState<Settings | undefined>();
  const [library, setLibrary] = useState("");
  const [refused, setRefused] = useState<string | null>(null);
  const [typedTags, setTags] = useState<Record<string, string>>({});
  const [setClock, setSetClock] = useState(true);
  const passcode = useRef("");
  const [asking, setAsking] = useState<null | "give" | "write">(null);
  const despite = useRef("");
  const [holding, setHolding] = useState<string | null>(null);
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const path = { recorder_id: recorder.id };
  const draft = useQuery({
    queryKey: ["draft", recorder.id, person.id, library, edited],
    queryFn: () =>
      ask(
        api.POST("/api/recorders/{recorder_id}/draft", {
          params: { path },
          body: { person_id: person.id, library, settings: edited },
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: 0,
  });
  const failed = (error: Error, doing: "give" | "write") => {
    if (error instanceof Problem && error.status === 423) {
      if (passcode.current) fail(error);
      setAsking(doing);
    } else if (error instanceof Problem && error.code === "not-taken-in") {
      setHolding(error.message);
    } else {
      fail(error);
      queries.invalidateQueries({ queryKey: ["draft"] });
      queries.invalidateQueries({ queryKey: ["recorders"] });
    }
  };
  const body = () => ({
    // What is on the screen, also when the server has not looked at the last entry yet; it looks at it again on writing.
    settings: edited ?? draft.data?.settings ?? {},
    revision: draft.data?.revision ?? 0,
    set_clock: setClock,
    passcode: passcode.current,
  });
  const give = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/hand-overs", {
          body: {
            ...body(),
            recorder_id: recorder.id,
            person_id: person.id,
            despite: despite.current,
            tags: { ...draft.data?.tags, ...typedTags },
          },
        }),
      ),
    onSuccess: (slip) => {
      queries.invalidateQueries();
      const id = slip.id;
      say(`${recorder.token} is with ${person.name}. Settings were written and read back.`, () => {
        ask(api.POST("/api/hand-overs/{hand_over_id}/return", { params: { path: { hand_over_id: id } } })).then(
          () => queries.invalidateQueries(),
          fail,
        );
      });
      onDone();
    },
    onError: (error) => failed(error, "give"),
  });
  const write = useMutation({
    mutationFn: () => ask(api.POST("/api/recorders/{recorder_id}/write", { params: { path }, body: body() })),
    onSuccess: () => {
      setEdited(undefined);
      queries.invalidateQueries();
      say(`The settings are on ${recorder.token}, read back and equal.`);
    },
    onError: (error) => failed(error, "write"),
  });
  // A wrong entry is refused by the server: the slip goes back to what was right before, and says why.
  const sheet = useRef<HTMLDivElement>(null);
  const there = draft.data !== undefined;
  // A recorder was chosen: the next step is its settings.
  useEffect(() => {
    if (there) sheet.current?.querySelector<HTMLElement>("input, select")?.focus();
  }, [there]);
  const good = useRef<{ data: typeof draft.data; edited: Settings | undefined }>({
    data: undefined,
    edited: undefined,
  });
  if (draft.data && !draft.isPlaceholderData) good.current = { data: draft.data, edited };
  const refusal = draft.isError && good.current.data ? draft.error.message : null;
  useEffect(() => {
    if (refusal === null) return;
    setRefused(`${refusal} The value was not taken.`);
    setEdited(good.current.edited);
  }, [refusal]);
  const shown = draft.data ?? good.current.data;
  if (draft.isError && !shown) return <Trouble error={draft.error} again={() => draft.refetch()} />;
  if (!shown) return <Loading what="the settings on the recorder" />;
  const settings = edited ?? shown.settings;
  const fields = shown.fields.map((f) => ({ ...f, value: valueAt(settings, f.path) }));
  const tags = { ...shown.tags, ...typedTags };
  const differing = fields.filter((f) => f.differs).length;
  /** Nothing is written beside what the screen shows. */
  const unless = (act: () => void) => {
    const entry = refusedEntry(sheet.current);
    if (entry) setRefused(`${entry} Nothing was written.`);
    else act();
  };
  const busy = give.isPending || write.isPending;
  const change = (next: Settings) => {
    setRefused(null);
    setEdited(next);
  };
  return (
    <>
      <div className="mt-3.5 overflow-hidden rounded-[10px] border border-line">
        <div className="flex items-center gap-3.5 bg-salt px-4 py-3">
          <Token name={recorder.token} away={!recorder.in_reach} />
          <div className="min-w-0">
            <h2>{recorder.name}</h2>
            <span className="text-[13px] text-soft">
              {recorder.place}, battery {percent(recorder.battery ?? 0)},{" "}
              {recorder.new_sessions
                ? `${recorder.new_sessions} session${recorder.new_sessions > 1 ? "s" : ""} not taken in`
                : `memory ${percent(recorder.memory_used ?? 0)} used`}
            </span>
          </div>
          <select
            aria-label="Start from a setup of the library"
            className="ml-auto min-h-8 max-w-48 rounded-md border border-line bg-panel px-2"
            value={library}
            onChange={(e) => {
              setEdited(undefined);
              setLibrary(e.target.value);
            }}
          >
            <option value="">{library ? "start over" : `from ${shown.based_on}`}</option>
            {shown.library.map((name) => (
              <option key={name}>{name}</option>
            ))}
          </select>
        </div>
        {recorder.mode === "recording" && (
          <div className="px-4 pb-3">
            <Warn>{recorder.token} is recording. Take that session in first; it cannot be written meanwhile.</Warn>
          </div>
        )}
        {recorder.press && (
          <div className="px-4 pb-3">
            <Warn>
              {recorder.token} cannot be written now. {recorder.press}
            </Warn>
          </div>
        )}
        {recorder.new_sessions > 0 && (
          <div className="px-4 pb-3">
            <Warn>
              {recorder.new_sessions > 1 ? "Sessions on it were" : "A session on it was"} not taken in.{" "}
              {recorder.keeps_one && "It keeps one recording: the next start overwrites it. "}
              <Link to="/take-in" className="text-act underline">
                Take in first
              </Link>
            </Warn>
          </div>
        )}
        <div ref={sheet} className="grid grid-cols-[150px_minmax(0,1fr)_150px]">
          <SetupForm
            fields={fields}
            lists={shown.lists}
            settings={settings}
            summary={kind?.summary}
            onChange={change}
          />
          <span className="border-hair border-t py-1.5 pl-4 text-soft">Clock</span>
          <label className="flex items-center gap-2 border-hair border-t px-2 py-1.5">
            <input type="checkbox" checked={setClock} onChange={(e) => setSetClock(e.target.checked)} />
            set on writing
          </label>
          <span
            className={`border-hair border-t py-1.5 pr-4 pl-2 ${Math.abs(recorder.clock_error_s ?? 0) >= wrongFrom ? "text-action" : "text-soft"}`}
          >
            is {clockError(recorder.clock_error_s)}
          </span>
          {Object.keys(shown.others).length > 0 && (
            <>
              <span className="border-hair border-t py-1.5 pl-4 text-soft">Also on it</span>
              <span className="col-span-2 border-hair border-t px-2 py-1.5">
                {Object.entries(shown.others)
                  .map(([name, value]) => `${name.replaceAll("_", " ")} ${value}`)
                  .join(", ")}
                <span className="text-soft">; stays as it is</span>
              </span>
            </>
          )}
          {words.map(({ key, label, hint, suggestions }) => (
            <Fragment key={key}>
              <span className="border-hair border-t py-1.5 pl-4 text-soft">{label}</span>
              <span className="col-span-2 border-hair border-t px-2 py-0.5">
                <input
                  aria-label={label}
                  className="-ml-1 min-h-7 w-full rounded border border-transparent bg-transparent px-1 hover:border-line"
                  list={suggestions.length > 0 ? `offered-${key}` : undefined}
                  placeholder={hint}
                  value={tags[key] ?? ""}
                  maxLength={200}
                  onChange={(e) => setTags({ ...tags, [key]: e.target.value })}
                />
                {suggestions.length > 0 && (
                  <datalist id={`offered-${key}`}>
                    {suggestions.map((each) => (
                      <option key={each} value={each} />
                    ))}
                  </datalist>
                )}
              </span>
            </Fragment>
          ))}
        </div>
      </div>
      <div className="mt-4 flex flex-wrap items-center gap-2.5">
        <Button main look="primary" disabled={busy || !recorder.in_reach} onClick={() => unless(() => give.mutate())}>
          {give.isPending ? "Writing and reading back …" : "Write and hand out"}
        </Button>
        <Button disabled={busy || !recorder.in_reach} onClick={() => unless(() => write.mutate())}>
          Write only
        </Button>
        <span className="text-[13px] text-soft">
          {differing === 0
            ? "Nothing differs from what is on the recorder"
            : `${differing} setting${differing > 1 ? "s differ" : " differs"}, read back after writing`}
        </span>
      </div>
      {refused && (
        <p role="alert" className="mt-3 text-above">
          {refused}
        </p>
      )}
      {shown.last_worn && <p className="mt-4 text-[13px] text-soft">Last time with this kind: {shown.last_worn}.</p>}
      {holding !== null && (
        <ReasonDialog
          title={`${recorder.token} is not empty`}
          text={holding}
          hint="why it goes out all the same"
          action="Hand out all the same"
          reasons={["taken in later today", "not needed", "a test"]}
          onClose={() => setHolding(null)}
          onReason={(reason) => {
            setHolding(null);
            despite.current = reason;
            give.mutate();
          }}
        />
      )}
      {asking !== null && (
        <PasscodeDialog
          token={recorder.token}
          onClose={() => setAsking(null)}
          onGiven={(given) => {
            passcode.current = given;
            setAsking(null);
            if (asking === "give") give.mutate();
            else write.mutate();
          }}
        />
      )}
    </>
  );
}

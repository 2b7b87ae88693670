import { Fragment, useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "@/api/client";
import { useNumber } from "@/features/settings/useSettings";
import { settingsOf, useKindWords } from "@/kinds/kinds";
import { SetupForm } from "@/setup/SetupForm";
import { Button, Loading, Token, Trouble, Warn } from "@/ui/basics";
import { refusedEntry } from "@/ui/entry";
import { clock, clockError, drift, percent } from "@/ui/format";
import { PasscodeDialog } from "@/ui/passcode";
import { ReasonDialog } from "@/ui/reason";
import { Crew } from "./Crew";
import { Interrupted } from "./Interrupted";
import { KeepSetup } from "./KeepSetup";
import { LeafletDialog } from "./LeafletDialog";
import { StartFrom } from "./StartFrom";
import { forgetTyped, keepTyped, typedBefore } from "./typedSlip";
import { type StartsFrom, useDraft } from "./useDraft";
import { useGive } from "./useGive";

/** What stands against writing this recorder now. */
function Standing({ recorder }: { recorder: Schemas["Recorder"] }) {
  const many = recorder.new_sessions > 1;
  return (
    <>
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
      {recorder.overdue.length > 0 && (
        <div className="px-4 pb-3">
          <Warn>
            {recorder.overdue.slice(0, 3).join(". ")}
            {recorder.overdue.length > 3 ? `, and ${recorder.overdue.length - 3} more` : ""}.{" "}
            <Link to={`/recorders/${recorder.id}/sensors`} className="text-act underline">
              {recorder.calibrates ? "Calibrate" : "See its checks"}
            </Link>
          </Warn>
        </div>
      )}
      {recorder.new_sessions > 0 && (
        <div className="px-4 pb-3">
          <Warn>
            {many ? "Sessions on it were" : "A session on it was"} not taken in.{" "}
            {recorder.keeps_one && "It keeps one recording: the next start overwrites it. "}
            <Link to="/take-in" className="text-act underline">
              Take in first
            </Link>
          </Warn>
        </div>
      )}
    </>
  );
}

/** What is said of the session beforehand; it comes back with it. */
function TagRows({
  words,
  tags,
  onChange,
}: {
  words: Schemas["TagWord"][];
  tags: Record<string, string>;
  onChange: (tags: Record<string, string>) => void;
}) {
  return words
    .filter((word) => !word.setting)
    .map(({ key, label, hint, suggestions }) => (
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
            onChange={(e) => onChange({ ...tags, [key]: e.target.value })}
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
    ));
}

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
  const [before, setBefore] = useState(() => typedBefore(recorder.id, person.id));
  const [typedTags, setTags] = useState<Record<string, string>>(before?.tags ?? {});
  const [setClock, setSetClock] = useState(before?.setClock ?? true);
  const [crew, setCrew] = useState(false);
  const [leaflet, setLeaflet] = useState(false);
  const [courses, setCourses] = useState<string[] | null>(before?.courses ?? null);
  const [picture, setPicture] = useState<Schemas["Drawn"] | null>(before?.picture ?? null);
  const draft = useDraft(recorder, person, before);
  const shown = draft.data;
  const tags = { ...shown?.tags, ...typedTags };
  const done = useRef(false);
  const { edited, from, begun } = draft;
  useEffect(() => {
    if (done.current) return;
    const typed = edited !== undefined || Object.keys(typedTags).length > 0 || !setClock || courses || picture;
    if (typed) keepTyped(recorder.id, person.id, { from, edited, begun, tags: typedTags, setClock, courses, picture });
    else forgetTyped(recorder.id, person.id);
  }, [recorder.id, person.id, from, edited, begun, typedTags, setClock, courses, picture]);
  const startOver = (next: StartsFrom = {}) => {
    setBefore(null);
    setTags({});
    setSetClock(true);
    setCourses(null);
    setPicture(null);
    draft.start(next);
  };
  const deed = useGive(
    recorder,
    person,
    () => ({
      // What is on the screen, also when the server has not looked at the last entry yet; it looks at it again on writing.
      settings: draft.settings,
      revision: shown?.revision ?? 0,
      set_clock: setClock,
      tags,
      personal: draft.personal,
      picture,
      courses,
    }),
    () => {
      done.current = true;
      forgetTyped(recorder.id, person.id);
      onDone();
    },
  );
  const sheet = useRef<HTMLElement>(null);
  const there = shown !== undefined;
  // A recorder was chosen: the next step is its settings. Editors may still be on their way, and which field is the first with them.
  useEffect(() => {
    if (there) sheet.current?.focus({ preventScroll: true });
  }, [there]);
  if (draft.error) return <Trouble error={draft.error} again={() => draft.again()} />;
  if (!shown) return <Loading what="the settings on the recorder" />;
  const differing = draft.fields.filter((f) => f.differs).length;
  const startFrom = (next: StartsFrom) => {
    setBefore(null);
    draft.start(next);
  };
  /** Nothing is written beside what the screen shows. */
  const unless = (act: () => void) => {
    const entry = refusedEntry(sheet.current);
    if (entry) draft.setRefused(`${entry} Nothing was written.`);
    else act();
  };
  const written = () => {
    setBefore(null);
    draft.change(undefined);
    setPicture(null);
    setCourses(null);
  };
  const drifts = drift(recorder.clock_error_s, recorder.clock_set_at);
  const first = person.name.split(" ")[0];
  return (
    <>
      <div className="mt-3.5 overflow-hidden rounded-[10px] border border-line">
        <div className="flex flex-wrap items-center gap-x-3.5 gap-y-2 bg-salt px-4 py-3">
          <Token name={recorder.token} away={!recorder.in_reach} />
          <div className="min-w-[180px] flex-1">
            <h2>{recorder.name}</h2>
            <span className="text-[13px] text-soft">
              {recorder.place}, battery {percent(recorder.battery) || "not known"},{" "}
              {recorder.new_sessions
                ? `${recorder.new_sessions} session${recorder.new_sessions > 1 ? "s" : ""} not taken in`
                : `memory used ${percent(recorder.memory_used) || "not known"}`}
            </span>
          </div>
          <StartFrom draft={shown} from={draft.from} team={person.team} basedOn={draft.basedOn} onStart={startFrom} />
        </div>
        {before && (
          <p className="border-hair border-t px-4 py-1.5 text-[13px] text-soft" role="status">
            As it was typed at {clock(new Date(before.at).toISOString())} and not written.{" "}
            <Button look="quiet" size="small" onClick={() => startOver(before.from)}>
              Start over
            </Button>
          </p>
        )}
        {shown.unfinished && (
          <Interrupted unfinished={shown.unfinished} token={recorder.token} busy={deed.busy} onFinish={deed.finish} />
        )}
        <Standing recorder={recorder} />
        <section
          ref={sheet}
          aria-label="Settings"
          tabIndex={-1}
          className="grid outline-none grid-cols-[168px_minmax(0,1fr)_150px]"
        >
          <SetupForm
            fields={draft.fields}
            draft={shown}
            settings={draft.settings}
            person={person}
            recorder={recorder}
            summary={kind.summary}
            editors={kind.editors}
            picture={picture}
            onPicture={setPicture}
            courses={courses}
            onCourses={setCourses}
            onChange={draft.change}
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
            {drifts && <span className="block text-[12px] text-soft">{drifts}</span>}
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
          <TagRows words={words} tags={tags} onChange={setTags} />
        </section>
      </div>
      {draft.refused && (
        <p role="alert" className="mt-3 text-above">
          {draft.refused}
        </p>
      )}
      {shown.last_worn && <p className="mt-3 text-[13px] text-soft">Last time with this kind: {shown.last_worn}.</p>}
      <div className="sticky -bottom-[18px] z-10 -mx-5 mt-3 flex flex-wrap items-center gap-x-2.5 gap-y-1.5 border-line border-t bg-panel px-5 py-2.5">
        <Button
          main
          look="primary"
          disabled={deed.busy || !recorder.in_reach}
          onClick={() => unless(() => deed.give.mutate())}
        >
          {deed.give.isPending ? "Writing and reading back …" : "Write and hand out"}
        </Button>
        <Button
          disabled={deed.busy || !recorder.in_reach}
          onClick={() => unless(() => deed.write.mutate(undefined, { onSuccess: written }))}
        >
          Write only
        </Button>
        <Button look="quiet" size="small" onClick={() => unless(() => setCrew(true))}>
          The same for several
        </Button>
        <Button look="quiet" size="small" onClick={() => unless(() => setLeaflet(true))}>
          Leaflet
        </Button>
        <KeepSetup draft={shown} settings={draft.settings} team={person.team} />
        <span className="text-[13px] text-soft">
          {differing === 0
            ? draft.compared
              ? "Nothing differs from what is on the recorder"
              : "Comparing with the recorder …"
            : `${differing} setting${differing > 1 ? "s differ" : " differs"}, read back after writing`}
          {picture && "; a picture is not yet written"}
          {courses && "; courses are not yet sent"}
          {draft.personal.length > 0 && `; ${draft.personal.length} kept with ${first}`}
        </span>
      </div>
      {deed.holding !== null && (
        <ReasonDialog
          title={`${recorder.token} is not empty`}
          text={deed.holding}
          hint="why it goes out all the same"
          action="Hand out all the same"
          reasons={["taken in later today", "not needed", "a test"]}
          onClose={deed.stopHolding}
          onReason={deed.allTheSame}
        />
      )}
      {leaflet && (
        <LeafletDialog
          recorder={recorder}
          person={person}
          settings={draft.settings}
          tags={tags}
          onClose={() => setLeaflet(false)}
        />
      )}
      {crew && (
        <Crew
          slip={{ recorder, person }}
          common={{ settings: draft.settings, setClock, tags, picture, courses }}
          onClose={() => {
            setCrew(false);
            if (recorder.holder) onDone();
          }}
        />
      )}
      {deed.asking && <PasscodeDialog token={recorder.token} onClose={deed.stopAsking} onGiven={deed.withPasscode} />}
    </>
  );
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useState } from "react";
import { Link } from "react-router";
import { api, ask } from "@/api/client";
import { Button, inputLook, Verdict } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { clock, day, moment } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { CallBox, callOf } from "./CallBox";
import { LOST_AFTER_S, type Standing, standingOf, type Tile, useFeed, useTiles } from "./feed";
import { ScreenLinks } from "./ScreenLinks";
import { Sound } from "./sound";
import { SHAPE, span, TileView } from "./TileView";

const MOST_ON_PAGE = 12;
const PAGE_S = 12;
/** A screen asks so often whether its address still shows the wall. */
const SCREEN_MS = 60_000;
const STATES: [Standing, string][] = [
  ["alarm", "alarm"],
  ["silent", "silent"],
  ["watch", "to watch"],
  ["within", "within, heard"],
];

/** Whole seconds of the server's clock. */
function useSeconds(nowOf: () => number): number {
  const [seconds, setSeconds] = useState(() => Math.floor(nowOf()));
  useEffect(() => {
    const timer = window.setInterval(() => setSeconds(Math.floor(nowOf())), 250);
    return () => window.clearInterval(timer);
  }, [nowOf]);
  return seconds;
}

/** Pages of whole groups: a page holds twelve, a group of more is parted. */
function pagesOf(tiles: Tile[]): Tile[][] {
  const pages: Tile[][] = [[]];
  const groups = new Map<string, Tile[]>();
  for (const tile of tiles) groups.set(tile.team, [...(groups.get(tile.team) ?? []), tile]);
  for (const group of groups.values())
    for (let i = 0; i < group.length; i += MOST_ON_PAGE) {
      const part = group.slice(i, i + MOST_ON_PAGE);
      const last = pages.at(-1) as Tile[];
      if (last.length + part.length > MOST_ON_PAGE && last.length > 0) pages.push([...part]);
      else last.push(...part);
    }
  return pages;
}

/** Recorders worn now: value against alarm, age of the last word, silence louder than a value, whom to call. A screen with an address of its
 * own (`word`) shows the same, and changes nothing. */
export default function WallPage({ word }: { word?: string }) {
  const feed = useFeed(word && `/api/wall/screen/stream?word=${encodeURIComponent(word)}`);
  const tiles = useTiles(feed);
  const nowS = useSeconds(feed.now);
  const isLost = feed.come && feed.quietS() > LOST_AFTER_S;
  const queries = useQueryClient();
  const { fail } = useNotices();
  const calls = useQuery({
    queryKey: ["wall", "calls"],
    queryFn: () => ask(api.GET("/api/wall/calls")),
    enabled: word === undefined,
  });
  const marks = useQuery({
    queryKey: ["wall", "marks"],
    queryFn: () => ask(api.GET("/api/wall/marks")),
    enabled: word === undefined,
  });
  const screen = useQuery({
    queryKey: ["wall", "screen", word],
    queryFn: () => ask(api.GET("/api/wall/screen", { params: { query: { word: word ?? "" } } })),
    enabled: word !== undefined,
    refetchInterval: SCREEN_MS,
  });
  const whom = (word === undefined ? calls.data?.calls : screen.data?.calls) ?? [];
  const told = (found: Awaited<ReturnType<typeof sent>>) => queries.setQueryData(["wall", "marks"], found);
  const sent = (text: string, recorder: number | null) =>
    ask(api.POST("/api/wall/marks", { body: { text, ...(recorder === null ? {} : { recorder_id: recorder }) } }));
  const mark = useMutation({
    mutationFn: ({ text, recorder }: { text: string; recorder: number | null }) => sent(text, recorder),
    onSuccess: told,
    onError: fail,
  });
  const answer = useMutation({
    mutationFn: (tile: Tile) => ask(api.POST("/api/wall/answers", { body: { recorder_id: tile.recorder } })),
    onSuccess: told,
    onError: fail,
  });
  const [marking, setMarking] = useState<Tile | "all" | null>(null);
  const standings = tiles.map((tile) => ({ tile, standing: standingOf(tile, nowS, isLost) }));
  const alarms = standings
    .filter(({ tile, standing }) => standing === "alarm" && tile.alarm_at !== null)
    .map(({ tile }) => tile)
    .sort((a, b) => (a.alarm_at ?? 0) - (b.alarm_at ?? 0));
  const unanswered = alarms.filter((tile) => !tile.answered);
  const silent = standings.filter(({ standing }) => standing === "silent").map(({ tile }) => tile);
  // -- sound
  const sound = useMemo(() => new Sound(), []);
  const [isLoud, setLoud] = useState(false);
  const sounds = isLoud && (unanswered.length > 0 || isLost);
  useEffect(() => {
    if (sounds) sound.start();
    else sound.stop();
  }, [sounds, sound]);
  useEffect(() => () => sound.close(), [sound]);
  // -- title
  const [first] = unanswered;
  const title = isLost
    ? "The wall is silent"
    : first
      ? `ALARM ${first.person}, ${first.words}`
      : silent.length
        ? `${silent.length} silent`
        : "The wall";
  useEffect(() => {
    document.title = `${title} – Kumpel`;
  }, [title]);
  // -- pages: one with an alarm comes to front
  const pages = useMemo(() => pagesOf(tiles), [tiles]);
  const [page, setPage] = useState(0);
  const [held, setHeld] = useState(false);
  const urgent = first?.recorder ?? silent[0]?.recorder;
  const wanted = urgent === undefined ? -1 : pages.findIndex((each) => each.some((t) => t.recorder === urgent));
  useEffect(() => {
    if (held || pages.length < 2) return;
    const timer = window.setInterval(() => setPage((now) => (now + 1) % pages.length), PAGE_S * 1000);
    return () => window.clearInterval(timer);
  }, [held, pages.length]);
  const at = wanted >= 0 && !held ? wanted : Math.min(page, pages.length - 1);
  const shown = new Set(pages[at]?.map((t) => t.recorder));
  const groups = useMemo(() => {
    const found = new Map<string, Tile[]>();
    for (const tile of pages[at] ?? []) found.set(tile.team, [...(found.get(tile.team) ?? []), tile]);
    return [...found];
  }, [pages, at]);
  const standing = new Map(standings.map((s) => [s.tile.recorder, s.standing]));
  const onMark = useCallback((tile: Tile) => setMarking(tile), []);
  const hereOffset = -new Date().getTimezoneOffset();
  const iso = new Date(nowS * 1000).toISOString();
  return (
    <main className="grid h-full grid-cols-[minmax(0,1fr)_268px] max-[899px]:grid-cols-1 max-[899px]:overflow-auto">
      <section aria-label="Who is out now" className="overflow-auto px-4 pb-3">
        <header className="flex flex-wrap items-center gap-x-5 gap-y-1 py-2">
          <h1 className="sr-only">The wall</h1>
          <span className="font-narrow font-semibold text-[32px] leading-none">{clock(iso, hereOffset, true)}</span>
          <span className="text-[13px] text-soft">{day(iso, hereOffset)}</span>
          {STATES.map(([state, words]) => {
            const count = standings.filter((s) => s.standing === state).length;
            return count ? (
              <span key={state} className="flex items-center gap-2 font-narrow font-semibold text-[21px]" role="status">
                <span className="[&_svg]:size-5">
                  <Verdict verdict={SHAPE[state]} words={words} bare />
                </span>
                {count} {words}
              </span>
            ) : null;
          })}
          <span className="ml-auto flex items-center gap-2">
            <Button
              size="small"
              aria-pressed={isLoud}
              onClick={async () => setLoud(isLoud ? false : await sound.allow())}
            >
              {isLoud ? "sound on" : "sound off: switch it on"}
            </Button>
            {word === undefined ? (
              <>
                <Button size="small" onClick={() => setMarking("all")}>
                  Mark …
                </Button>
                <ScreenLinks />
                <Link to="/recorders" className="min-h-6 text-act hover:underline">
                  Close the wall
                </Link>
              </>
            ) : (
              screen.data && (
                <span className="text-[13px] text-soft">this screen until {moment(screen.data.until)}</span>
              )
            )}
          </span>
        </header>
        {screen.isError && (
          <p role="alert" className="mb-2 rounded-lg border-2 border-ink px-4 py-2 text-[16px]">
            {screen.error.message}
          </p>
        )}
        {isLost && (
          <p
            role="alert"
            className="mb-2 rounded-lg bg-[#22333c] px-4 py-2 font-narrow font-semibold text-[21px] text-white"
          >
            The wall hears nothing from the server since {span(feed.quietS())}. Nothing on it is known to be so now.
          </p>
        )}
        {feed.come && tiles.length === 0 && (
          <p className="py-6 text-[16px]">
            Nobody wears a recorder that can be watched now. Who is handed one appears here by themselves.
          </p>
        )}
        {!feed.come && <p className="py-6 text-soft">Asking who is out …</p>}
        {groups.map(([team, members]) => (
          <section key={team} aria-label={team || "Others"} className="pb-2">
            <h2 className="pb-1">
              {team || "Others"}{" "}
              <span className="font-normal text-[13px] text-soft">
                {[...new Set(members.map((t) => t.place).filter(Boolean))].join(", ")}
              </span>
            </h2>
            <ul className="grid grid-cols-4 gap-2 max-[1179px]:grid-cols-3 max-[899px]:grid-cols-2">
              {members.map((tile) => (
                <TileView
                  key={tile.recorder}
                  tile={tile}
                  standing={standing.get(tile.recorder) ?? "silent"}
                  nowS={nowS}
                  onMark={word === undefined ? onMark : undefined}
                />
              ))}
            </ul>
          </section>
        ))}
        {pages.length > 1 && (
          <nav aria-label="Pages of the wall" className="flex items-center gap-2 text-[13px]">
            {pages.map((each, n) => (
              <Button
                key={each[0]?.recorder ?? n}
                size="small"
                aria-pressed={n === at}
                onClick={() => {
                  setPage(n);
                  setHeld(true);
                }}
              >
                {[...new Set(each.map((t) => t.team || "Others"))].join(", ")}
              </Button>
            ))}
            {held && (
              <Button size="small" look="quiet" onClick={() => setHeld(false)}>
                turn by itself
              </Button>
            )}
            <span className="text-soft">
              {shown.size} of {tiles.length} shown
            </span>
          </nav>
        )}
      </section>
      <aside
        aria-label="Whom to call"
        className="grid content-start gap-3 overflow-auto border-line bg-panel px-4 py-3 min-[900px]:border-l"
      >
        {first ? (
          <CallBox
            tile={first}
            more={unanswered.slice(1)}
            calls={whom}
            onAnswer={word === undefined ? answer.mutate : undefined}
          />
        ) : (
          alarms.map((tile) => (
            <p key={tile.recorder} className="rounded-lg border border-above px-3 py-2">
              {tile.person}: {tile.answered} has called. It stays red until it was below for a minute.
            </p>
          ))
        )}
        {silent.map((tile) => {
          const { call } = callOf(whom, tile.team);
          return (
            <section
              key={tile.recorder}
              aria-label={`${tile.person} is silent`}
              className="rounded-lg border-2 border-ink px-3 py-2"
            >
              <h2>{tile.person} is silent</h2>
              <p className="text-[13.5px]">
                Not known is not safe. {call ? `Have ${call} call them.` : "Have somebody call them."}
                {tile.trouble && <span className="block text-soft">{tile.trouble}</span>}
              </p>
            </section>
          );
        })}
        <Worse teams={[...new Set(tiles.map((t) => t.team))]} calls={whom} />
        <section aria-label="Marks" hidden={word !== undefined}>
          <h2 className="pb-1">Marks</h2>
          <ul className="text-[13px]">
            {marks.data?.marks.slice(0, 12).map((m) => (
              <li key={m.id} className="flex gap-2 border-hair border-t py-0.5">
                <span className="whitespace-nowrap text-soft">{moment(m.at)}</span>
                <span className="min-w-0 flex-1">
                  {m.session_id === null ? (
                    m.text
                  ) : (
                    <Link to={`/review/${m.session_id}`} className="text-act hover:underline">
                      {m.text}
                    </Link>
                  )}
                  {m.person && <span className="text-soft">, {m.person}</span>}
                </span>
              </li>
            ))}
            {marks.data?.marks.length === 0 && <li className="text-soft">None yet.</li>}
          </ul>
        </section>
        <p className="text-[12.5px] text-soft">
          This is no safety system: each recorder sounds by itself and keeps its own record. What is seen here is not
          stored; what is stored comes by take-in alone. Close this wall and nothing is lost.
        </p>
      </aside>
      {marking && (
        <MarkDialog
          who={marking === "all" ? "everybody who is out" : marking.person}
          onClose={() => setMarking(null)}
          onMark={(text) => {
            mark.mutate({ text, recorder: marking === "all" ? null : marking.recorder });
            setMarking(null);
          }}
        />
      )}
    </main>
  );
}

function Worse({ teams, calls }: { teams: string[]; calls: Parameters<typeof callOf>[0] }) {
  const rows = teams.map((team) => ({ team, worse: callOf(calls, team).worse })).filter((r) => r.worse);
  if (rows.length === 0) return null;
  return (
    <section aria-label="If it gets worse" className="text-[13px]">
      <h2 className="pb-1">If it gets worse</h2>
      {rows.map(({ team, worse }) => (
        <p key={team} className="flex justify-between gap-2 border-hair border-t py-0.5">
          <span>{team || "all"}</span>
          <b className="text-right font-medium">{worse}</b>
        </p>
      ))}
    </section>
  );
}

/** A mark is stored with the server's time when the dialog is kept: what happens now. */
function MarkDialog({ who, onClose, onMark }: { who: string; onClose: () => void; onMark: (text: string) => void }) {
  const [text, setText] = useState("");
  return (
    <Dialog title={`Mark for ${who}`} open onClose={onClose}>
      <form
        className="grid gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (text.trim()) onMark(text.trim());
        }}
      >
        <input
          className={inputLook}
          aria-label="What happens"
          placeholder="such as blast, door open"
          value={text}
          maxLength={120}
          onChange={(e) => setText(e.target.value)}
        />
        <div className="flex flex-wrap gap-1.5">
          {["blast", "door open", "ventilation off"].map((each) => (
            <Button key={each} size="small" onClick={() => onMark(each)}>
              {each}
            </Button>
          ))}
        </div>
        <p className="text-[13px] text-soft">
          Stored at once with the time of the server; it stands beside the recording when that is taken in.
        </p>
        <div>
          <Button look="primary" type="submit" disabled={!text.trim()}>
            Mark it now
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

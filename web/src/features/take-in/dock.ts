import type { Schemas } from "@/api/client";

export type Bay = Schemas["Bay"];
export type Found = Schemas["Found"];

/** A session on a recorder in reach. */
export interface Line {
  bay: Bay;
  found: Found;
  key: string;
}

/** What is said about a session before it is taken in. */
export interface Draft {
  tags: Record<string, string>;
  note: string;
  person: Schemas["Person"] | null;
  unclaimed: boolean;
  shiftClock: boolean;
}

export const noDraft = (found: Found): Draft => ({
  tags: found.tags,
  note: "",
  person: null,
  unclaimed: false,
  shiftClock: false,
});

export const keyOf = (bay: Bay, found: Found) => `${bay.recorder.id} ${found.recorder_session}`;

/** Every session on every recorder, by token and newest first: rows that never change places. */
export function linesOf(bays: Bay[]): Line[] {
  return [...bays]
    .sort((a, b) => a.recorder.token.localeCompare(b.recorder.token))
    .flatMap((bay) => bay.sessions.map((found) => ({ bay, found, key: keyOf(bay, found) })));
}

/** From so many rows on they stand by team, each closed until it is opened. */
const MANY = 200;

/** Rows of one team; of null when there are few enough to stand in one list. */
export interface Group {
  team: string | null;
  lines: Line[];
}

export function groupsOf(lines: Line[]): Group[] {
  if (lines.length === 0) return [];
  if (lines.length <= MANY) return [{ team: null, lines }];
  const teams = [...new Set(lines.map(({ found }) => found.team))];
  teams.sort((a, b) => Number(a === "") - Number(b === "") || a.localeCompare(b));
  return teams.map((team) => ({ team, lines: lines.filter(({ found }) => found.team === team) }));
}

/** Its turn never came: nothing of it is here. */
export const isStopped = (found: Found) =>
  found.standing === "arriving" && found.received === 0 && found.trouble.startsWith("stopped before");

export const isWaiting = (found: Found) => found.standing === "new" || isStopped(found);
export const isCut = (found: Found) => found.standing === "arriving" && found.trouble !== "" && !isStopped(found);
export const isAtWork = (found: Found) => found.standing === "arriving" && found.trouble === "";
/** Its tags may be typed at any time: before it is taken in, while it arrives, and when it is stored. */
export const takesTags = (found: Found) =>
  isWaiting(found) || found.standing === "arriving" || found.standing === "stored";
export const isStored = (found: Found) => found.standing === "stored" || found.standing === "aside";
/** Kept out of the way: too short to count, removed here earlier, not readable. */
export const isAside = (found: Found) =>
  found.standing === "deleted" ||
  found.standing === "unreadable" ||
  found.standing === "aside" ||
  (isWaiting(found) && found.too_short);

export const SHUT = ["transfer-off", "warming-up", "power-save", "updating"];

/** What counts as a weak link (a share), and how many seconds of transfer are said beforehand; both by kind of recorder. */
export interface LinkRules {
  weak: (kind: string) => number;
  longS: (kind: string) => number;
}

export type Stand = "needs a hand" | "at work" | "waiting" | "in" | "nothing new" | "empty, ready";

/** How a recorder stands in the dock; `mine` are the sessions taken in on this visit. */
export function standOf(bay: Bay, mine: ReadonlySet<string>, rules: LinkRules): Stand {
  if (needOf(bay, rules)) return "needs a hand";
  if (bay.sessions.some(isAtWork)) return "at work";
  if (bay.sessions.some((f) => isWaiting(f) && !f.too_short)) return "waiting";
  if (bay.sessions.some((f) => isStored(f) && mine.has(keyOf(bay, f)))) return "in";
  return bay.sessions.length > 0 ? "nothing new" : "empty, ready";
}

export interface Need {
  title: string;
  what: string;
  deed?: "stop" | "look";
}

/** What somebody has to do with a recorder by hand, before anything of it can be taken in. */
export function needOf(bay: Bay, rules: LinkRules): Need | null {
  const r = bay.recorder;
  if (r.trouble) return { title: "Not in order", what: r.trouble, deed: "look" };
  if (r.mode === "transfer-off") return { title: "Switch its transfer mode on", what: r.press };
  if (r.mode === "warming-up")
    return {
      title: `Transfer mode is on, warming up, about ${10 * Math.ceil((r.mode_left_s ?? 0) / 10)} s`,
      what: "It joins by itself.",
    };
  if (r.mode === "power-save") return { title: "Asleep to save power", what: r.press };
  if (r.mode === "updating") return { title: "Starts with its new firmware", what: "It comes back by itself." };
  if (r.mode === "recording" && r.keeps_one)
    return {
      title: "Still recording, keeps one only",
      what: "Stop it, then take it in; the next start overwrites it.",
      deed: "stop",
    };
  if (r.mode === "recording")
    return { title: "Still recording", what: "Stop it to take this session in.", deed: "stop" };
  if (r.keeps_one && bay.sessions.some((f) => isWaiting(f) || isCut(f)))
    return { title: "Keeps one only", what: "Take it in before the next start, which overwrites it." };
  const slow = bay.sessions.filter((f) => isWaiting(f) && (f.transfer_s ?? 0) > rules.longS(r.kind));
  if (r.quality !== null && r.quality < rules.weak(r.kind) && slow.length > 0)
    return {
      title: "Weak link",
      what: `About ${minutes(slow.reduce((sum, f) => sum + (f.transfer_s ?? 0), 0))} here; bring it closer. It goes on after a break.`,
    };
  return null;
}

export function minutes(seconds: number): string {
  return seconds < 90 ? `${Math.max(Math.round(seconds), 1)} s` : `${Math.round(seconds / 60)} min`;
}

const MINE = "taken in on this visit";

/** Sessions taken in by this browser since it was opened: they stay in sight, also after another screen was shown. */
export function readMine(): Set<string> {
  try {
    return new Set(JSON.parse(sessionStorage.getItem(MINE) ?? "[]") as string[]);
  } catch {
    return new Set();
  }
}

export function keepMine(keys: Set<string>) {
  sessionStorage.setItem(MINE, JSON.stringify([...keys].slice(-500)));
}

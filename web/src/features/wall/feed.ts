import { useEffect, useMemo, useSyncExternalStore } from "react";

export interface Step {
  value: number;
  alarm: boolean;
  below: boolean;
}

export interface Figure {
  channel: string;
  label: string;
  unit: string;
  decimals: number;
  steps: Step[];
}

/** A recorder that somebody wears, as the wall was told of it; times in Unix s by the server's clock. */
export interface Tile {
  recorder: number;
  token: string;
  kind: string;
  person: string;
  team: string;
  place: string;
  worn_since: number;
  figures: Figure[];
  /** When, and what each channel was then. */
  times: number[];
  courses: Record<string, (number | null)[]>;
  values: Record<string, number | null>;
  heard_at: number | null;
  silent_after_s: number;
  /** The channel that matters most now. */
  lead: string;
  state: "within" | "watch" | "alarm";
  words: string;
  since: number;
  alarm_at: number | null;
  answered: string;
  trouble: string;
}

interface Note {
  now: number;
  all?: Tile[];
  tiles?: Partial<Tile>[];
}

const COURSE_S = 600;
const STEP_S = 2;
const AGAIN_MS = 1_000;
/** The server says something every two seconds: after so long without a word it is away. */
export const LOST_AFTER_S = 6;

/** Everything that the wall knows: tiles in their places, and how far this browser's clock is from the server's. */
export class Feed {
  tiles: Tile[] = [];
  /** Whether anything was heard at all. */
  come = false;
  private heardMs = performance.now();
  private aheadS = 0;
  private readonly listeners = new Set<() => void>();

  subscribe = (listener: () => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  seen = () => this.tiles;

  /** Now by the server's clock, in Unix s. */
  now = () => performance.now() / 1000 + this.aheadS;

  /** For how long the server has said nothing, in s. */
  quietS = () => (performance.now() - this.heardMs) / 1000;

  take(note: Note) {
    this.heardMs = performance.now();
    this.aheadS = note.now - performance.now() / 1000;
    this.come = true;
    if (note.all) this.tiles = note.all;
    if (note.tiles?.length) {
      const by = new Map(note.tiles.map((tile) => [tile.recorder, tile]));
      this.tiles = this.tiles.map((tile) => merged(tile, by.get(tile.recorder)));
    }
    if (note.all || note.tiles?.length) for (const listener of this.listeners) listener();
  }
}

function merged(tile: Tile, change: Partial<Tile> | undefined): Tile {
  if (!change) return tile;
  const next = { ...tile, ...change };
  const heard = next.heard_at;
  if (heard === null || heard - (tile.times.at(-1) ?? Number.NEGATIVE_INFINITY) < STEP_S) return next;
  const gone = tile.times.filter((at) => at <= heard - COURSE_S).length;
  const grown = (of: (number | null)[], value: number | null) => [...of.slice(gone), value];
  return {
    ...next,
    times: [...tile.times.slice(gone), heard],
    courses: Object.fromEntries(
      Object.entries(tile.courses).map(([key, of]) => [key, grown(of, next.values[key] ?? null)]),
    ),
  };
}

/** Follows the wall as long as the page is shown; comes back by itself. */
export function useFeed(address = "/api/wall/stream"): Feed {
  const feed = useMemo(() => new Feed(), []);
  useEffect(() => {
    let source: EventSource | null = null;
    let again: number | undefined;
    const open = () => {
      source = new EventSource(address);
      source.onmessage = (event) => feed.take(JSON.parse(event.data) as Note);
      source.onerror = () => {
        source?.close();
        window.clearTimeout(again);
        again = window.setTimeout(open, AGAIN_MS);
      };
    };
    open();
    // A hanging server breaks nothing off: one that is silent is asked anew.
    const watch = window.setInterval(() => {
      if (feed.quietS() > LOST_AFTER_S && source?.readyState === EventSource.OPEN) {
        source.close();
        open();
      }
    }, 2 * AGAIN_MS);
    return () => {
      source?.close();
      window.clearTimeout(again);
      window.clearInterval(watch);
    };
  }, [feed, address]);
  return feed;
}

export const useTiles = (feed: Feed) => useSyncExternalStore(feed.subscribe, feed.seen);

export type Standing = "within" | "watch" | "alarm" | "silent";

/** How long ago a tile was heard, in s; null where it never was. */
export const agoS = (tile: Tile, nowS: number) => (tile.heard_at === null ? null : Math.max(nowS - tile.heard_at, 0));

/** Silence is a state of its own, and never falls back to the last value; an alarm stays until somebody answered and it was calm for a minute. */
export function standingOf(tile: Tile, nowS: number, isLost: boolean): Standing {
  const ago = agoS(tile, nowS);
  if (isLost || (ago === null ? nowS - tile.worn_since > tile.silent_after_s : ago > tile.silent_after_s))
    return "silent";
  if (tile.alarm_at !== null) return "alarm";
  return tile.state === "alarm" ? "alarm" : tile.state;
}

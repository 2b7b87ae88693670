import { type QueryClient, type QueryKey, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, ask, type Schemas, SIGNED_OUT } from "@/api/client";
import { isOwnChange } from "@/ui/own";

interface Note {
  what: string;
  session?: number;
  received?: number;
  done?: number;
  of?: number;
}

/** How many sessions of made-up data are here, while they are loaded behind a server that runs. */
export interface Loading {
  done: number;
  of: number;
}
export const LOADING = ["loading"];

/** Which queries a note from the server makes stale. */
const STALE: Record<string, string[]> = {
  recorders: ["recorders", "take-in", "line", "draft", "sensors", "bench", "firmware", "radio"],
  "hand-overs": ["hand-overs", "recorders", "take-in", "line", "people", "plan"],
  "take-in": ["take-in", "line"],
  stored: ["take-in", "firmware", "line", "sessions", "hand-overs", "recorders", "kinds", "years", "groups", "plan"],
  review: ["sessions", "line", "years", "groups", "plan", "due"],
  groups: ["groups"],
  plan: ["plan", "due", "years"],
  conclusion: [],
  sessions: ["sessions", "line", "take-in", "review", "years", "groups", "plan", "due"],
  reports: ["reports", "line", "sessions"],
  people: ["people", "years", "groups", "plan", "due"],
  setups: ["draft"],
  vehicles: ["vehicles", "limits"],
  courses: ["courses", "draft"],
  settings: ["settings", "kinds", "limit-sets", "limits", "recorders", "years"],
  "limit-sets": ["limit-sets", "limits", "years"],
  bench: ["bench"],
  firmware: ["firmware", "recorders"],
  radio: ["radio", "recorders"],
  marks: ["wall"],
  mails: ["mails"],
  batches: ["batches", "line"],
};

/** Notes of a second are one: a list is asked for again once a second at the most, however much happens. */
const GATHER_MS = 1_000;

/**
 * What notes made stale and is to be asked for again: gathered, never breaking off an asking that runs (a slow server would never
 * get to answer one), and once more after it, as its answer may be older than the note.
 */
class Stale {
  private readonly keys = new Map<string, QueryKey>();
  private timer: number | undefined;
  private lastMs = 0;

  constructor(private readonly queries: QueryClient) {}

  add(...keys: QueryKey[]) {
    for (const key of keys) this.keys.set(JSON.stringify(key), key);
    if (this.timer === undefined && this.keys.size > 0)
      this.timer = window.setTimeout(() => this.ask(), Math.max(this.lastMs + GATHER_MS - Date.now(), 0));
  }

  private ask() {
    this.timer = undefined;
    this.lastMs = Date.now();
    for (const [name, queryKey] of [...this.keys]) {
      if (this.queries.isFetching({ queryKey }) > 0) continue; // once more when it has come
      this.keys.delete(name);
      this.queries.invalidateQueries({ queryKey }, { cancelRefetch: false });
    }
    if (this.keys.size > 0) this.add();
  }

  stop() {
    window.clearTimeout(this.timer);
  }
}

function take(queries: QueryClient, stale: Stale, note: Note) {
  if (note.what === "everything") {
    const all = queries.getQueryCache().findAll({ predicate: (q) => q.queryKey[0] !== "view" });
    stale.add(...all.map((q) => q.queryKey));
    return;
  }
  if (note.what === "arriving") {
    queries.setQueryData<Schemas["Bay"][]>(["take-in"], (bays) =>
      bays?.map((bay) => ({
        ...bay,
        sessions: bay.sessions.map((s) =>
          s.session_id === note.session ? { ...s, received: note.received ?? s.received, trouble: "" } : s,
        ),
      })),
    );
    return;
  }
  if (note.what === "loading") {
    queries.setQueryData<Loading>(LOADING, { done: note.done ?? 0, of: note.of ?? 0 });
    return;
  }
  if (note.what === "review" && note.session && isOwnChange(note.session)) return;
  stale.add(...(STALE[note.what] ?? []).map((key) => [key]));
  if ((note.what === "review" || note.what === "conclusion") && note.session) stale.add(["review", note.session]);
}

/** The server says that it is there every two seconds; longer than this it hangs. */
const SILENCE_MS = 4_500;
const AGAIN_MS = 1_500;

/** Follows the server's stream of changes; false while the server is away or hangs. */
export function useLive(): boolean {
  const queries = useQueryClient();
  const [here, setHere] = useState(true);
  useEffect(() => {
    let source: EventSource | null = null;
    const stale = new Stale(queries);
    let silence: number | undefined;
    let again: number | undefined;
    const heard = () => {
      setHere(true);
      window.clearTimeout(silence);
      silence = window.setTimeout(lost, SILENCE_MS);
    };
    /** Is it the server or the sign-in? Both close the stream; the state tells. */
    const probe = () => {
      source?.close();
      window.clearTimeout(again);
      ask(api.GET("/api/state", { signal: AbortSignal.timeout(SILENCE_MS) })).then(
        (state) => {
          window.clearTimeout(silence);
          setHere(true);
          if (!state.me) window.dispatchEvent(new Event(SIGNED_OUT));
          again = window.setTimeout(state.me ? open : probe, AGAIN_MS);
        },
        () => lost(),
      );
    };
    const lost = () => {
      setHere(false);
      source?.close();
      window.clearTimeout(silence);
      window.clearTimeout(again);
      again = window.setTimeout(probe, AGAIN_MS);
    };
    const open = () => {
      source?.close();
      source = new EventSource("/api/events");
      source.onopen = heard;
      source.onerror = probe;
      source.addEventListener("ping", heard);
      source.onmessage = (event) => {
        heard();
        take(queries, stale, JSON.parse(event.data) as Note);
      };
      window.clearTimeout(silence);
      silence = window.setTimeout(lost, SILENCE_MS);
    };
    open();
    return () => {
      window.clearTimeout(silence);
      window.clearTimeout(again);
      stale.stop();
      source?.close();
    };
  }, [queries]);
  return here;
}

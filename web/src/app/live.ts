import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { Schemas } from "@/api/client";

interface Note {
  what: string;
  session?: number;
  received?: number;
}

/** Which queries a note from the server makes stale. */
const STALE: Record<string, string[]> = {
  recorders: ["recorders", "take-in", "line", "draft"],
  "hand-overs": ["hand-overs", "recorders", "take-in", "line", "people"],
  "take-in": ["take-in", "line"],
  stored: ["take-in", "line", "sessions", "hand-overs", "recorders"],
  review: ["sessions", "line"],
  sessions: ["sessions", "line", "take-in", "review"],
  reports: ["reports", "line", "sessions"],
  people: ["people"],
};

function take(queries: QueryClient, note: Note) {
  if (note.what === "everything") {
    queries.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "view" });
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
  for (const key of STALE[note.what] ?? []) queries.invalidateQueries({ queryKey: [key] });
  if (note.what === "review" && note.session) queries.invalidateQueries({ queryKey: ["review", note.session] });
}

/** Follows the server's stream of changes; false while the server is away. */
export function useLive(): boolean {
  const queries = useQueryClient();
  const [here, setHere] = useState(true);
  useEffect(() => {
    const source = new EventSource("/api/events");
    source.onopen = () => setHere(true);
    source.onerror = () => setHere(false);
    source.onmessage = (event) => take(queries, JSON.parse(event.data) as Note);
    return () => source.close();
  }, [queries]);
  return here;
}

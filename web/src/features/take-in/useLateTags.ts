import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api, ask } from "@/api/client";
import { useNotices } from "@/ui/notices";
import { type Draft, isStored, type Line } from "./dock";

/** Puts tags on a session that is already on record. */
export function usePutTags() {
  const queries = useQueryClient();
  const { fail } = useNotices();
  return useMutation({
    mutationFn: ({ id, tags }: { id: number; tags: Record<string, string> }) =>
      ask(api.PATCH("/api/sessions/{session_id}", { params: { path: { session_id: id } }, body: { tags } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["take-in"] }),
    onError: fail,
  });
}

/** Tags typed while their session was being taken in came too late for the wish: they are put once it is stored. */
export function useLateTags(lines: Line[], drafts: Record<string, Draft>, mine: Set<string>) {
  const { mutate } = usePutTags();
  const settled = useRef(new Set<string>());
  useEffect(() => {
    for (const { key, found } of lines) {
      const typed = drafts[key]?.tags;
      if (!typed || !mine.has(key) || !isStored(found) || settled.current.has(key)) continue;
      settled.current.add(key);
      const late = Object.entries(typed).filter(([tag, words]) => words !== (found.tags[tag] ?? ""));
      if (late.length > 0 && found.session_id !== null)
        mutate({ id: found.session_id, tags: Object.fromEntries(late) });
    }
  }, [lines, drafts, mine, mutate]);
}

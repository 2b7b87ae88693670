import { keepPreviousData, useInfiniteQuery, useMutation, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { api, ask, Problem, type Schemas } from "@/api/client";
import { Button } from "./basics";
import { Dialog } from "./dialog";
import { useNotices } from "./notices";

const PAGE = 100;

export type Which = "" | "people" | "places";

/** People, and places where recorders stand, by a few letters of name, number or team, page by page. */
export function usePeople(words: string, which: Which = "") {
  const found = useInfiniteQuery({
    queryKey: ["people", "pages", words, which],
    queryFn: ({ pageParam }) =>
      ask(api.GET("/api/people", { params: { query: { search: words, limit: PAGE, offset: pageParam, which } } })),
    initialPageParam: 0,
    getNextPageParam: (last, pages) => {
      const so = pages.reduce((sum, p) => sum + p.people.length, 0);
      return last.people.length > 0 && so < last.total ? so : undefined;
    },
    placeholderData: keepPreviousData,
  });
  return { ...found, rows: found.data?.pages.flatMap((p) => p.people) ?? [], total: found.data?.pages[0]?.total };
}

/**
 * Enter in a field that searches: acts on what is found for the words that stand there, and waits for it where it is still on its way.
 * Typing on takes the wish back.
 */
export function useEnterWaits(words: string, there: boolean, act: () => void) {
  const [wished, setWished] = useState<string | null>(null);
  const latest = useRef(act);
  latest.current = act;
  useEffect(() => {
    if (wished === null || (wished === words && !there)) return;
    setWished(null);
    if (wished === words) latest.current();
  }, [wished, words, there]);
  return useCallback(() => setWished(words), [words]);
}

/** At the end of a list: brings the next page when it comes into view, and says that there is more. */
export function More({
  list,
  what,
}: {
  list: { hasNextPage: boolean; isFetchingNextPage: boolean; fetchNextPage: () => unknown };
  what: string;
}) {
  const end = useRef<HTMLDivElement>(null);
  const next = useRef(list.fetchNextPage);
  next.current = list.fetchNextPage;
  const { hasNextPage, isFetchingNextPage } = list;
  useEffect(() => {
    const element = end.current;
    if (!element || !hasNextPage || isFetchingNextPage) return;
    const watch = new IntersectionObserver((seen) => seen.some((s) => s.isIntersecting) && next.current(), {
      rootMargin: "400px",
    });
    watch.observe(element);
    return () => watch.disconnect();
  }, [hasNextPage, isFetchingNextPage]);
  if (!hasNextPage) return null;
  return (
    <div ref={end} className="px-2 py-2">
      <Button look="quiet" onClick={() => list.fetchNextPage()} disabled={isFetchingNextPage}>
        {isFetchingNextPage ? `Reading more ${what} …` : `More ${what}`}
      </Button>
    </div>
  );
}

/** Adding somebody, or a place, by name; a second one of the same name is asked about. `dialog` belongs into the screen. */
export function useAddPerson(onMade: (person: Schemas["Person"]) => void) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const [same, setSame] = useState<{ name: string; place: boolean; words: string } | null>(null);
  const make = useMutation({
    mutationFn: ({ name, place, again }: { name: string; place: boolean; again: boolean }) =>
      ask(api.POST("/api/people", { body: { name: name.trim(), is_place: place, again } })),
    onSuccess: (person) => {
      setSame(null);
      queries.invalidateQueries({ queryKey: ["people"] });
      onMade(person);
    },
    onError: (error, { name, place }) => {
      if (error instanceof Problem && error.code === "same-name") setSame({ name, place, words: error.message });
      else fail(error);
    },
  });
  const dialog = same && (
    <Dialog title={same.place ? "The same place?" : "The same person?"} open onClose={() => setSame(null)}>
      <p>{same.words}</p>
      <div className="mt-4 flex gap-2">
        <Button look="primary" onClick={() => setSame(null)}>
          It is the same, add {same.place ? "nothing" : "nobody"}
        </Button>
        <Button
          disabled={make.isPending}
          onClick={() => make.mutate({ name: same.name, place: same.place, again: true })}
        >
          Another {same.place ? "place" : "person"}, add
        </Button>
      </div>
    </Dialog>
  );
  return {
    ask: (name: string, place = false) => make.mutate({ name, place, again: false }),
    isPending: make.isPending,
    dialog,
  };
}

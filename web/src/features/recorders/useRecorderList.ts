import { keepPreviousData, useInfiniteQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { api, ask } from "@/api/client";
import type { RegisterSort } from "@/ui/register";
import { TYPING_RESTS_MS, useRested } from "@/ui/rested";

const PAGE = 100;

/** Where recorders are, as the list may be narrowed to it. */
export const WHERE = [
  ["all", "all"],
  ["here", "in reach"],
  ["out", "with somebody"],
  ["away", "neither"],
] as const;

export type Where = (typeof WHERE)[number][0];
type SortKey = "token" | "name" | "seen" | "holder" | "battery";

/** What the register is narrowed to and sorted by, and its pages so far. Words may come with the address. */
export function useRecorderList() {
  const [address] = useSearchParams();
  const come = address.get("find") ?? "";
  const [words, setWords] = useState(come);
  const [came, setCame] = useState(come);
  if (came !== come) {
    setCame(come);
    setWords(come);
  }
  const [where, setWhere] = useState<Where>("all");
  const [kind, setKind] = useState("");
  const [sort, setSort] = useState<RegisterSort>({ key: "token", falling: false });
  const query = {
    search: useRested(words, TYPING_RESTS_MS),
    where,
    kind,
    sort: sort.key as SortKey,
    falling: sort.falling,
    limit: PAGE,
  };
  const found = useInfiniteQuery({
    queryKey: ["recorders", "register", query],
    queryFn: ({ pageParam }) =>
      ask(api.GET("/api/recorders/register", { params: { query: { ...query, offset: pageParam } } })),
    initialPageParam: 0,
    getNextPageParam: (last, pages) => {
      const so = pages.reduce((sum, page) => sum + page.recorders.length, 0);
      return last.recorders.length > 0 && so < last.total ? so : undefined;
    },
    placeholderData: keepPreviousData,
  });
  return {
    words,
    setWords,
    where,
    setWhere,
    kind,
    setKind,
    sort,
    setSort,
    found,
    rows: found.data?.pages.flatMap((page) => page.recorders) ?? [],
    total: found.data?.pages[0]?.total,
    isNarrowed: Boolean(words || kind || where !== "all"),
    all: () => {
      setWords("");
      setKind("");
      setWhere("all");
    },
  };
}

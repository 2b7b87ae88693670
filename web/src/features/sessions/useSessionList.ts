import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, ask } from "@/api/client";
import { useKindWords } from "@/kinds/kinds";
import { TYPING_RESTS_MS, useRested } from "@/ui/rested";
import type { Sort } from "./columns";

export const STANDINGS = [
  ["all", "all that count"],
  ["waiting", "waiting for a look"],
  ["signed", "signed off"],
  ["unclaimed", "unclaimed"],
  ["worthless", "nothing to judge in them"],
  ["aside", "kept aside"],
  ["deleted", "deleted"],
] as const;

function useKept<T>(key: string, first: T): [T, (value: T) => void] {
  const [value, setValue] = useState<T>(() => {
    try {
      return JSON.parse(localStorage.getItem(key) ?? "") as T;
    } catch {
      return first;
    }
  });
  return [
    value,
    (now: T) => {
      localStorage.setItem(key, JSON.stringify(now));
      setValue(now);
    },
  ];
}

export const PAGE = 100;

export interface Narrowed {
  words: string;
  standing: (typeof STANDINGS)[number][0];
  kind: string;
  figure: string;
  since: string;
  until: string;
}

const NOT_NARROWED: Narrowed = { words: "", standing: "all", kind: "", figure: "", since: "", until: "" };

/** What the list is narrowed to and sorted by, and the page of it that is shown. What narrows it begins at its first page again. */
export function useSessionList() {
  const kinds = useKindWords().data ?? [];
  const [narrowed, setNarrowed] = useState(NOT_NARROWED);
  const [sort, setSort] = useKept<{ by: Sort; falling: boolean }>("sessions.sort", { by: "started", falling: true });
  const [hidden, setHidden] = useKept<string[]>("sessions.hidden", ["kind"]);
  const [page, setPage] = useState(0);
  const { words, standing, kind, figure, since, until } = narrowed;
  const figures = useQuery({
    queryKey: ["figures", kind],
    queryFn: () => ask(api.GET("/api/kinds/{kind}/figures", { params: { path: { kind } } })),
    enabled: kind !== "",
  });
  const registers = kinds.find((k) => k.key === kind)?.registers;
  const shown = useMemo(() => {
    const followed = registers ?? [];
    return followed.some((f) => f.figure === figure) || !figure ? followed : [{ figure, label: "" }, ...followed];
  }, [registers, figure]);
  const rested = useRested(words, TYPING_RESTS_MS);
  const query = {
    search: rested,
    standing,
    kind,
    // Remembered from a list by a figure that is not chosen (any more): by start instead.
    sort: sort.by === "figure" && !figure ? ("started" as const) : sort.by,
    falling: sort.falling,
    limit: PAGE,
    offset: page * PAGE,
    ...(figure ? { figure } : {}),
    ...(shown.length > 0 ? { show: shown.map((f) => f.figure) } : {}),
    ...(since ? { since: new Date(`${since}T00:00`).toISOString() } : {}),
    ...(until ? { until: new Date(new Date(`${until}T00:00`).getTime() + 86_400_000).toISOString() } : {}),
  };
  const sessions = useQuery({
    queryKey: ["sessions", "list", query],
    queryFn: () => ask(api.GET("/api/sessions", { params: { query } })),
    placeholderData: keepPreviousData,
  });
  return {
    kinds,
    narrowed,
    isNarrowed: Boolean(words || standing !== "all" || kind || since || until),
    narrow: (change: Partial<Narrowed>) => {
      setPage(0);
      setNarrowed({ ...narrowed, ...change });
    },
    all: () => {
      setPage(0);
      setNarrowed({ ...NOT_NARROWED, figure });
    },
    sort,
    setSort,
    hidden,
    setHidden,
    page,
    setPage,
    figures: figures.data,
    shown,
    sessions,
  };
}

export type SessionList = ReturnType<typeof useSessionList>;

import { queryOptions, useQuery } from "@tanstack/react-query";
import { type ComponentType, lazy } from "react";
import { api, ask } from "@/api/client";
import { ahead, fetched } from "@/api/fetched";
import type { CompareProps, KindParts, PanelProps, ReviewSheetProps, SeveralProps } from "@/sheet/contract";

/** What kinds draw in their own way, found by their folders; everything else is plain. */
const FOUND = import.meta.glob<{ default: KindParts }>("./*/index.ts", { eager: true });
const PARTS = new Map(
  Object.entries(FOUND).map(([path, module]) => [path.split("/")[1] ?? "", module.default] as const),
);

const loadPlain = fetched(() => import("@/sheet/PlainSheet"));
type Sheet = ComponentType<ReviewSheetProps>;
const sheets = new Map<() => Promise<{ default: Sheet }>, Sheet>();
const sheetLoad = (key: string): (() => Promise<{ default: Sheet }>) => PARTS.get(key)?.sheet ?? loadPlain;

/** The review sheet of a kind: its own, else the plain one. */
export function sheetOf(key: string): Sheet {
  const load = sheetLoad(key);
  const made = sheets.get(load) ?? lazy(fetched(load));
  sheets.set(load, made);
  return made;
}

const panels = new Map<string, ComponentType<PanelProps>>();

/** A kind's own part of the side panel; null where it has none. */
export function panelOf(key: string): ComponentType<PanelProps> | null {
  const load = PARTS.get(key)?.panel;
  if (!load) return null;
  const made = panels.get(key) ?? lazy(fetched(load));
  panels.set(key, made);
  return made;
}

const compares = new Map<string, ComponentType<CompareProps>>();

const PlainCompare = lazy(fetched(() => import("@/sheet/PlainCompare")));

/** What lays two recordings of a kind side by side: its own, else the plain one. */
export function compareOf(key: string): ComponentType<CompareProps> {
  const load = PARTS.get(key)?.compare;
  if (!load) return PlainCompare;
  const made = compares.get(key) ?? lazy(fetched(load));
  compares.set(key, made);
  return made;
}

const severals = new Map<string, ComponentType<SeveralProps>>();

/** A kind's own picture of several recordings; null where it has none. */
export function severalOf(key: string): ComponentType<SeveralProps> | null {
  const load = PARTS.get(key)?.several;
  if (!load) return null;
  const made = severals.get(key) ?? lazy(fetched(load));
  severals.set(key, made);
  return made;
}

/** Fetches the sheet of a kind ahead of its first use. */
export function loadSheet(key: string) {
  const load = sheetLoad(key);
  if (sheets.has(load)) return;
  ahead(async () => {
    const { default: sheet } = await load();
    // What is there needs no waiting: one that is waited for is shown 300 ms later at the earliest, once something stood in its place.
    if (!sheets.has(load)) sheets.set(load, sheet);
  });
}

/** Whether the sheet of a kind wants the room of the list beside it. */
export const wantsRoom = (key: string) => PARTS.get(key)?.wantsRoom ?? false;

/** What a kind says of its settings in its own way. */
export const settingsOf = (key: string): NonNullable<KindParts["settings"]> => PARTS.get(key)?.settings ?? {};

/** The kinds of the server with their words; they do not change while it runs. */
export const kindWords = queryOptions({
  queryKey: ["kinds"],
  queryFn: () => ask(api.GET("/api/kinds")),
  staleTime: Number.POSITIVE_INFINITY,
});

export const useKindWords = () => useQuery(kindWords);

export const kindName = (key: string) => key.charAt(0).toUpperCase() + key.slice(1).replaceAll("_", " ");

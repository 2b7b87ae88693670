import { keepPreviousData, useQueries } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import type { Binned, Lane } from "@/charts/Lanes";
import type { Tried } from "@/charts/limitLine";
import { unitWords } from "@/ui/format";
import type { Assessed, Kind } from "./assessed";
import { useChosen } from "./useChosen";

const AT_ONCE = 8;
const POINTS = 1600;
const PAUSE_MS = 70;

/** The lines of a lane; one that comes again over another span is named once. */
function linesOf(levels: Schemas["Level"][] | undefined, lane: string, tried: Tried | null): Lane["lines"] {
  const named = new Set<string>();
  return (levels ?? [])
    .filter((level) => level.lane === lane)
    .map(({ value: now, name, start_s, end_s, figure, step }) => {
      const limit = figure ? { figure, parameters: "{}", step } : undefined;
      const value = (limit && tried?.valueOf(limit)) ?? now;
      const words = `${value} ${name}`;
      const text = named.has(words) ? "" : unitWords(name);
      named.add(words);
      const line = { value: Number(value.toPrecision(4)), text, startS: start_s, endS: end_s };
      return limit ? { ...line, limit } : line;
    });
}

/** What a channel is called: by the kind's word, else as the recorder says. */
export function nameOf(kind: Kind, channel: Pick<Schemas["Channel"], "key" | "name">): string {
  return kind.channels.find((c) => c.key === channel.key)?.name ?? channel.name;
}

/** Which channels are shown, in which order; remembered for the kind in this browser. */
export function usePicked(kind: Kind, channels: Schemas["Channel"][]) {
  const usual = useMemo(() => {
    const out = new Set(kind.channels.filter((c) => c.reduce === "angle" || !c.usual).map((c) => c.key));
    return channels.filter((c) => !out.has(c.key)).map((c) => c.key);
  }, [kind, channels]);
  return useChosen(`kumpel.lanes.${kind.key}`, usual, new Set(channels.map((c) => c.key)));
}

/** The lanes of a span: channels as bins, readings as points. */
export function useLanes(
  review: Assessed,
  kind: Kind,
  shown: string[],
  levels: Schemas["Level"][] | undefined,
  span: [number, number],
  tried: Tried | null = null,
): Lane[] {
  const { session } = review;
  const [asked, setAsked] = useState(span);
  useEffect(() => {
    const timer = setTimeout(() => setAsked(span), PAUSE_MS);
    return () => clearTimeout(timer);
  }, [span]);
  const margin = (asked[1] - asked[0]) * 0.5;
  const start = Math.max(asked[0] - margin, 0);
  const end = Math.min(asked[1] + margin, session.length_s);
  const batches = useMemo(() => {
    const found: string[][] = [];
    for (let i = 0; i < shown.length; i += AT_ONCE) found.push(shown.slice(i, i + AT_ONCE));
    return found;
  }, [shown]);
  const views = useQueries({
    queries: batches.map((channel) => ({
      queryKey: ["view", session.id, channel.join(","), Math.round(start * 10), Math.round(end * 10)],
      queryFn: () =>
        ask(
          api.GET("/api/sessions/{session_id}/view", {
            params: {
              path: { session_id: session.id },
              query: { channel, start_s: start, end_s: end, points: POINTS },
            },
          }),
        ),
      placeholderData: keepPreviousData,
      staleTime: Number.POSITIVE_INFINITY,
    })),
    combine: (results) => results.map((r) => r.data),
  });
  return useMemo(() => {
    const bins = new Map<string, Binned>();
    for (const found of views)
      for (const v of found ?? [])
        bins.set(v.key, { startS: v.start_s, binS: v.bin_s, low: v.low, high: v.high, mean: v.mean });
    const reduce = new Map(kind.channels.map((c) => [c.key, c.reduce]));
    const lanes: Lane[] = shown.flatMap((key) => {
      // What no sensor measured is known by the kind's word alone.
      const channel =
        review.channels.find((c) => c.key === key) ?? kind.channels.find((c) => c.key === key && !c.usual);
      if (!channel) return [];
      const how = reduce.get(key) ?? (channel.unit === "flag" ? "any" : "mean");
      return [
        {
          key,
          name: nameOf(kind, channel),
          unit: unitWords(channel.unit),
          look: how === "any" ? "flag" : how === "state" ? "steps" : "line",
          bins: bins.get(key),
          lines: linesOf(levels, key, tried),
          reaches: kind.reaches,
          waits: !bins.has(key),
        },
      ];
    });
    return [...readingLanes(review, kind, levels, tried), ...lanes];
  }, [views, review, kind, shown, levels, tried]);
}

/** Readings at uneven times (a cuff, compressions) as points on a scale of their own. */
function readingLanes(
  review: Assessed,
  kind: Kind,
  levels: Schemas["Level"][] | undefined,
  tried: Tried | null,
): Lane[] {
  const readings = review.events.filter((e) => e.code === kind.reading_code);
  if (readings.length === 0) return [];
  const dropped = new Set(review.decisions.filter((d) => d.what === "dropped").map((d) => d.key));
  const lowOf = new Map(kind.reading_bars.map(({ low, high }) => [high, low]));
  const lows = new Set(lowOf.values());
  const wordOf = (key: string | undefined) => kind.channels.find((c) => c.key === key);
  return kind.readings.flatMap((key) => {
    if (lows.has(key)) return [];
    const lowKey = lowOf.get(key);
    const points = readings.flatMap((e) => {
      const value = e.data[key];
      const low = lowKey && e.data[lowKey];
      const place = `${kind.reading_code}@${at(e.at_s)}`;
      if (typeof value !== "number") return [];
      return [{ atS: e.at_s, value, kept: !dropped.has(place), ...(typeof low === "number" ? { low } : {}) }];
    });
    if (points.length === 0) return [];
    const names = [wordOf(key)?.name ?? key, wordOf(lowKey)?.name.toLowerCase()];
    return [
      {
        key: `reading ${key}`,
        name: names.filter(Boolean).join(", "),
        unit: unitWords(wordOf(key)?.unit ?? ""),
        look: "points",
        points,
        lines: linesOf(levels, key, tried),
      },
    ];
  });
}

/** A moment as events are named by: milliseconds, at least one decimal. */
function at(seconds: number): string {
  return seconds.toFixed(3).replace(/0{1,2}$/, "");
}

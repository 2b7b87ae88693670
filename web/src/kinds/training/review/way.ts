import { queryOptions, useQueries, useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { api, ask, type Schemas } from "@/api/client";
import type { Scale } from "@/charts/scale";
import type { Assessed } from "@/sheet/assessed";
import { number } from "@/ui/format";

const POINTS = 1500;
const KEYS = ["way.m", "way.east", "way.north", "speed", "heart_rate", "altitude"];

/** The way of a session in equal steps of time: metres along it, east and north, and what was measured there. */
export interface Way {
  startS: number;
  stepS: number;
  along: (number | null)[];
  east: (number | null)[];
  north: (number | null)[];
  speed: (number | null)[];
  rate: (number | null)[];
  height: (number | null)[];
}

const none = (like: (number | null)[]) => like.map(() => null);

function wayOf(views: Schemas["View"][]): Way | null {
  const by = new Map(views.map((view) => [view.key, view]));
  const along = by.get("way.m");
  if (!along) return null;
  // Channels of another rate have bins of another length: each is read where the way has its own.
  const at = (key: string): (number | null)[] => {
    const view = by.get(key);
    if (!view) return none(along.mean);
    return along.mean.map((_, i) => {
      const atS = along.start_s + (i + 0.5) * along.bin_s;
      return view.mean[Math.floor((atS - view.start_s) / view.bin_s)] ?? null;
    });
  };
  const north = at("way.north");
  return {
    startS: along.start_s,
    stepS: along.bin_s,
    along: along.mean,
    east: at("way.east"),
    north,
    speed: speedsOf(along, at("speed")),
    rate: at("heart_rate"),
    height: at("altitude"),
  };
}

/** Speeds as recorded, else those of the way itself. */
function speedsOf(along: Schemas["View"], recorded: (number | null)[]): (number | null)[] {
  if (recorded.some((v) => v !== null)) return recorded;
  return along.mean.map((m, i) => {
    const next = along.mean[i + 1];
    return m === null || next == null ? null : (next - m) / along.bin_s;
  });
}

/** What is asked for the way of a session. */
function wayQuery(review: Assessed) {
  const { session, channels } = review;
  const there = new Set(channels.map((channel) => channel.key));
  // The way is worked out of whatever could be assessed; a course needs positions.
  const keys = KEYS.filter((key) => key === "way.m" || there.has(key.startsWith("way.") ? "lat" : key));
  return queryOptions({
    queryKey: ["view", session.id, "way", keys.join(",")],
    queryFn: () =>
      ask(
        api.GET("/api/sessions/{session_id}/view", {
          params: { path: { session_id: session.id }, query: { channel: keys, points: POINTS } },
        }),
      ),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** The ways of several sessions; null where none is known (yet). */
export function useWays(of: Assessed[]): (Way | null)[] {
  return useQueries({ queries: of.map(wayQuery), combine: allMade });
}

const allMade = (found: { data?: Schemas["View"][] | undefined }[]) => found.map((each) => made(each.data));

const ways = new WeakMap<Schemas["View"][], Way | null>();

/** Made once of each answer. */
function made(views: Schemas["View"][] | undefined): Way | null {
  if (!views) return null;
  const known = ways.get(views);
  if (known !== undefined) return known;
  const way = wayOf(views);
  ways.set(views, way);
  return way;
}

export function useWay(review: Assessed): Way | null {
  const found = useQuery(wayQuery(review));
  return useMemo(() => (found.data ? wayOf(found.data) : null), [found.data]);
}

const STEPS_M = [50, 100, 200, 500, 1000, 2000, 5000, 10_000, 20_000, 50_000];

/** The way as a scale: metres at a moment, and the moment at which so many were first behind. */
export function scaleOf(way: Way): Scale {
  const { startS, stepS, along } = way;
  let last = 0;
  const rising = along.map((m) => {
    last = Math.max(last, m ?? last);
    return last;
  });
  const of = (atS: number) => {
    const place = (atS - startS) / stepS - 0.5;
    const i = Math.min(Math.max(Math.floor(place), 0), rising.length - 1);
    const [a, b] = [rising[i] ?? 0, rising[i + 1] ?? rising[i] ?? 0];
    return a + (b - a) * Math.min(Math.max(place - i, 0), 1);
  };
  const at = (m: number) => {
    let [low, high] = [0, rising.length - 1];
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((rising[middle] ?? 0) < m) low = middle + 1;
      else high = middle;
    }
    const [a, b] = [rising[low - 1], rising[low] ?? 0];
    const part = a === undefined || b <= a ? 1 : Math.min(Math.max((m - a) / (b - a), 0), 1);
    return startS + (low - 0.5 + part) * stepS;
  };
  return {
    of,
    at,
    words: (m) => number(m / 1000, 2).replace(/\.?0+$/, "") || "0",
    unit: "km",
    steps: STEPS_M,
    shortest: 20,
  };
}

/** A pace as it is read: "5:15". */
export function paceWords(secondsPerKm: number): string {
  const whole = Math.round(secondsPerKm);
  return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, "0")}`;
}

import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { api, ask, type Schemas } from "@/api/client";
import { fixed } from "@/ui/format";

export type LapSheet = Schemas["LapSheet"];
export type LapRow = Schemas["LapRow"];
export type Course = Schemas["CoursePicture"];
export type Corner = Schemas["CourseCorner"];
export type Loss = Schemas["Loss"];
/** Metres from the start line, from and to. */
export type Span = readonly [number, number];

/**
 * Two laps of a session as it is reviewed (`version`); without numbers the last lap that counts against the best. With `beside`
 * the reference is a lap of that session, without numbers its best.
 */
export const lapsOf = (
  session: number,
  version: number,
  lap: number | null,
  reference: number | null,
  beside: number | null = null,
  lanes: string[] = [],
  also: string[] = [],
) =>
  queryOptions({
    queryKey: ["laps", session, version, lap, reference, beside, lanes.join(" "), also.join(" ")],
    queryFn: () =>
      ask(
        api.GET("/api/sessions/{session_id}/laps", {
          params: {
            path: { session_id: session },
            query: {
              ...(lap === null ? {} : { lap }),
              ...(reference === null ? {} : { reference }),
              ...(beside === null ? {} : { beside }),
              ...(lanes.length === 0 ? {} : { lane: lanes }),
              ...(also.length === 0 ? {} : { also }),
            },
          },
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
  });

/** Sessions on the same course, to be laid beside one. */
export const othersOf = (session: number, version: number) =>
  queryOptions({
    queryKey: ["laps", session, "others", version],
    queryFn: () =>
      ask(api.GET("/api/sessions/{session_id}/laps/others", { params: { path: { session_id: session } } })),
  });

/** So many further laps are laid over the two. */
export const MOST_ALSO = 6;

/** A further lap as it is asked for: "5" of this session, "77:5" of another one, "77:best" the best of that. */
export const alsoKey = (session: number | null, lap: number | "best") =>
  session === null ? String(lap) : `${session}:${lap}`;

/** Further laps are grey, told apart by their strokes. */
export const strokeOf = (index: number) => ["", "7 3", "2 2.5", "9 3 2 3", "4 4", "1 3"][index % 6] || undefined;

/** What the reference is called: a lap of this session, or somebody's. */
export const referenceName = (sheet: LapSheet, whose = "") =>
  `${whose ? `${whose}, ` : ""}lap ${sheet.reference ?? "–"}`;

/** A lap time as drivers read it: 1:02.13, or 42.59 below a minute. */
export function lapTime(seconds: number): string {
  const hundredths = Math.round(seconds * 100);
  const minutes = Math.floor(hundredths / 6000);
  const rest = fixed((hundredths % 6000) / 100, 2);
  return minutes > 0 ? `${minutes}:${rest.padStart(5, "0")}` : rest;
}

/** A difference with its sign: +0.37, −0.12, 0.00. */
export function signed(seconds: number, decimals = 2): string {
  const text = fixed(Math.abs(seconds), decimals);
  if (Number(text) === 0) return text;
  return `${seconds > 0 ? "+" : "−"}${text}`;
}

/** What is read at the cursor: a dash where nothing was measured, no minus before a zero. */
export function reading(value: number | null | undefined, decimals: number): string {
  if (value === null || value === undefined) return "–";
  const text = fixed(Math.abs(value), decimals);
  return value < 0 && Number(text) !== 0 ? `−${text}` : text;
}

/** The value at a place, of values that stand `stepM` apart. */
export function valueAt<T>(values: T[], stepM: number, atM: number): T | undefined {
  return values[Math.min(Math.max(Math.round(atM / stepM), 0), values.length - 1)];
}

/** Where in the course a place is, in words: "corner 4, entry". */
export function placeWords(sheet: LapSheet, atM: number): string {
  const { corners = [] } = sheet.course ?? {};
  let found: Corner | undefined;
  for (const corner of corners)
    if (!found || Math.abs(corner.apex_m - atM) < Math.abs(found.apex_m - atM)) found = corner;
  return found ? `corner ${found.number}, ${atM <= found.apex_m ? "entry" : "exit"}` : "";
}

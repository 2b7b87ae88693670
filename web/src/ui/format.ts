import { readDecimals, readUnit, readValue } from "@/api/readers";

/** Dates and numbers in the user's locale; recorded times in the recorder's own offset from UTC. */

const locale = navigator.language || "en";

const numbers = new Map<string, Intl.NumberFormat>();
const dates = new Map<string, Intl.DateTimeFormat>();

/** A formatter is dear to make and cheap to use: each is made once. */
function numbersOf(of: string, decimals: number, useGrouping: boolean): Intl.NumberFormat {
  const key = `${of} ${decimals} ${useGrouping}`;
  const made =
    numbers.get(key) ??
    new Intl.NumberFormat(of, {
      minimumFractionDigits: decimals,
      maximumFractionDigits: decimals,
      useGrouping,
      // What rounds to nothing has no sign.
      signDisplay: "negative",
    });
  numbers.set(key, made);
  return made;
}

function inWords(at: Date, options: Intl.DateTimeFormatOptions): string {
  const key = JSON.stringify(options);
  const made = dates.get(key) ?? new Intl.DateTimeFormat(locale, options);
  dates.set(key, made);
  return made.format(at);
}

/** Halves away from zero on the shortest decimal form, as the server compares and paper prints (core/rounding.py). */
function rounded(value: number, decimals: number, of: string, useGrouping: boolean): string {
  // A text is taken as it stands, a number by its binary fraction: 1.005 lies just below 1.005.
  return numbersOf(of, decimals, useGrouping).format(String(value) as `${number}`);
}

export function number(value: number | null | undefined, decimals = 1): string {
  if (value === null || value === undefined || Number.isNaN(value)) return "–";
  return rounded(value, decimals, locale, true);
}

/** The same with a point and without groups, whatever the locale: times of laps, and what is copied into other programs. */
export const fixed = (value: number, decimals: number) => rounded(value, decimals, "en", false);

/** How many decimals a number is stated with, as far as it shows. */
export const decimalsOf = (value: number | null | undefined) =>
  Math.min((String(value ?? "").split(".")[1] ?? "").length, 3);

const hereOffset = () => -new Date().getTimezoneOffset();

/** To the nearest second: recorded starts lie on fractions of one, and 06:59:59.7 is 07:00 to everybody. */
function shifted(iso: string, offsetMin: number): Date {
  return new Date(Math.round(new Date(iso).getTime() / 1000) * 1000 + offsetMin * 60_000);
}

function zone(offsetMin: number): string {
  if (offsetMin === hereOffset()) return "";
  const sign = offsetMin < 0 ? "−" : "+";
  const abs = Math.abs(offsetMin);
  return ` UTC${sign}${Math.floor(abs / 60)}${abs % 60 ? `:${String(abs % 60).padStart(2, "0")}` : ""}`;
}

function daysAgo(day: Date, offsetMin: number): number {
  const today = shifted(new Date().toISOString(), offsetMin);
  const floor = (d: Date) => Date.UTC(d.getUTCFullYear(), d.getUTCMonth(), d.getUTCDate());
  return Math.round((floor(today) - floor(day)) / 86_400_000);
}

export function clock(iso: string, offsetMin = hereOffset(), seconds = false): string {
  const options: Intl.DateTimeFormatOptions = { hour: "2-digit", minute: "2-digit", timeZone: "UTC", hourCycle: "h23" };
  if (seconds) options.second = "2-digit";
  return inWords(shifted(iso, offsetMin), options);
}

export function day(iso: string, offsetMin = hereOffset(), year = false): string {
  const at = shifted(iso, offsetMin);
  const options: Intl.DateTimeFormatOptions = { weekday: "short", day: "numeric", month: "short", timeZone: "UTC" };
  if (year || at.getUTCFullYear() !== new Date().getFullYear()) options.year = "numeric";
  return inWords(at, options);
}

/** "9 Aug", with the year when it is another: for dates that may lie far off. */
export function dayMonth(iso: string): string {
  const at = new Date(iso);
  const options: Intl.DateTimeFormatOptions = { day: "numeric", month: "short" };
  if (at.getFullYear() !== new Date().getFullYear()) options.year = "numeric";
  return inWords(at, options);
}

/** "Today 06:04", "Yesterday 22:10", "Fri 20 Nov 06:01". */
export function moment(iso: string, offsetMin = hereOffset()): string {
  const ago = daysAgo(shifted(iso, offsetMin), offsetMin);
  const name = ago === 0 ? "Today" : ago === 1 ? "Yesterday" : day(iso, offsetMin);
  return `${name} ${clock(iso, offsetMin)}${zone(offsetMin)}`;
}

/** As `moment`, in the middle of a sentence: "05:52", "yesterday 05:52". */
export function since(iso: string, offsetMin = hereOffset()): string {
  return moment(iso, offsetMin)
    .replace(/^Today /, "")
    .replace(/^Yesterday/, "yesterday");
}

const DAY_FROM_H = 72;

/** "7 h 41 min", "9 s", "12 days". */
export function length(seconds: number): string {
  const whole = Math.round(seconds);
  if (whole < 120) return `${whole} s`;
  const minutes = Math.round(whole / 60);
  if (minutes < 60) return `${minutes} min`;
  if (minutes >= 60 * DAY_FROM_H) {
    const hours = Math.round(minutes / 60);
    return hours % 24 ? `${Math.floor(hours / 24)} days ${hours % 24} h` : `${hours / 24} days`;
  }
  return minutes % 60 ? `${Math.floor(minutes / 60)} h ${minutes % 60} min` : `${minutes / 60} h`;
}

/** "7:41" from seconds. */
export function hoursMinutes(seconds: number): string {
  const minutes = Math.round(seconds / 60);
  return `${Math.floor(minutes / 60)}:${String(minutes % 60).padStart(2, "0")}`;
}

/** "4 min 10 s slow", "right". */
export function clockError(seconds: number | null): string {
  if (seconds === null) return "not known";
  const abs = Math.abs(Math.round(seconds));
  if (abs < 5) return "right";
  const words = abs < 60 ? `${abs} s` : abs < 3600 ? `${Math.floor(abs / 60)} min ${abs % 60} s` : length(abs);
  return `${words} ${seconds > 0 ? "fast" : "slow"}`;
}

/** Wall clock at a number of seconds after a session's start. */
const DRIFTS_FROM_DAYS = 1;

/** How far a clock runs off in a day since it was set: "3.1 s a day since Tue 3 Nov"; nothing where that says nothing. */
export function drift(errorS: number | null, setAt: string | null): string {
  if (errorS === null || !setAt) return "";
  const days = (Date.now() - new Date(setAt).getTime()) / 86_400_000;
  if (days < DRIFTS_FROM_DAYS || Math.abs(errorS) < 1) return "";
  return `${number(Math.abs(errorS) / days, 1)} s a day since ${day(setAt)}`;
}

export type WallClock = (atS: number, seconds?: boolean) => string;

/** Seconds after the start from which the recorder's clock has another offset from UTC, and which, in minutes. */
export function offsetChanges(
  events: { code: string; at_s: number; data: Record<string, unknown> }[],
): [number, number][] {
  return events
    .filter((e) => e.code === "utc-offset" && typeof e.data.utc_offset_min === "number")
    .map((e): [number, number] => [e.at_s, Number(e.data.utc_offset_min)])
    .sort((a, b) => a[0] - b[0]);
}

interface Recorded {
  started_at: string;
  utc_offset_min: number;
}

/** A moment of a session as people read one, by the offset that its clock has then. */
function atWall(session: Recorded, changes: [number, number][], atS: number): [iso: string, offsetMin: number] {
  const offset = changes.findLast(([from]) => atS >= from)?.[1] ?? session.utc_offset_min;
  return [new Date(new Date(session.started_at).getTime() + atS * 1000).toISOString(), offset];
}

/** The wall clock of a session, over changes of summer time. */
export function wallClock(session: Recorded, changes: [number, number][] = []): WallClock {
  return (atS, seconds = false) => clock(...atWall(session, changes, atS), seconds);
}

/** As `wallClock`, where a session may be longer than a day: from 24 h after the start on, and before it, with the day. */
export function wallMoment(session: Recorded, changes: [number, number][] = []): WallClock {
  const at = wallClock(session, changes);
  return (atS, seconds = false) =>
    atS >= 0 && atS < 86_400 ? at(atS, seconds) : `${day(...atWall(session, changes, atS))} ${at(atS, seconds)}`;
}

/** "Thu 19 Nov 2026, 13:00 to 14:30" of a whole session; the end with its day when that is another. */
export function wallSpan(session: Recorded & { length_s: number }, changes: [number, number][] = []): string {
  const at = wallClock(session, changes);
  const [from, to] = [0, session.length_s].map((atS) => day(...atWall(session, changes, atS), true));
  return `${from}, ${at(0)} to ${from === to ? "" : `${to?.replace(/,? \d{4}$/, "")}, `}${at(session.length_s)}`;
}

/** As `wallClock`, for an axis: in a session longer than a day, midnight is the day that begins. */
export function wallAxis(session: Recorded & { length_s: number }, changes: [number, number][] = []): WallClock {
  const at = wallClock(session, changes);
  return (atS, seconds = false) => {
    const words = at(atS, seconds);
    if (session.length_s < 86_400 || !/^00:00(:00)?$/.test(words)) return words;
    return day(...atWall(session, changes, atS)).replace(/ \d{4}$/, "");
  };
}

/** A unit as it is printed: "mg/m³" of "mg/m3", "µV" of "uV". */
export function unitWords(unit: string): string {
  return unit
    .replace(/m([23])\b/g, (_, power) => (power === "2" ? "m²" : "m³"))
    .replace(/^u(?=[A-Z])/, "µ")
    .replace(/^deg$/, "°");
}

/** A kept quantity in the reader's unit, with it: "412 m", or "1,352 ft". */
export function quantity(value: number, unit: string, decimals = 0): string {
  return `${number(readValue(value, unit, decimals), readDecimals(decimals, unit))} ${unitWords(readUnit(unit))}`;
}

/** A share in percent; nothing when it is not known. */
export function percent(share: number | null): string {
  return share === null ? "" : `${Math.round(share * 100)} %`;
}

/** Days as people type and read them, in the reader's locale. A day is kept as "2026-09-12". */

const locale = navigator.language || "en";
const DAY_MS = 86_400_000;
const SPANS: Record<string, "day" | "week" | "month" | "year"> = {
  d: "day",
  day: "day",
  days: "day",
  w: "week",
  week: "week",
  weeks: "week",
  m: "month",
  month: "month",
  months: "month",
  y: "year",
  year: "year",
  years: "year",
};
const NAMED: Record<string, number> = { today: 0, yesterday: -1, tomorrow: 1 };

/** The parts of a day in the order in which the reader writes them: "dmy", "mdy" or "ymd". */
const ORDER = new Intl.DateTimeFormat(locale)
  .formatToParts(Date.UTC(2026, 8, 12))
  .flatMap((part) => (["day", "month", "year"].includes(part.type) ? [part.type[0]] : []))
  .join("");

const iso = (at: Date) => at.toISOString().slice(0, 10);
const utc = (year: number, month: number, day: number) => new Date(Date.UTC(year, month - 1, day));

/** A day that there is: the 31st of September is none. */
function real(year: number, month: number, day: number): string | null {
  const at = utc(year, month, day);
  return at.getUTCMonth() === month - 1 && at.getUTCDate() === day && year >= 1900 && year < 2200 ? iso(at) : null;
}

/** Here and now, as a day. */
export function today(): string {
  const now = new Date();
  return iso(utc(now.getFullYear(), now.getMonth() + 1, now.getDate()));
}

/** A day so many later; months and years end on the last day there is. */
export function later(day: string, count: number, span: "day" | "week" | "month" | "year" = "day"): string {
  const at = new Date(`${day}T00:00Z`);
  if (span === "day" || span === "week")
    return iso(new Date(at.getTime() + count * (span === "week" ? 7 : 1) * DAY_MS));
  const months = at.getUTCFullYear() * 12 + at.getUTCMonth() + count * (span === "year" ? 12 : 1);
  const [year, month] = [Math.floor(months / 12), (months % 12) + 1];
  const last = new Date(Date.UTC(year, month, 0)).getUTCDate();
  return iso(utc(year, month, Math.min(at.getUTCDate(), last)));
}

/** "12 Sep 2026", as the reader writes it. */
export function dayWords(day: string): string {
  if (!day) return "";
  const options: Intl.DateTimeFormatOptions = { day: "numeric", month: "short", year: "numeric", timeZone: "UTC" };
  return new Date(`${day}T00:00Z`).toLocaleDateString(locale, options);
}

/** The names of months, short ones found by their first letters, in the reader's language and in English. */
function monthOf(word: string): number | null {
  for (const language of [locale, "en"])
    for (let month = 1; month <= 12; month++) {
      const name = utc(2026, month, 1).toLocaleDateString(language, { month: "long", timeZone: "UTC" }).toLowerCase();
      const short = utc(2026, month, 1).toLocaleDateString(language, { month: "short", timeZone: "UTC" }).toLowerCase();
      if ((word.length >= 3 && name.startsWith(word)) || short.replace(".", "") === word) return month;
    }
  return null;
}

function yearOf(text: string | undefined): number {
  if (!text) return new Date().getFullYear();
  const year = Number(text);
  // Of two figures the century is the one in which it lies at most twenty years ahead.
  return text.length > 2 ? year : year + (year > (new Date().getFullYear() % 100) + 20 ? 1900 : 2000);
}

/**
 * The day that was typed: "12 sep", "12.9.", "9/12/26" in the order of the reader, "2026-09-12", "today", "-6w" (six weeks ago), "+3d".
 * Empty for nothing, null for what is no day.
 */
export function dayOf(typed: string): string | null {
  const text = typed.trim().toLowerCase().replace(/\s+/g, " ");
  if (!text) return "";
  if (text in NAMED) return later(today(), NAMED[text] ?? 0);
  const away = /^([+-]) ?(\d{1,4}) ?([a-z]+)$/.exec(text.replace("−", "-"));
  if (away) {
    const span = SPANS[away[3] ?? ""];
    return span ? later(today(), Number(away[2]) * (away[1] === "-" ? -1 : 1), span) : null;
  }
  const named = /^(?:(\d{1,2})\.? )?(\p{L}+)\.?(?: (\d{1,2})(?!\d))?,?(?: (\d{2}|\d{4}))?$/u.exec(text);
  const day = named && (named[1] ?? named[3]);
  const month = named && monthOf(named[2] ?? "");
  if (named && day && month && !(named[1] && named[3] && named[4])) {
    const year = named[4] ?? (named[1] ? named[3] : undefined);
    return real(yearOf(year), month, Number(day));
  }
  const parts = text.split(/[^\d]+/).filter(Boolean);
  if (!/^[\d./\- ]+$/.test(text) || parts.length < 2 || parts.length > 3) return null;
  if ((parts[0] ?? "").length === 4) return real(Number(parts[0]), Number(parts[1]), Number(parts[2] ?? Number.NaN));
  const monthFirst = ORDER.indexOf("m") < ORDER.indexOf("d");
  const [d, m] = monthFirst ? [parts[1], parts[0]] : [parts[0], parts[1]];
  return real(yearOf(parts[2]), Number(m), Number(d));
}

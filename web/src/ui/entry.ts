/** What people type for a number or a length of time: understood where it is clear, else refused in words. */

import { isRead, keptValue, readUnit, readValue } from "@/api/readers";

export type Entry = { value: number | null } | { wrong: string };

interface NumberWish {
  /** The unit of the value; it may be typed behind the number. */
  unit: string;
  /** The unit is the kept one, and the field shows the reader's: a bare number is in that. Never set where a field shows what is kept. */
  read?: boolean;
  /** Where `unit` is already the reader's: the one that it is kept in, which may be typed as well. */
  kept?: string;
  /** Other units that may be typed, with what one of them is in the kept unit: { m: 100 } for cm. */
  also?: Record<string, number>;
  low?: number;
  high?: number;
  /** Whether nothing is a value. */
  empty?: boolean;
}

const NUMBER = /^([-+\u2212]?)\s*(\d{1,3}(?:[\s'’]\d{3})+|\d+)?(?:[.,](\d+))?\s*(.*)$/u;

/** A value as the field shows it, with its unit. */
const shownWith = (value: number, { unit, read }: NumberWish) =>
  (read ? `${readValue(value, unit, 1)} ${readUnit(unit)}` : `${value} ${unit}`).trim();

function plain(unit: string): string {
  return unit.toLowerCase().replace(/[\s().]/g, "");
}

/** "1,72 m" as 172 for cm; "20 dB" as 20. */
export function numberOf(text: string, wish: NumberWish): Entry {
  const typed = text.trim();
  if (!typed) return wish.empty ? { value: null } : { wrong: "A number is needed." };
  const found = NUMBER.exec(typed);
  const hint = example(wish);
  if (!found || (!found[2] && !found[3])) return { wrong: hint };
  const [, sign = "", whole = "0", part = "", unit = ""] = found;
  let value = Number(`${whole.replace(/\D/g, "")}${part ? `.${part}` : ""}`);
  if (sign === "-" || sign === "−") value = -value;
  const given = plain(unit);
  const own = given === plain(wish.unit) || given === plain(wish.unit.split("(")[0] ?? "");
  if (wish.read && isRead(wish.unit) && (!given || given === plain(readUnit(wish.unit))))
    value = keptValue(value, wish.unit);
  else if (wish.kept && given && !own && given === plain(wish.kept)) value = readValue(value, wish.kept, 6);
  else if (given && !own) {
    const factor = Object.entries(wish.also ?? {}).find(([name]) => plain(name) === given)?.[1];
    if (factor === undefined) return { wrong: `“${unit.slice(0, 12)}” is not understood here. ${hint}` };
    value *= factor;
  }
  value = Math.round(value * 1e6) / 1e6;
  if (wish.low !== undefined && value < wish.low) return { wrong: `At least ${shownWith(wish.low, wish)}.` };
  if (wish.high !== undefined && value > wish.high) return { wrong: `At most ${shownWith(wish.high, wish)}.` };
  return { value };
}

function example(wish: NumberWish): string {
  const { unit, low, high } = wish;
  if (!unit) return "Type a number.";
  if (low === undefined || high === undefined) return `Type a number of ${wish.read ? readUnit(unit) : unit}.`;
  return `Type a number, such as ${shownWith(Math.round((low + high) / 2), wish)}.`;
}

/** "7:30", "7 h 30", "7h30", "7,5", "7.5 h", "450 min" as seconds. */
export function lengthOf(text: string, empty = true): Entry {
  const typed = text.trim().toLowerCase();
  if (!typed) return empty ? { value: null } : { wrong: "A length of time is needed, such as 7:30." };
  const clock = /^(\d{1,3}):([0-5]\d)(?:\s*h)?$/.exec(typed) ?? /^(\d{1,3})\s*h\s*([0-5]?\d)\s*(?:m|min)?$/.exec(typed);
  if (clock) return { value: Number(clock[1]) * 3600 + Number(clock[2]) * 60 };
  const hours = /^(\d{1,3}(?:[.,]\d+)?)\s*(?:h|hours?)?$/.exec(typed);
  if (hours) return { value: Math.round(Number((hours[1] ?? "").replace(",", ".")) * 3600) };
  const minutes = /^(\d{1,4})\s*(?:m|min|minutes?)$/.exec(typed);
  if (minutes) return { value: Number(minutes[1]) * 60 };
  return { wrong: "Not understood. Type hours, such as 7:30 or 7,5." };
}

/** "9:12", "09:12:30", "9.12" as seconds of the day. */
export function clockOf(text: string): Entry {
  const found = /^(\d{1,2})[:.]([0-5]\d)(?:[:.]([0-5]\d))?$/.exec(text.trim());
  if (!found || Number(found[1]) > 23) return { wrong: "Not a time of day. Type it like 9:12 or 9:12:30." };
  return { value: Number(found[1]) * 3600 + Number(found[2]) * 60 + Number(found[3] ?? 0) };
}

/** A time of day as HH:MM; nothing is a value. */
export function wallTimeOf(text: string): { value: string | null } | { wrong: string } {
  if (!text.trim()) return { value: null };
  const clock = clockOf(text);
  if ("wrong" in clock) return { wrong: "Not a time of day. Type it like 22:30." };
  const minutes = Math.floor(Number(clock.value) / 60);
  return { value: `${String(Math.floor(minutes / 60)).padStart(2, "0")}:${String(minutes % 60).padStart(2, "0")}` };
}

/** The first entry within that is shown as refused, in words, with the cursor put into it; null when there is none. */
export function refusedEntry(within: HTMLElement | null): string | null {
  const field = within?.querySelector<HTMLInputElement>('input[aria-invalid="true"]');
  if (!field) return null;
  field.focus();
  return `${field.getAttribute("aria-label") ?? "An entry"}: “${field.value}” is not understood.`;
}

import { isRead } from "@/api/readers";
import { type Entry, lengthOf, numberOf, wallTimeOf } from "@/ui/entry";
import type { SetupField } from "./settings";

/** A number of a setting; lengths in minutes may be typed as hours ("7 h 30"). */
export function enteredNumber(text: string, field: SetupField, read = true): Entry {
  const { low, high, empty, type } = field.form;
  const wish = { unit: field.unit, read, low: low ?? undefined, high: high ?? undefined, empty };
  const hours = field.unit === "min" && /[:h]/.test(text) ? lengthOf(text) : null;
  if (hours && "wrong" in hours) return { wrong: "Type minutes, or hours such as 7:30." };
  const given = numberOf(hours ? String(Math.round(Number(hours.value) / 60)) : text, wish);
  // In the reader's unit a whole number of the kept one is seldom whole.
  const entry =
    read && isRead(field.unit) && type === "whole" && "value" in given && given.value !== null
      ? { value: Math.round(given.value) }
      : given;
  if (!("wrong" in entry) && type === "whole" && entry.value !== null && !Number.isInteger(entry.value))
    return { wrong: "A whole number is needed." };
  return entry;
}

export function enteredText(text: string, field: SetupField): { value: string | null } | { wrong: string } {
  const typed = text.trim();
  if (!typed) return field.form.empty ? { value: null } : { wrong: "Something is needed here." };
  if (field.form.type !== "time") return { value: typed };
  return wallTimeOf(typed);
}

export const isNumber = (field: SetupField) => field.form.type === "number" || field.form.type === "whole";

import type { Schemas } from "@/api/client";

export type Settings = Record<string, unknown>;
export type SetupField = Schemas["SetupField"];
export type SetupList = Schemas["SetupList"];

/** The settings with the value at a dotted path replaced. */
export function withValue(settings: Settings, path: string, value: unknown): Settings {
  const copy = structuredClone(settings);
  const parts = path.split(".");
  let at = copy as Record<string, unknown>;
  for (const part of parts.slice(0, -1)) at = at[part] as Record<string, unknown>;
  at[parts.at(-1) ?? ""] = value;
  return copy;
}

/** The same, with what the new value brings to the settings beside it: another gas comes with its own alarms. */
export function withBrought(settings: Settings, fields: SetupField[], path: string, value: unknown): Settings {
  const beside = path.split(".").slice(0, -1).join(".");
  const brings = fields.find((f) => f.path === path)?.form.brings[String(value)] ?? {};
  return Object.entries(brings).reduce(
    (now, [name, brought]) => withValue(now, beside ? `${beside}.${name}` : name, brought),
    withValue(settings, path, value),
  );
}

export function valueAt(settings: Settings, path: string): unknown {
  return path.split(".").reduce<unknown>((at, part) => (at as Settings | undefined)?.[part], settings);
}

/** An item of a list in a few words: its first values, those that are set. */
export function summaryOf(fields: SetupField[]): string {
  const shown = fields.filter((f) => f.value !== null && f.value !== undefined && typeof f.value !== "boolean");
  return shown
    .slice(0, 4)
    .map((f, i) => {
      const words = f.form.choices.find((c) => c.value === f.value)?.words ?? String(f.value);
      const label = f.label.split(", ").at(-1) ?? "";
      return i === 0 ? words : `${label} ${words}${f.unit ? ` ${f.unit}` : ""}`;
    })
    .join(", ");
}

/** The setting that a path lies in: "weightings" of "weightings.0.threshold_db". */
export const nameOf = (path: string): string => path.split(".")[0] ?? path;

/** From here on minutes are read as hours. */
const HOURS_FROM_MIN = 120;

/** Minutes as hours where they are many: "7 h 30"; null where they are not. */
export function asHours(value: unknown, unit: string): string | null {
  const minutes = Number(value);
  if (unit !== "min" || value === null || value === "" || !Number.isInteger(minutes) || minutes < HOURS_FROM_MIN)
    return null;
  return minutes % 60 ? `${Math.floor(minutes / 60)} h ${String(minutes % 60).padStart(2, "0")}` : `${minutes / 60} h`;
}

/** A value in words with its unit. */
export const amount = (words: string, unit: string): string =>
  asHours(words, unit) ?? (unit ? `${words} ${unit}` : words);

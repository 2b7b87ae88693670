import type { Schemas } from "@/api/client";
import type { Settings } from "@/setup/settings";
import type { StartsFrom } from "./useDraft";

/** What was typed on a slip and not written yet: it outlasts a reload and a look elsewhere, in this window, for a day. */
export interface TypedSlip {
  at: number;
  from: StartsFrom;
  edited?: Settings;
  /** What the slip began with: facts about the person are told by what differs from it. */
  begun?: { settings: Settings; basedOn: string };
  tags: Record<string, string>;
  setClock: boolean;
  courses: string[] | null;
  picture: Schemas["Drawn"] | null;
}

const KEPT_MS = 24 * 3600 * 1000;
const keyOf = (recorder: number, person: number) => `slip ${recorder} ${person}`;

export function typedBefore(recorder: number, person: number): TypedSlip | null {
  try {
    const found = JSON.parse(sessionStorage.getItem(keyOf(recorder, person)) ?? "null") as TypedSlip | null;
    return found && Date.now() - found.at < KEPT_MS ? found : null;
  } catch {
    return null;
  }
}

export function keepTyped(recorder: number, person: number, typed: Omit<TypedSlip, "at">): void {
  try {
    sessionStorage.setItem(keyOf(recorder, person), JSON.stringify({ ...typed, at: Date.now() }));
  } catch {
    // A store that is full or forbidden keeps nothing: the slip works as it did.
  }
}

export function forgetTyped(recorder: number, person: number): void {
  sessionStorage.removeItem(keyOf(recorder, person));
}

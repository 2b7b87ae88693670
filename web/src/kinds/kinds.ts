import { type ComponentType, lazy } from "react";
import type { ReviewSheetProps, SetupControl } from "./sheet";

export type { SetupControl };

export interface WebKind {
  name: string;
  word: string;
  sheet: ComponentType<ReviewSheetProps>;
  /** Fetches the sheet ahead of its first use. */
  load: () => Promise<unknown>;
  control: (path: string) => SetupControl;
  /** Paths that belong together under one summarising row. */
  group: (path: string) => string | null;
  summary: (group: string, settings: Record<string, unknown>) => string;
}

const loadNoiseSheet = () => import("./noise/NoiseSheet");
const NoiseSheet = lazy(loadNoiseSheet);

import { control, group, summary } from "./noise/setup";

export const KINDS: Record<string, WebKind> = {
  noise: { name: "Noise", word: "noise", sheet: NoiseSheet, load: loadNoiseSheet, control, group, summary },
};

/** How settings are edited; a kind without a sheet of its own gets plain fields, checked by the server. */
export const settingsOf = (key: string): Pick<WebKind, "control" | "group" | "summary"> =>
  KINDS[key] ?? { control: () => ({ type: "text", empty: true }), group: () => null, summary: () => "" };

export const kindName = (key: string) =>
  KINDS[key]?.name ?? key.charAt(0).toUpperCase() + key.slice(1).replaceAll("_", " ");

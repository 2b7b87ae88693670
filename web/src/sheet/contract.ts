import type { ComponentType } from "react";
import type { Schemas } from "@/api/client";
import type { Tried } from "@/charts/limitLine";
import type { SetupEditor } from "@/setup/editor";
import type { Assessed, Kind, Stretch } from "@/sheet/assessed";
import type { Supposed } from "@/sheet/useSupposed";

/** What a sheet may do to a session; each is one step that one undo takes back. Promises are waited for. */
export interface SheetActions {
  mark: (what: Stretch["what"], startS: number, endS: number, reason: string) => void;
  drop: (key: string, lengthS: number, reason: string) => void;
  keep: (key: string, lengthS: number) => void;
  takeBack: (ids: number[]) => void;
  /** Events that belong together decided as one step: each counts, or does not for a reason; decisions given back meanwhile. */
  decideEvents: (
    events: { key: string; lengthS: number; counts: boolean; reason: string }[],
    remove?: number[],
  ) => Promise<boolean>;
  /** Where an event begins or goes on, and of which type it is, as one step; null: as it was found. */
  regroup: (changes: { what: "edge" | "type"; key: string; value: string | null }[]) => Promise<boolean>;
  set: (key: string, value: number | string | null, reason?: string) => Promise<boolean>;
  /** Several settings that belong together, as one step. */
  setMany: (settings: readonly (readonly [string, number | string | null])[]) => Promise<boolean>;
  edit: (stretch: Stretch, startS: number, endS: number, reason: string) => unknown;
  /** Sleep as given takes the place of what was computed. */
  sleep: (stretches: [number, number][]) => unknown;
  /** The same, in place of whatever sleep was set before; answers whether it was taken. */
  resleep: (stretches: [number, number][]) => Promise<boolean>;
}

/** What a kind's review sheet gets and may ask for. */
export interface ReviewSheetProps {
  review: Assessed;
  kind: Kind;
  limitSet: Schemas["LimitSet"] | undefined;
  locked: boolean;
  actions: SheetActions;
  /** What would come out with something that is not decided yet. */
  supposed: Supposed;
  /** Limits that are tried just now, and may be dragged. */
  tried: Tried | null;
  onWhy: (figure: Schemas["Figure"]) => void;
  /** Holds the session against another limit set, just to see. */
  look: (limitSetId: number) => void;
  /** Where a sheet with several views puts the choice between them, beside undo. */
  bar: HTMLElement | null;
}

/** What a kind's own part of the side panel gets. */
export type PanelProps = Pick<ReviewSheetProps, "review" | "kind" | "locked">;

/** What two recordings of one person side by side get: both reviews, and what changed between them. */
export interface CompareProps {
  before: Assessed;
  after: Assessed;
  comparison: Schemas["Comparison"];
  kind: Kind;
}

/** Recordings of one kind that are looked at together, the oldest first, with what each is called there. */
export interface SeveralProps {
  all: Assessed[];
  names: string[];
}

/** What a kind may bring of its own; each part may be missing. */
export interface KindParts {
  sheet?: () => Promise<{ default: ComponentType<ReviewSheetProps> }>;
  /** What stands in the side panel above the conclusion. */
  panel?: () => Promise<{ default: ComponentType<PanelProps> }>;
  /** Two recordings of one person side by side. */
  compare?: () => Promise<{ default: ComponentType<CompareProps> }>;
  /** Several recordings of the kind in its own picture, above their figures. */
  several?: () => Promise<{ default: ComponentType<SeveralProps> }>;
  /** The sheet wants the room of the list of what waits: that begins folded to a rail. */
  wantsRoom?: boolean;
  settings?: {
    /** An item of a list ("weightings.0") in one line. */
    summary?: (item: string, settings: Record<string, unknown>) => string;
    /** Editors that stand in place of the rows of some settings. */
    editors?: SetupEditor[];
  };
}

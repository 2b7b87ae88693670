import type { WallClock } from "@/ui/format";
import type { LimitPlace } from "../limitLine";
import type { Dragged } from "./across";

/** Values in equal bins; null where nothing was measured. */
export interface Binned {
  startS: number;
  binS: number;
  low: (number | null)[];
  high: (number | null)[];
  mean: (number | null)[];
}

export interface Point {
  atS: number;
  value: number;
  /** The lower end, where a reading has two. */
  low?: number;
  kept: boolean;
}

/** A limit, or a value that figures count from, while it holds; without words where it comes again. */
export interface Line {
  value: number;
  text: string;
  startS: number;
  endS: number;
  limit?: LimitPlace;
}

export interface Lane {
  key: string;
  name: string;
  unit: string;
  look: "line" | "steps" | "flag" | "points";
  bins?: Binned;
  points?: Point[];
  lines: Line[];
  /** Its scale reaches to the nearest line, however far off the values are. */
  reaches?: boolean;
  /** A value in words, where the number alone is not how it is read (a pace). */
  words?: (value: number) => string;
  /** So high, in pixels, whatever else there is. */
  high?: number;
  /** Its values are still on their way. */
  waits?: boolean;
  /** A second line, such as a mean over some time: thin and dashed, broken where it is not known. */
  also?: Binned | undefined;
  /** Stretches that are shaded behind its values. */
  shades?: { startS: number; endS: number; colour: "action" | "above" | "act" }[];
  /** Stretches filled from a level down to the values: how deep something fell. */
  falls?: { startS: number; endS: number; from: number; kept: boolean }[];
  /** A stretch that a figure is of, with what it is called. */
  bracket?: { startS: number; endS: number; text: string } | undefined;
  /** Said across it: why there is nothing in it, or nothing to be relied on. */
  says?: string | undefined;
}

export interface MarkRow {
  label: string;
  items: { key: string; startS: number; endS: number; kept: boolean }[];
}

export interface LaneBand {
  startS: number;
  endS: number;
  look: "left out" | "task" | "asleep" | "suggestion";
  text: string;
}

/** An edge of a stretch, at a moment. */
export interface Edge {
  key: string;
  atS: number;
}

/** The line of a lane that is being dragged. */
export interface LineDrag extends Dragged {
  lane: string;
}

/** What gestures on a time axis are about. */
export interface TimeGestures {
  rows: MarkRow[];
  span: [number, number];
  whole: [number, number];
  onSpan: (span: [number, number]) => void;
  onSelect: (startS: number, endS: number) => void;
  onCursor: (atS: number | null) => void;
  onMark: (key: string) => void;
  /** A click that is on no mark: the moment, and how far below the top of the lanes, in pixels. */
  onPoint?: (atS: number, y: number) => void;
  /** The shortest span that a closer look leads to, in seconds. */
  shortestS?: number;
  /** Edges that can be dragged, and where one is dragged to; `done` when it is let go, null when it was taken away. */
  edges?: Edge[];
  onEdge?: (key: string, atS: number | null, done: boolean) => void;
  /** Pixels right of the axis. */
  right?: number;
}

export interface LanesProps extends TimeGestures {
  lanes: Lane[];
  bands: LaneBand[];
  clock: WallClock;
  /** As the clock, in words for the axis: midnight may be the day that begins. */
  axis: WallClock;
  /** Steps between the lines of an axis that is no clock. */
  steps?: number[] | undefined;
  /** The event that is being looked at. */
  chosen: string | null;
  /** The lane that is shown tall; a click on a name makes it so, or not any more. */
  tall?: string | null;
  onTall?: (key: string) => void;
  /** Where a line of a limit is dragged to; without it lines stay where they are. */
  onLine?: ((limit: LimitPlace, value: number) => void) | undefined;
  label: string;
}

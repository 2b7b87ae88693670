import type { Schemas } from "@/api/client";

/** What a kind's review sheet gets and may ask for. */
export interface ReviewSheetProps {
  review: Schemas["Review"];
  limitSet: Schemas["LimitSet"] | undefined;
  locked: boolean;
  onMark: (what: "left out" | "task", startS: number, endS: number, label: string) => void;
  onWhy: (figure: Schemas["Figure"]) => void;
}

export interface SetupControl {
  /** Choices as [value, words]; none: a number or a text. */
  choices?: [string | number | boolean | null, string][];
  type?: "number" | "text" | "time";
  empty?: boolean;
}

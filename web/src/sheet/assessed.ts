import type { Schemas } from "@/api/client";

export type Assessment = Schemas["Assessment"];
export type Decision = Schemas["Decision"];
export type Figure = Schemas["Figure"];
export type Kind = Schemas["Kind"];

/** A review whose figures are there. */
export type Assessed = Schemas["Review"] & { recorded: Assessment; reviewed: Assessment };

/** A decision about a span of time. */
export type Stretch = Decision & { what: "left out" | "task" | "asleep"; start_s: number; end_s: number };

export function isAssessed(review: Schemas["Review"]): review is Assessed {
  return review.recorded !== null && review.reviewed !== null;
}

export function stretchesOf(review: Schemas["Review"], what?: Stretch["what"]): Stretch[] {
  return review.decisions.filter(
    (d): d is Stretch => d.start_s !== null && d.end_s !== null && (what === undefined || d.what === what),
  );
}

/** The value set for this session; null when it is as usual. */
export function settingOf(review: Schemas["Review"], key: string): number | string | null {
  return review.decisions.find((d) => d.what === "setting" && d.key === key)?.value ?? null;
}

/** The reason with which a finding was accepted. */
export function acceptedOf(review: Schemas["Review"], code: string): Decision | undefined {
  return review.decisions.find((d) => d.what === "accepted" && d.key === code);
}

export function figureOf(assessment: Assessment, key: string): Figure | undefined {
  return assessment.figures.find((f) => f.key === key);
}

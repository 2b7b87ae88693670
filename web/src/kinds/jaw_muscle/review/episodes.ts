import type { Assessed, Assessment, Decision } from "@/sheet/assessed";
import { figureOf } from "@/sheet/assessed";

export type Side = "left" | "right";
export const SIDES: Side[] = ["left", "right"];
export const TYPES = ["phasic", "tonic", "mixed", "single"] as const;
export type Type = (typeof TYPES)[number];

/** An episode as one side has it: what a decision names. */
export interface Half {
  side: Side;
  key: string;
  atS: number;
  endS: number;
  type: Type;
  /** Highest RMS, % of the clench; null where it is not told (of one that was dropped). */
  peak: number | null;
  bursts: number | null;
  counts: boolean;
  decision: Decision | undefined;
}

/** What happened at one time on one side or on both. */
export interface Episode {
  atS: number;
  endS: number;
  type: Type;
  halves: Half[];
  peak: number | null;
  /** By how much the heart rate rose, %; null where it is not known. */
  rise: number | null;
  counts: boolean;
  /** Whether somebody has looked at it and decided. */
  decided: boolean;
}

const JOINED_S = 3;

const typeOf = (code: string): Type => TYPES.find((type) => code.endsWith(`.${type}`)) ?? "single";
const numberOf = (value: unknown) => (typeof value === "number" && Number.isFinite(value) ? value : null);

/** Of which side, and when: the type may have been another when it was decided. */
const placeOf = (key: string) => key.replace(/^(left|right)[^@]*/, "$1").replace(/\+.*$/, "");
export const edgeKey = (side: Side, atS: number) => `${side}@${atS.toFixed(3)}`;

/** What a reviewer said of the contraction that starts at a moment: that an episode begins with it or goes on; null: nothing. */
export const edgeAt = (review: Assessed, side: Side, atS: number) =>
  edgeIn(
    review.decisions.filter((d) => d.what === "edge"),
    side,
    atS,
  );

function edgeIn(edges: Decision[], side: Side, atS: number): string | null {
  const found = edges.find((d) => {
    const [of, at] = d.key.split("@");
    return of === side && Math.abs(Number(at) - atS) <= 0.5;
  });
  return typeof found?.value === "string" ? found.value : null;
}

/** The episode's halves that somebody gave their type. */
export const typedIn = (review: Assessed, episode: Episode) =>
  episode.halves.filter((half) =>
    review.decisions.some((d) => {
      const [of, at] = d.key.split("@");
      return d.what === "type" && of === half.side && Math.abs(Number(at) - half.atS) <= 0.5;
    }),
  );

/** Of both sides what is closer than 3 s is one, but where somebody split it; it is called by the side that is stronger. */
export function episodesOf(review: Assessed, shown: Assessment): Episode[] {
  const decided = new Map(
    review.decisions.filter((d) => d.what === "dropped" || d.what === "kept").map((d) => [placeOf(d.key), d]),
  );
  const edges = review.decisions.filter((d) => d.what === "edge");
  const begins = (half: Half) => edges.length > 0 && edgeIn(edges, half.side, half.atS) === "begins";
  const rises = new Map<Half, number | null>();
  const halves = (shown.events ?? []).flatMap((event): Half[] => {
    const side = SIDES.find((each) => event.code.startsWith(`${each}.`));
    if (!side) return [];
    const half: Half = {
      side,
      key: event.key,
      atS: event.at_s,
      endS: event.end_s,
      type: typeOf(event.code),
      peak: numberOf(event.numbers["peak %"]),
      bursts: numberOf(event.numbers.contractions),
      counts: event.kept,
      decision: decided.get(placeOf(event.key)),
    };
    rises.set(half, numberOf(event.numbers["heart rise %"]));
    return [half];
  });
  halves.sort((a, b) => a.atS - b.atS);
  const groups: Half[][] = [];
  let until = Number.NEGATIVE_INFINITY;
  for (const half of halves) {
    if (half.atS - until < JOINED_S && !begins(half)) groups.at(-1)?.push(half);
    else groups.push([half]);
    until = Math.max(until, half.endS);
  }
  return groups.map((group) => {
    const strongest = [...group].sort((a, b) => (b.peak ?? 0) - (a.peak ?? 0))[0] as Half;
    return {
      atS: Math.min(...group.map((half) => half.atS)),
      endS: Math.max(...group.map((half) => half.endS)),
      type: strongest.type,
      halves: group,
      peak: strongest.peak,
      rise: group.map((half) => rises.get(half) ?? null).find((rise) => rise !== null) ?? null,
      counts: group.some((half) => half.counts),
      decided: group.every((half) => half.decision !== undefined || !half.counts),
    };
  });
}

/** A clench at the start, as one side has it. */
export interface ClenchMark {
  side: Side;
  key: string;
  atS: number;
  endS: number;
  levelUv: number | null;
  used: boolean;
  decision: Decision | undefined;
}

export function clenchesOf(review: Assessed, shown: Assessment): ClenchMark[] {
  return (shown.events ?? []).flatMap((event) => {
    const side = SIDES.find((each) => event.code === `clench.${each}`);
    if (!side) return [];
    const decision = review.decisions.find(
      (d) => (d.what === "dropped" || d.what === "kept") && d.key.replace(/\+.*$/, "") === event.key,
    );
    return [
      {
        side,
        key: event.key,
        atS: event.at_s,
        endS: event.end_s,
        levelUv: numberOf(event.numbers["level uV"]),
        used: event.kept,
        decision,
      },
    ];
  });
}

/** What the file says besides: annotations of whatever wrote it. */
export const notesOf = (review: Assessed) =>
  review.events
    .filter((event) => event.code === "annotation" || event.code.startsWith("found."))
    .map((event) => ({
      atS: event.at_s,
      endS: event.at_s + (numberOf(event.data.length_s) ?? 0),
      text: event.text || event.code.replace(/^found\./, ""),
    }));

/** A spell in which an electrode was doubtful or off. */
export interface Spell {
  lane: string;
  fromS: number;
  toS: number;
  state: string;
}

export function spellsOf(shown: Assessment): Spell[] {
  const table = shown.tables.find((each) => each.key === "contact");
  return (table?.rows ?? []).map(([lane, from, to, state]) => ({
    lane: String(lane),
    fromS: Number(from),
    toS: Number(to),
    state: String(state),
  }));
}

/** The heart rate of every half minute; null where it is masked. */
export function heartOf(shown: Assessment): { atS: number; bpm: number | null }[] {
  const table = shown.tables.find((each) => each.key === "heart");
  return (table?.rows ?? []).map(([at, bpm]) => ({ atS: Number(at), bpm: numberOf(bpm) }));
}

/** The level below which a contraction of a side ends, as a share of the threshold. */
export function endsAt(shown: Assessment, side: Side): number {
  const figure = figureOf(shown, `${side}.threshold`);
  const ends = figure?.why.numbers.find((each) => each.symbol === "ends")?.value;
  return ends != null && figure?.value ? ends / figure.value : 0.8;
}

/** The threshold of a side in microvolt; null where no clench was found. */
export const thresholdOf = (shown: Assessment, side: Side) => figureOf(shown, `${side}.threshold`)?.value ?? null;
export const clenchOf = (shown: Assessment, side: Side) => figureOf(shown, `${side}.clench`)?.value ?? null;

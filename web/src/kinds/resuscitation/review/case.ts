import type { Assessed } from "@/sheet/assessed";

export const [MM_PER_S, MM_PER_MV] = [25, 10];
/** Targets of AHA 2020 and ERC 2021, as the figures have them. */
export const RATE = [100, 120] as const;
export const DEPTH = [50, 60] as const;
/** Two compressions further apart are not one train. */
const STOP_S = 2;

export interface Compression {
  atS: number;
  depth: number | null;
  counts: boolean;
}

/** A time without compressions between two trains; with a shock in it, its part before the first and after the last one. */
export interface Pause {
  startS: number;
  endS: number;
  beforeS: number | null;
  afterS: number | null;
}

export interface Said {
  atS: number;
  code: string;
  text: string;
}

export interface Case {
  compressions: Compression[];
  pauses: Pause[];
  said: Said[];
}

const SAYS = new Set(["shock", "prompt", "button", "switch-on", "switch-off"]);

/** What happened in a case, in order of time. */
export function caseOf(review: Assessed): Case {
  const dropped = new Set(review.decisions.filter((d) => d.what === "dropped").map((d) => d.key));
  const out = review.decisions.filter((d) => d.what === "left out");
  const compressions = review.events
    .filter((event) => event.code === "compression")
    .map(({ at_s, data }): Compression => {
      const depth = typeof data.depth_mm === "number" && data.depth_mm > 0 ? data.depth_mm : null;
      const isOut = out.some((d) => d.start_s !== null && d.end_s !== null && d.start_s <= at_s && at_s < d.end_s);
      return { atS: at_s, depth, counts: !isOut && !dropped.has(`compression@${named(at_s)}`) };
    })
    .sort((a, b) => a.atS - b.atS);
  const said = review.events
    .filter((event) => SAYS.has(event.code))
    .map((event): Said => ({ atS: event.at_s, code: event.code, text: wordsOf(event) }))
    .sort((a, b) => a.atS - b.atS);
  const shocks = said.filter((each) => each.code === "shock").map((each) => each.atS);
  const counting = compressions.filter((each) => each.counts);
  const pauses = counting.flatMap((each, i): Pause[] => {
    const next = counting[i + 1];
    if (!next || next.atS - each.atS <= STOP_S) return [];
    const inside = shocks.filter((at) => at >= each.atS && at <= next.atS);
    const [first, last] = [inside[0], inside.at(-1)];
    return [
      {
        startS: each.atS,
        endS: next.atS,
        beforeS: first === undefined ? null : first - each.atS,
        afterS: last === undefined ? null : next.atS - last,
      },
    ];
  });
  return { compressions, pauses, said };
}

function wordsOf(event: Assessed["events"][number]): string {
  const energy = event.data.energy_j;
  const words = event.text || event.code.replaceAll("-", " ");
  return typeof energy === "number" ? `${words}, ${energy} J` : words;
}

/** A moment as events are named by: milliseconds, at least one decimal. */
const named = (seconds: number) => seconds.toFixed(3).replace(/0{1,2}$/, "");

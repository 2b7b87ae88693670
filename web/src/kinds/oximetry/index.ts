import type { KindParts } from "@/sheet/contract";

/** Oximetry: falls shaded to their depth, what was left out by rule and may be given back, hour by hour, the curve below each percent. */
export default {
  sheet: () => import("./review/OximetrySheet"),
  several: () => import("./review/Nights"),
} satisfies KindParts;

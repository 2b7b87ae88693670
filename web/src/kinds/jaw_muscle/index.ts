import type { KindParts } from "@/sheet/contract";

/** Jaw muscle and heart: the night with both sides mirrored, then event by event with two keys. */
export default {
  sheet: () => import("./review/NightSheet"),
  several: () => import("./review/Nights"),
} satisfies KindParts;

import type { KindParts } from "@/sheet/contract";

/** Resuscitation: the strip to scale under the whole case, compressions and pauses on it, minutes against the targets. */
export default {
  sheet: () => import("./review/ResuscitationSheet"),
  several: () => import("./review/Drill"),
  wantsRoom: true,
} satisfies KindParts;

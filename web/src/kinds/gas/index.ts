import type { KindParts } from "@/sheet/contract";

/** Gas: every sensor on its own scale, with its alarms and its 15-min mean; the sensors against their limits. */
export default {
  sheet: () => import("./review/GasSheet"),
} satisfies KindParts;

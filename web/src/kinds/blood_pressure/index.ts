import type { KindParts } from "@/sheet/contract";

const DAY = ["awake_from", "asleep_from", "interval_awake_min", "interval_asleep_min", "quiet"];

/** Blood pressure: the wearer's own day as one bar; readings, activity and sleep on one clock. */
export default {
  sheet: () => import("./review/PressureSheet"),
  compare: () => import("./review/PressureCompare"),
  panel: () => import("./review/Panel"),
  settings: { editors: [{ claims: DAY, showsPlan: true, load: () => import("./DayBar") }] },
} satisfies KindParts;

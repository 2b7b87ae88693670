import type { KindParts } from "@/sheet/contract";

/** Training: pages of the watch with preview, zones from the wearer's data, splits by distance or time. */
export default {
  sheet: () => import("./review/TrainingSheet"),
  several: () => import("./review/Together"),
  settings: {
    editors: [
      { claims: ["pages"], load: () => import("./PagesEditor") },
      { claims: ["zones", "heart_rate_highest", "heart_rate_resting"], load: () => import("./ZonesEditor") },
      { claims: ["greeting"], load: () => import("./GreetingEditor") },
      { claims: ["split_m", "split_s"], load: () => import("./SplitEditor") },
    ],
  },
} satisfies KindParts;

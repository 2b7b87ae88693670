import type { KindParts } from "@/sheet/contract";

const RUNS = ["mode", "start_at", "run_length_min", "runs", "interval_s"];

/** Dust: the plan of its runs; many runs over one another, with the rule above them. */
export default {
  sheet: () => import("./review/DustSheet"),
  settings: { editors: [{ claims: RUNS, showsPlan: true, load: () => import("./RunPlan") }] },
} satisfies KindParts;

import type { KindParts } from "@/sheet/contract";

const RUNS = ["mode", "start_at", "run_length_min", "runs", "interval_s"];

/** Dust: the plan of its runs. */
export default {
  settings: { editors: [{ claims: RUNS, showsPlan: true, load: () => import("./RunPlan") }] },
} satisfies KindParts;

import type { KindParts } from "@/sheet/contract";
import { summary } from "./setup";

/** Noise: a sheet of its own, and a weighting set-up in one line. */
export default { sheet: () => import("./NoiseSheet"), settings: { summary } } satisfies KindParts;

import type { KindParts } from "../sheet";
import { control, group, summary } from "./setup";

/** Noise: a sheet of its own, and settings gathered by weighting set-up. */
export default { sheet: () => import("./NoiseSheet"), settings: { control, group, summary } } satisfies KindParts;

interface Weighting {
  name: string;
  frequency: string;
  time: string;
  exchange_rate_db: number;
  threshold_db: number | null;
  criterion_db: number;
  criterion_h: number;
}

const TIME: Record<string, string> = { F: "fast", S: "slow", I: "integrating" };

/** "A, slow, 5 dB, 90 dB for 8 h, from 80 dB" */
export function summary(groupPath: string, settings: Record<string, unknown>): string {
  const list = settings.weightings as Weighting[] | undefined;
  const w = list?.[Number(groupPath.split(".")[1])];
  if (!w) return "";
  const threshold = w.threshold_db === null ? "" : `, from ${w.threshold_db} dB`;
  return `${w.name}: ${w.frequency}, ${TIME[w.time] ?? w.time}, ${w.exchange_rate_db} dB rate, ${w.criterion_db} dB for ${w.criterion_h} h${threshold}`;
}

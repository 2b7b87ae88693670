import type { SetupControl } from "../sheet";

const CONTROLS: Record<string, SetupControl> = {
  name: { type: "text" },
  frequency: {
    choices: [
      ["A", "A"],
      ["C", "C"],
      ["Z", "Z"],
    ],
  },
  time: {
    choices: [
      ["F", "fast"],
      ["S", "slow"],
      ["I", "integrating"],
    ],
  },
  exchange_rate_db: {
    choices: [
      [3, "3"],
      [4, "4"],
      [5, "5"],
      [6, "6"],
    ],
  },
  threshold_db: { type: "number", empty: true },
  criterion_db: { type: "number" },
  criterion_h: { type: "number" },
  interval_s: {
    choices: [
      [1, "1"],
      [60, "60"],
    ],
  },
  start: {
    choices: [
      ["by hand", "by hand"],
      ["at a time", "at a time"],
      ["delayed", "delayed"],
    ],
  },
  start_at: { type: "time", empty: true },
  delay_min: { type: "number", empty: true },
  run_length_min: { type: "number" },
  keypad_lock: {
    choices: [
      [true, "locked"],
      [false, "free"],
    ],
  },
  display: {
    choices: [
      ["shown", "shown"],
      ["blank", "blank"],
    ],
  },
};

export function control(path: string): SetupControl {
  return CONTROLS[path.split(".").at(-1) ?? ""] ?? {};
}

export function group(path: string): string | null {
  const [first, index] = path.split(".");
  return first === "weightings" && index !== undefined ? `weightings.${index}` : null;
}

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

import { fixed } from "@/ui/format";

export const panel = "rounded-lg border border-line bg-panel";
export const picker =
  "min-h-8 rounded border border-line border-b-2 border-b-act bg-panel px-1.5 font-medium text-[13.5px] text-act";
export const seconds = (s: number) =>
  s >= 120 ? `${Math.floor(s / 60)} min ${Math.round(s % 60)} s` : `${fixed(s, 1)} s`;

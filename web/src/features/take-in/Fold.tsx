import { length, moment } from "@/ui/format";
import type { Line } from "./dock";

/** A closed line under the list: how many are out of the way, and why. */
export function Fold({
  count,
  open,
  title,
  about,
  onToggle,
}: {
  count: number;
  open: boolean;
  title: string;
  about: string;
  onToggle: () => void;
}) {
  if (count === 0) return null;
  return (
    <div className="flex items-baseline gap-2 border-hair border-t bg-salt px-3 py-1.5 text-[13px]">
      <button type="button" aria-expanded={open} className="font-semibold hover:text-act" onClick={onToggle}>
        <span aria-hidden="true">{open ? "▾ " : "▸ "}</span>
        {title}
      </button>
      <span className="truncate text-soft">{about}</span>
    </div>
  );
}

/** Why they are kept aside, grouped: "2 too short (9 s, 14 s), 1 removed here earlier". */
export function asideWords(lines: Line[]): string {
  const short = lines.filter(({ found }) => found.too_short && found.standing !== "deleted");
  const groups = [
    [
      short.length,
      `too short (${short
        .slice(0, 3)
        .map(({ found }) => length(found.length_s))
        .join(", ")})`,
    ],
    [lines.filter(({ found }) => found.standing === "deleted").length, "removed here earlier"],
    [lines.filter(({ found }) => found.standing === "unreadable").length, "cannot be read"],
    [
      lines.filter(({ found }) => found.standing === "aside" && !found.too_short).length,
      `set aside at take-in${lines[0] ? `, such as ${moment(lines[0].found.start, lines[0].bay.utc_offset_min)}` : ""}`,
    ],
  ] as const;
  return groups
    .filter(([count]) => count > 0)
    .map(([count, words]) => `${count} ${words}`)
    .join(", ");
}

import { isAside, isAtWork, isStored, isWaiting, type Line } from "./dock";

/** How the sessions of a team stand, in words: "12 wait, 3 at work, 40 in". */
function standing(lines: Line[]): string {
  const counts = [
    [lines.filter(({ found }) => isWaiting(found) && !isAside(found)).length, "to take in"],
    [lines.filter(({ found }) => isAtWork(found)).length, "at work or next"],
    [lines.filter(({ found }) => isStored(found) && !isAside(found)).length, "in"],
  ] as const;
  const said = counts.filter(([count]) => count > 0).map(([count, words]) => `${count} ${words}`);
  const rest = lines.length - counts.reduce((sum, [count]) => sum + count, 0);
  return [...said, ...(rest > 0 ? [`${rest} need a look`] : [])].join(", ");
}

/** The head of a team's rows: opens and closes them, ticks all of them that wait. */
export function TeamRow({
  team,
  columns,
  lines,
  open,
  ticked,
  onTick,
  onFold,
}: {
  team: string;
  columns: number;
  lines: Line[];
  open: boolean;
  ticked: ReadonlySet<string>;
  onTick: (on: boolean) => void;
  onFold: () => void;
}) {
  const name = team || "Nobody yet, or in no team";
  const waiting = lines.filter(({ found }) => isWaiting(found));
  return (
    <tr className="h-[34px] bg-salt pointer-coarse:h-[44px]">
      <td className="border-hair border-t px-1.5 pl-3">
        <input
          type="checkbox"
          aria-label={`Tick all that wait of ${name}`}
          className="size-4 align-middle accent-(--act) pointer-coarse:size-6"
          disabled={waiting.length === 0}
          checked={waiting.length > 0 && waiting.every((l) => ticked.has(l.key))}
          onChange={(e) => onTick(e.target.checked)}
        />
      </td>
      <td colSpan={columns - 1} className="border-hair border-t px-1.5">
        <button
          type="button"
          aria-expanded={open}
          className="flex min-h-7 w-full items-baseline gap-2.5 text-left hover:text-act"
          onClick={onFold}
        >
          <span aria-hidden="true">{open ? "▾" : "▸"}</span>
          <b className="font-semibold">{name}</b>
          <span className="text-[13px] text-soft">{standing(lines)}</span>
        </button>
      </td>
    </tr>
  );
}

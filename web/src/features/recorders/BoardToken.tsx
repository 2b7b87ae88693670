import { percent } from "@/ui/format";
import type { OnBoard } from "./useBoard";

const LOOK = {
  go: "border-brass text-brass-ink",
  press: "border-brass text-brass-ink",
  hand: "border-slate bg-slate text-white",
  out: "border-brass bg-panel text-brass-ink",
  away: "border-dashed border-soft bg-transparent text-soft",
};

/** Everything that is known of it in words: for the pointer that rests, and for who cannot see the circle. */
export function tokenWords(each: OnBoard): string {
  return [each.token, each.name, each.words, each.battery === null ? "" : `battery ${percent(each.battery)}`, each.mark]
    .filter(Boolean)
    .join(", ");
}

/** A recorder as a round token, filled by its battery; a half circle where something is late or soon due. */
export function BoardToken({
  of,
  chosen,
  open,
  onPress,
}: {
  of: OnBoard;
  chosen: boolean;
  open: boolean;
  onPress: (many: boolean, span: boolean) => void;
}) {
  const filled = of.cell === "go" || of.cell === "press";
  const share = Math.round(100 * (of.battery ?? 1));
  return (
    <button
      type="button"
      data-token={of.token}
      aria-label={tokenWords(of)}
      aria-pressed={chosen}
      title={tokenWords(of)}
      onClick={(event) => onPress(event.ctrlKey || event.metaKey, event.shiftKey)}
      onKeyDown={(event) => {
        if (event.key !== " ") return;
        event.preventDefault();
        onPress(true, event.shiftKey);
      }}
      className={`relative grid size-9 flex-none place-items-center rounded-full border font-bold font-narrow text-[11px] ${LOOK[of.cell]} ${open ? "outline-2 outline-act outline-offset-1" : ""}`}
      style={
        filled
          ? { background: `linear-gradient(to top, var(--brass-soft) ${share}%, var(--panel) ${share}%)` }
          : undefined
      }
    >
      {of.token}
      {of.mark && (
        <i
          className="shape -top-0.5 -right-0.5 absolute size-3 rounded-full border-2 border-action bg-panel"
          style={{ background: "linear-gradient(90deg, var(--action) 50%, var(--panel) 50%)" }}
        />
      )}
      {chosen && (
        <i
          aria-hidden="true"
          className="-bottom-1 -right-1 absolute size-4 rounded bg-act text-center text-[11px] text-on-act leading-4 not-italic"
        >
          ✓
        </i>
      )}
    </button>
  );
}

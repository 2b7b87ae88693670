import { useState } from "react";
import { wallTimeOf } from "@/ui/entry";
import type { WallClock } from "@/ui/format";
import { useTyped } from "@/ui/typed";
import { clockMin } from "../day";

const HALF_DAY_S = 43_200;

/** The moment nearest to another one at which the wall clock shows a time of day. */
export function momentAt(time: string, nearS: number, clock: WallClock): number {
  const shown = clockMin(clock(nearS));
  const by = (((clockMin(time) - shown) * 60 + HALF_DAY_S) % 86_400) - HALF_DAY_S;
  return nearS + (by < -HALF_DAY_S ? by + 86_400 : by) - (nearS % 60);
}

/** An edge of sleep as a time of day that can be typed. */
function Edge({
  label,
  atS,
  clock,
  locked,
  onMove,
}: {
  label: string;
  atS: number;
  clock: WallClock;
  locked: boolean;
  /** Answers whether it was taken. */
  onMove: (atS: number) => Promise<boolean>;
}) {
  const { text, typed, type, send, forget } = useTyped(clock(atS));
  const [wrong, setWrong] = useState(false);
  const commit = () => {
    if (typed === null) return;
    const entry = wallTimeOf(typed);
    if ("wrong" in entry || entry.value === null) return setWrong(true);
    setWrong(false);
    if (entry.value === clock(atS)) return forget();
    send(entry.value, onMove(momentAt(entry.value, atS, clock)), typed);
  };
  return (
    <input
      aria-label={label}
      aria-invalid={wrong}
      title={wrong ? "Not a time of day. Type it like 23:10." : undefined}
      inputMode="numeric"
      disabled={locked}
      className={`min-h-7 w-[58px] rounded-md border bg-panel text-center font-semibold ${wrong ? "border-above" : "border-line"}`}
      value={text}
      onChange={(e) => type(e.target.value)}
      onBlur={commit}
      onKeyDown={(e) => e.key === "Enter" && commit()}
    />
  );
}

/** From when to when the person slept: typed here, or dragged in the chart. */
export function SleepTimes({
  sleeps,
  source,
  clock,
  locked,
  moved,
  onMove,
  onBack,
}: {
  sleeps: [number, number][];
  /** Where they come from: "from activity", "by the reviewer". */
  source: string;
  clock: WallClock;
  locked: boolean;
  moved: boolean;
  onMove: (sleeps: [number, number][]) => Promise<boolean>;
  onBack: () => void;
}) {
  if (sleeps.length === 0)
    return <span className="text-action">sleep is not known: drag over the chart to mark it</span>;
  const put = (i: number, side: 0 | 1) => (atS: number) =>
    onMove(sleeps.map((s, at): [number, number] => (at === i ? (side === 0 ? [atS, s[1]] : [s[0], atS]) : s)));
  return (
    <>
      {sleeps.slice(0, 3).map(([a, b], i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a sleep has no name but its place
        <span key={i} className="inline-flex items-center gap-1.5 text-soft">
          {sleeps.length > 1 ? `night ${i + 1}` : "asleep"}
          <Edge
            label={sleeps.length > 1 ? `Asleep from, night ${i + 1}` : "Asleep from"}
            atS={a}
            clock={clock}
            locked={locked}
            onMove={put(i, 0)}
          />
          to
          <Edge
            label={sleeps.length > 1 ? `Awake from, night ${i + 1}` : "Awake from"}
            atS={b}
            clock={clock}
            locked={locked}
            onMove={put(i, 1)}
          />
        </span>
      ))}
      {moved && !locked ? (
        <button type="button" className="min-h-6 text-act hover:underline" onClick={onBack}>
          back to computed
        </button>
      ) : (
        <span className="text-soft">{source}</span>
      )}
    </>
  );
}

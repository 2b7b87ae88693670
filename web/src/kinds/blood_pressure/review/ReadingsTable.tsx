import { useEffect, useRef } from "react";
import { Button } from "@/ui/basics";
import { number, type WallClock } from "@/ui/format";
import { isValid, type Period, type Reading } from "./readings";
import type { TooLow } from "./useTooLow";
import type { WhatIfPairs } from "./useWhatIf";

export interface Decided {
  /** The decision that took it out, or in. */
  id: number;
  what: string;
  reason: string;
}

const high = (r: Reading, which: "systolic" | "diastolic") =>
  r.state === "" && (r.reaches === "both" || r.reaches === which);

/** A value that reaches its limit stands on a field with an edge at its side, one that is too low with one beneath: seen without colour, too. */
const marked = (high: boolean, low: boolean) =>
  high
    ? "bg-[color-mix(in_srgb,var(--above)_16%,var(--panel))] shadow-[inset_3px_0_0_var(--above)] font-semibold"
    : low
      ? "bg-[color-mix(in_srgb,var(--act)_14%,var(--panel))] shadow-[inset_0_-3px_0_var(--act)] font-semibold"
      : "";

/** Every reading; the chosen one is walked with the arrow keys, left out and put back with X. */
export function ReadingsTable({
  readings,
  all,
  chosen,
  justOut,
  reasons,
  decided,
  clock,
  locked,
  whatIf,
  tooLow,
  held,
  count,
  countNow,
  onChoose,
  onOut,
  onBackIn,
  onReason,
  onAll,
  onKeepLimits,
}: {
  readings: Reading[];
  /** How many there are without the filter. */
  all: number;
  chosen: string | null;
  /** The reading that was left out a moment ago: the keys 1 to 5 say why. */
  justOut: string | null;
  reasons: string[];
  decided: Map<string, Decided>;
  clock: WallClock;
  locked: boolean;
  whatIf: WhatIfPairs;
  tooLow: TooLow;
  /** All readings, whatever the filter shows. */
  held: Reading[];
  /** How many reach a limit, with what is typed, and now. */
  count: string;
  countNow: string;
  onChoose: (key: string) => void;
  onOut: (r: Reading) => void;
  onBackIn: (r: Reading) => void;
  onReason: (r: Reading, reason: string) => void;
  onAll: () => void;
  onKeepLimits: () => void;
}) {
  const box = useRef<HTMLElement>(null);
  useEffect(() => {
    if (!chosen) return;
    const row = box.current?.querySelector<HTMLElement>(`tr[data-key="${CSS.escape(chosen)}"]`);
    if (!row || !box.current) return;
    // Only the table moves: the chart above, which shows the reading, stays in view.
    const [top, bottom] = [row.offsetTop - 26, row.offsetTop + row.offsetHeight];
    if (top < box.current.scrollTop) box.current.scrollTop = top;
    else if (bottom > box.current.scrollTop + box.current.clientHeight)
      box.current.scrollTop = bottom - box.current.clientHeight;
  }, [chosen]);
  const { low, of } = tooLow.count(held);
  const asked = (period: Period) => (
    <label className="inline-flex items-center gap-1.5">
      <input
        aria-label={`Limit ${period}, systolic/diastolic`}
        aria-invalid={whatIf.wrong(period) !== null}
        title={whatIf.wrong(period) ?? undefined}
        className={`min-h-7 w-[74px] rounded-md border bg-panel text-center font-semibold ${whatIf.wrong(period) ? "border-above" : "border-line"}`}
        value={whatIf.texts[period]}
        onChange={(e) => whatIf.type(period, e.target.value)}
      />
      {period}
    </label>
  );
  return (
    <section className="mt-2.5 rounded-lg border border-line bg-panel px-3 py-2" aria-label="Readings">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1 pb-1 text-[13px]">
        <b className="font-narrow font-semibold">{all} readings</b>
        {readings.length < all && (
          <button type="button" className="min-h-6 text-act hover:underline" onClick={onAll}>
            {readings.length} shown; show all
          </button>
        )}
        {whatIf.possible && (
          <span className="flex flex-wrap items-center gap-x-2 gap-y-1 text-soft">
            What if the limit were {asked("awake")} {asked("asleep")}
          </span>
        )}
        <span role="status">
          {whatIf.changed ? (
            <>
              <b className="font-semibold">{count}</b> would reach it, <span className="text-soft">now {countNow}</span>
            </>
          ) : (
            <span className="text-soft">{countNow} reach it</span>
          )}
        </span>
        <span className="flex flex-wrap items-center gap-x-2 gap-y-1 text-soft">
          Too low below
          {(["awake", "asleep"] as const).map((period) => (
            <label key={period} className="inline-flex items-center gap-1.5">
              <input
                aria-label={`Too low ${period}, systolic/diastolic`}
                aria-invalid={tooLow.wrong(period) !== null}
                title={tooLow.wrong(period) ?? undefined}
                placeholder="90/60"
                className={`min-h-7 w-[66px] rounded-md border bg-panel text-center font-semibold placeholder:font-normal ${tooLow.wrong(period) ? "border-above" : "border-line"}`}
                value={tooLow.texts[period]}
                onChange={(e) => tooLow.type(period, e.target.value)}
              />
              {period}
            </label>
          ))}
          {tooLow.asked && (
            <span role="status" className="text-ink">
              <b className="font-semibold">
                {low} of {of}
              </b>{" "}
              below it
            </span>
          )}
        </span>
        {whatIf.changed && (
          <>
            {!locked && (
              <Button size="small" disabled={!whatIf.wish} onClick={onKeepLimits}>
                keep as a limit set
              </Button>
            )}
            <Button look="quiet" size="small" onClick={whatIf.back}>
              back
            </Button>
          </>
        )}
      </div>
      <section
        ref={box}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: it scrolls
        tabIndex={0}
        aria-label="List of readings"
        className="relative max-h-[232px] overflow-auto"
      >
        <table className="w-full text-[13px]">
          <thead className="sticky top-0 z-10 whitespace-nowrap bg-panel text-right font-narrow text-[12.5px] text-soft">
            <tr>
              <th className="px-2 py-1 text-left font-medium">Time</th>
              <th className="px-2 text-left font-medium">Period</th>
              <th className="px-1.5 font-medium">Systolic, mmHg</th>
              <th className="px-1.5 font-medium">Diastolic, mmHg</th>
              <th className="px-1.5 font-medium">MAP, mmHg</th>
              <th className="px-1.5 font-medium">Pulse, bpm</th>
              <th className="px-1.5 font-medium">Pulse pr., mmHg</th>
              <th className="px-2 text-left font-medium">Decision</th>
            </tr>
          </thead>
          <tbody>
            {readings.map((r) => {
              const valid = isValid(r);
              const own = decided.get(r.key);
              const out = valid && r.state !== "";
              const fresh = justOut === r.key;
              const cell = (value: number | null) => (
                <td className={`px-2 text-right ${out ? "text-soft line-through" : ""}`}>{number(value, 0)}</td>
              );
              return (
                <tr
                  key={r.key}
                  data-key={r.key}
                  aria-current={r.key === chosen ? true : undefined}
                  className={`border-hair border-t ${r.key === chosen ? "bg-act-soft" : ""}`}
                >
                  <td className="whitespace-nowrap p-0">
                    <button
                      type="button"
                      className="block min-h-6 w-full px-2 text-left font-medium"
                      onClick={() => onChoose(r.key)}
                    >
                      {clock(r.atS)}
                    </button>
                  </td>
                  <td className="px-2 text-soft">
                    {r.period}
                    {r.byHand && ", by hand"}
                  </td>
                  {(["systolic", "diastolic"] as const).map((which) => (
                    <td
                      key={which}
                      className={`px-2 text-right ${out ? "text-soft line-through" : ""} ${marked(valid && high(r, which), tooLow.isLow(r, which))}`}
                    >
                      {number(r[which], 0)}
                    </td>
                  ))}
                  {cell(r.map)}
                  {cell(r.pulse)}
                  {cell(r.pulsePressure)}
                  <td className="px-2 whitespace-nowrap">
                    {!valid ? (
                      <span className="text-soft">failed: {r.state}</span>
                    ) : fresh ? (
                      <span className="inline-flex gap-1">
                        {reasons.slice(0, 5).map((reason, i) => (
                          <button
                            key={reason}
                            type="button"
                            className="min-h-6 rounded bg-hair px-1.5 text-[12.5px] hover:bg-act-soft"
                            onClick={() => onReason(r, reason)}
                          >
                            {i + 1} {reason}
                          </button>
                        ))}
                      </span>
                    ) : out ? (
                      <span>
                        left out{own?.reason ? `: ${own.reason}` : ""}{" "}
                        {!locked && (
                          <button
                            type="button"
                            className="min-h-6 text-act hover:underline"
                            onClick={() => onBackIn(r)}
                          >
                            count it
                          </button>
                        )}
                      </span>
                    ) : r.key === chosen && !locked ? (
                      <button type="button" className="min-h-6 text-act hover:underline" onClick={() => onOut(r)}>
                        leave out
                      </button>
                    ) : own?.what === "kept" ? (
                      "counts, by hand"
                    ) : null}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </section>
    </section>
  );
}

import { useEffect, useRef } from "react";
import type { Schemas } from "@/api/client";
import { Button, inputLook } from "@/ui/basics";
import { number } from "@/ui/format";
import { useKeys } from "@/ui/keys";
import { type LiveValues, useNow } from "./live";
import { PointMap } from "./PointMap";
import { Trace } from "./Trace";
import { type Captured, MOST_POINTS, placeOf, type Refusal } from "./useCapture";

const COUNTS = ["no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine"];

/** Hold, capture, the next: one row a position. */
export function Positions({
  sensor,
  live,
  takesFocus,
  captured,
  trues,
  next,
  busy,
  refusals,
  onTrue,
  onCapture,
  onAgain,
  onMore,
  onFewer,
  onStartOver,
}: {
  sensor: Schemas["Sensor"];
  live: LiveValues;
  /** Somebody chose this sensor just now. */
  takesFocus: boolean;
  captured: (Captured | null)[];
  trues: string[];
  next: number | null;
  busy: boolean;
  refusals: Refusal[];
  onTrue: (position: number, value: string) => void;
  onCapture: () => void;
  onAgain: (position: number) => void;
  onMore: () => void;
  onFewer: (position: number) => void;
  onStartOver: () => void;
}) {
  useNow(live);
  const { within } = sensor;
  const held = live.held(sensor.key, within.steady);
  const steady = held.spread !== null && held.spread <= within.steady;
  const ready = next !== null && !busy && held.raw !== null;
  const button = useRef<HTMLButtonElement>(null);
  const hadNext = useRef(next);
  const wantsFocus = useRef(takesFocus);
  useEffect(() => {
    if (!ready || !wantsFocus.current) return;
    wantsFocus.current = false;
    button.current?.focus();
  }, [ready]);
  // One is captured: the next one waits for the same key.
  useEffect(() => {
    if (next !== hadNext.current && next !== null) button.current?.focus();
    hadNext.current = next;
  }, [next]);
  useKeys([
    {
      keys: "Space",
      does: "capture the position that is held",
      run: () => ready && onCapture(),
    },
  ]);
  return (
    <section aria-label={`${sensor.label}, positions`} className="rounded-lg border border-line bg-panel">
      <div className="flex items-baseline gap-2.5 px-3 pt-2.5 pb-1">
        <h2>
          {sensor.label}, {COUNTS[trues.length] ?? trues.length} positions
        </h2>
        <span className="text-[13px] text-soft">{sensor.serial && `sensor ${sensor.serial}`}</span>
        {trues.length < MOST_POINTS && (
          <Button look="quiet" size="small" className="ml-auto" onClick={onMore}>
            add a point
          </Button>
        )}
        <Button look="quiet" size="small" className={trues.length < MOST_POINTS ? "" : "ml-auto"} onClick={onStartOver}>
          start over
        </Button>
      </div>
      <table className="w-full">
        <thead className="text-left font-narrow text-[12.5px] text-soft">
          <tr>
            <th className="px-3 py-0.5 font-medium">Hold it</th>
            <th className="font-medium">true value</th>
            <th className="text-right font-medium">raw, {within.unit}</th>
            <th className="whitespace-nowrap px-3 text-right font-medium">spread in 1 s</th>
            <th className="font-medium">state</th>
            <th>
              <span className="sr-only">What to do</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {trues.map((_, i) => {
            const words = placeOf(sensor, i);
            const done = captured[i];
            const current = i === next;
            return (
              <tr
                key={words}
                className={`border-hair border-t ${current ? "bg-[color-mix(in_srgb,var(--act-soft)_45%,var(--panel))] shadow-[inset_3px_0_var(--act)]" : ""}`}
              >
                <td className="whitespace-nowrap px-3 py-1.5">{words}</td>
                <td className="w-[96px]">
                  <span className="inline-flex items-center gap-1">
                    <input
                      aria-label={`true value ${words}`}
                      className={`${inputLook} max-w-[72px] text-right`}
                      inputMode="decimal"
                      value={trues[i]}
                      maxLength={8}
                      onChange={(e) => onTrue(i, e.target.value)}
                    />
                    {sensor.unit}
                  </span>
                </td>
                <td
                  className={`pl-2 text-right tabular-nums ${current ? "font-narrow font-semibold text-[21px]" : ""}`}
                >
                  {done ? number(done.raw, 3) : current ? number(held.raw, 3) : ""}
                </td>
                <td
                  className={`px-3 text-right tabular-nums ${current ? "font-narrow font-semibold text-[18px]" : ""}`}
                >
                  {done
                    ? `${number(1000 * done.spread, 0)} m${within.unit}`
                    : current && held.spread !== null
                      ? `${number(1000 * held.spread, 0)} m${within.unit}`
                      : ""}
                </td>
                <td className="whitespace-nowrap text-[13px]">
                  {done ? (
                    <span className="text-soft">captured {done.at}</span>
                  ) : current && held.spread !== null ? (
                    steady ? (
                      <>
                        <b className="font-semibold">steady</b>
                        <span className="block text-soft">for {number(held.steadyS, 1)} s</span>
                      </>
                    ) : (
                      <b className="font-semibold text-action">moving</b>
                    )
                  ) : null}
                </td>
                <td className="px-3 text-right">
                  {current ? (
                    <Button ref={button} look="primary" disabled={!ready} onClick={onCapture}>
                      {busy ? "Holding …" : "Capture"}
                      <kbd className="rounded border border-on-act/50 px-1.5 font-narrow text-[12px]">Space</kbd>
                    </Button>
                  ) : done ? (
                    <Button look="quiet" size="small" aria-label={`again ${words}`} onClick={() => onAgain(i)}>
                      again
                    </Button>
                  ) : null}
                  {i >= sensor.positions.length && (
                    <Button look="quiet" size="small" aria-label={`take off ${words}`} onClick={() => onFewer(i)}>
                      take off
                    </Button>
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <div className="border-hair border-t">
        <Trace live={live} channel={sensor.key} within={within} />
      </div>
      <div className="grid grid-cols-[minmax(0,1fr)_190px] gap-3 border-hair border-t px-3 py-2.5 max-[860px]:grid-cols-1">
        <PointMap
          sensor={sensor}
          live={live}
          points={trues.map((_, i) => ({
            words: placeOf(sensor, i),
            raw: captured[i]?.raw ?? null,
            true: Number(trues[i]) || 0,
          }))}
        />
        <div className="text-[13px]">
          <h3 className="font-semibold">Refused, and why</h3>
          <div role="log" aria-label="Refused captures">
            {refusals.length === 0 && <p className="border-hair border-t py-1 text-soft">nothing yet</p>}
            {refusals.slice(0, 3).map((r) => (
              <p key={r.at + r.position} className="border-hair border-t py-1">
                <b className="font-semibold">
                  {r.at}, {r.position}
                </b>
                <span className="block">{r.why}</span>
              </p>
            ))}
          </div>
          <p className="border-hair border-t py-1 text-soft">
            A point needs: a spread of {number(1000 * within.steady, 0)} m{within.unit} or less, {number(within.low, 2)}{" "}
            to {number(within.high, 2)} {within.unit}, {number(within.apart, 2)} {within.unit} from the others, all in
            one order.
          </p>
        </div>
      </div>
    </section>
  );
}

import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, ask } from "@/api/client";
import { type Assessed, type Assessment, settingOf } from "@/sheet/assessed";
import type { SheetActions } from "@/sheet/contract";
import { Button, inputLook } from "@/ui/basics";
import { number } from "@/ui/format";
import { type ClenchMark, clenchesOf, clenchOf, SIDES, type Side } from "./episodes";

const [WIDE, LEFT, RIGHT, LANE, AXIS] = [740, 58, 8, 56, 16];
const PIECE_S = 60;
const WHY = "not clenched";

/** What makes 100 %: the clenches at the start, each used or not; by hand where there are none. */
export function Clenches({
  review,
  shown,
  locked,
  actions,
}: {
  review: Assessed;
  shown: Assessment;
  locked: boolean;
  actions: SheetActions;
}) {
  const clenches = useMemo(() => clenchesOf(review, shown), [review, shown]);
  const missing = SIDES.filter(
    (side) => review.channels.some((channel) => channel.key === `emg.${side}`) && clenchOf(shown, side) === null,
  );
  const typed = settingOf(review, "reference_uv");
  const [open, setOpen] = useState(false);
  const isOpen = open || (missing.length > 0 && typed === null);
  const turn = (clench: ClenchMark) => {
    if (locked) return;
    if (clench.decision && clench.decision.what === (clench.used ? "kept" : "dropped"))
      void actions.decideEvents([], [clench.decision.id]);
    else
      void actions.decideEvents([
        { key: clench.key, lengthS: clench.endS - clench.atS, counts: !clench.used, reason: clench.used ? WHY : "" },
      ]);
  };
  return (
    <section aria-label="What is 100 %" className="mt-2.5 rounded-lg border border-line bg-panel px-3 py-2 text-[13px]">
      <p className="flex flex-wrap items-baseline gap-x-4 gap-y-1">
        <b className="font-narrow font-semibold">100 %</b>
        {SIDES.map((side) => (
          <span key={side}>
            {side} {wordsOf(shown, side, clenches, typed !== null)}
          </span>
        ))}
        <button
          type="button"
          className="ml-auto text-act hover:underline"
          aria-expanded={isOpen}
          onClick={() => setOpen(!isOpen)}
        >
          {isOpen ? "close" : "which clenches count"}
        </button>
      </p>
      {isOpen && (
        <>
          {clenches.length > 0 && <FirstMinutes review={review} clenches={clenches} onPress={turn} />}
          <div className="flex flex-wrap gap-x-8 gap-y-2 pt-1">
            {SIDES.map((side) => (
              <ul key={side} aria-label={`Clenches ${side}`} className="min-w-44">
                {clenches
                  .filter((clench) => clench.side === side)
                  .map((clench) => (
                    <li key={clench.key}>
                      <label className="flex min-h-7 items-center gap-2">
                        <input type="checkbox" checked={clench.used} disabled={locked} onChange={() => turn(clench)} />
                        {side}, {number(clench.atS, 0)} s after the start, {number(clench.levelUv ?? 0, 0)} µV
                        {clench.decision && <span className="text-soft">by hand</span>}
                      </label>
                    </li>
                  ))}
                {clenches.every((clench) => clench.side !== side) && (
                  <li className="text-soft">
                    {typed === null ? `no clench found ${side}` : `${side}: entered by hand`}
                  </li>
                )}
              </ul>
            ))}
            <ByHand
              typed={typeof typed === "number" ? typed : null}
              wanted={missing.length > 0}
              locked={locked}
              actions={actions}
            />
          </div>
        </>
      )}
    </section>
  );
}

function wordsOf(shown: Assessment, side: Side, clenches: ClenchMark[], typed: boolean): string {
  const level = clenchOf(shown, side);
  if (level === null) return "not known: no clench found";
  const mine = clenches.filter((clench) => clench.side === side);
  const used = mine.filter((clench) => clench.used).length;
  return `${number(level, 0)} µV, ${typed ? "entered by hand" : `of ${used} of ${mine.length} clench${mine.length === 1 ? "" : "es"}`}`;
}

/** A level in place of the clenches, with why: the only way where none was found. */
function ByHand({
  typed,
  wanted,
  locked,
  actions,
}: {
  typed: number | null;
  wanted: boolean;
  locked: boolean;
  actions: SheetActions;
}) {
  const [level, setLevel] = useState("");
  const [why, setWhy] = useState("");
  const value = Number(level.replace(",", "."));
  const good = level.trim() !== "" && value >= 1 && value <= 100_000 && why.trim() !== "";
  if (typed !== null)
    return (
      <p className="self-start">
        Entered by hand: {number(typed, 0)} µV on both sides.{" "}
        <button
          type="button"
          className="text-act hover:underline"
          disabled={locked}
          onClick={() => void actions.set("reference_uv", null)}
        >
          by the clenches again
        </button>
      </p>
    );
  return (
    <form
      className="flex flex-wrap items-center gap-2 self-start"
      onSubmit={(event) => {
        event.preventDefault();
        if (good) void actions.set("reference_uv", value, why.trim());
      }}
    >
      <span>{wanted ? "Nothing can be told before 100 % is known. By hand:" : "In place of them by hand:"}</span>
      <span className="w-20">
        <input
          aria-label="100 % in microvolt"
          inputMode="decimal"
          className={inputLook}
          value={level}
          disabled={locked}
          onChange={(event) => setLevel(event.target.value)}
        />
      </span>
      µV, because
      <span className="w-52">
        <input
          aria-label="Why 100 % is entered by hand"
          className={inputLook}
          placeholder="clenches of the night before"
          value={why}
          disabled={locked}
          onChange={(event) => setWhy(event.target.value)}
        />
      </span>
      <Button type="submit" size="small" disabled={locked || !good}>
        Use it
      </Button>
    </form>
  );
}

/** The RMS of the first minutes with every clench: filled when it is used. */
function FirstMinutes({
  review,
  clenches,
  onPress,
}: {
  review: Assessed;
  clenches: ClenchMark[];
  onPress: (clench: ClenchMark) => void;
}) {
  const minutes = settingOf(review, "clench_min");
  const untilS = Math.min(60 * (typeof minutes === "number" ? minutes : 3), review.session.length_s);
  const look = useQuery({
    queryKey: ["close-up", review.session.id, "clenches", untilS, String(settingOf(review, "notch_hz"))],
    queryFn: async () => {
      const found = [];
      for (let from = 0; from < untilS; from += PIECE_S)
        found.push(
          await ask(
            api.GET("/api/sessions/{session_id}/close-up", {
              params: {
                path: { session_id: review.session.id },
                query: { start_s: from, end_s: Math.min(from + PIECE_S, untilS) },
              },
            }),
          ),
        );
      return found;
    },
    staleTime: Number.POSITIVE_INFINITY,
  });
  const x = (atS: number) => LEFT + (atS / untilS) * (WIDE - LEFT - RIGHT);
  const step = untilS > 600 ? 300 : 30;
  return (
    <svg
      viewBox={`0 0 ${WIDE} ${2 * LANE + AXIS}`}
      className="mt-1 w-full font-narrow text-[11.5px]"
      role="img"
      aria-label={`The first ${number(untilS / 60, 1)} min: strength of both muscles, and their clenches`}
    >
      {SIDES.map((side, i) => {
        const curves = (look.data ?? []).flatMap((part) => part.curves.filter((curve) => curve.key === `rms.${side}`));
        const top = Math.max(20, ...curves.flatMap((curve) => curve.values.map((value) => value ?? 0)));
        const y = (value: number) => (i + 1) * LANE - 2 - (value / top) * (LANE - 14);
        return (
          <g key={side}>
            <text x={2} y={i * LANE + 18} className="fill-ink font-semibold">
              {side}
            </text>
            <text x={2} y={i * LANE + 31} className="fill-soft">
              RMS, µV
            </text>
            <text x={LEFT - 5} y={i * LANE + 18} textAnchor="end" className="fill-soft">
              {curves.length > 0 ? number(top, 0) : ""}
            </text>
            {clenches
              .filter((clench) => clench.side === side)
              .map((clench) => (
                // biome-ignore lint/a11y/noStaticElementInteractions: the same is a tick beneath the picture
                <rect
                  key={clench.key}
                  x={x(clench.atS) - 2}
                  y={i * LANE + 6}
                  width={x(clench.endS) - x(clench.atS) + 4}
                  height={LANE - 8}
                  rx={3}
                  className={`cursor-pointer ${clench.used ? "fill-act-soft stroke-act" : "fill-panel"}`}
                  strokeDasharray={clench.used ? undefined : "3 3"}
                  stroke={clench.used ? undefined : "var(--none)"}
                  onClick={() => onPress(clench)}
                >
                  <title>{`${number(clench.levelUv ?? 0, 0)} µV, ${clench.used ? "counts" : "does not count"}`}</title>
                </rect>
              ))}
            <path
              className="pointer-events-none stroke-action"
              fill="none"
              strokeWidth={1.2}
              d={curves
                .map((curve) =>
                  curve.values
                    .map((value, k) => [curve.start_s + k * curve.step_s, value] as const)
                    .filter((_, k) => k % 10 === 0)
                    .reduce(
                      (path, [at, value]) =>
                        value === null ? path : `${path}${path ? "L" : "M"}${x(at).toFixed(1)} ${y(value).toFixed(1)}`,
                      "",
                    ),
                )
                .join("")}
            />
          </g>
        );
      })}
      {Array.from({ length: Math.floor(untilS / step) + 1 }, (_, i) => i * step).map((at) => (
        <text
          key={at}
          x={x(at)}
          y={2 * LANE + AXIS - 3}
          textAnchor={at === 0 ? "start" : "middle"}
          className="fill-soft"
        >
          {at} s
        </text>
      ))}
    </svg>
  );
}

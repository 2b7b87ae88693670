import { useMemo } from "react";
import type { Assessment, Stretch } from "@/sheet/assessed";
import { number, type WallClock } from "@/ui/format";
import { clenchOf, type Episode, heartOf, SIDES, type Side, type Spell, spellsOf, thresholdOf } from "./episodes";
import { LOOKS, Mark } from "./Mark";

const [WIDE, LEFT, RIGHT] = [740, 58, 8];
const [ROOM, CONTACT, HEART, AXIS] = [78, 42, 70, 18];
const TOP = 4;
const MIDDLE = TOP + ROOM;
const UNDER = MIDDLE + CONTACT;
const PULSE = UNDER + ROOM + 8;
const TALL = PULSE + HEART + AXIS;
const LANES: [string, string][] = [
  ["left", "L"],
  ["right", "R"],
  ["heart", "heart"],
];

/** The whole night: the left side rises, the right side hangs, the contact of the electrodes between them, the heart under it. */
export function NightPicture({
  shown,
  episodes,
  asleep,
  leftOut,
  notes,
  lengthS,
  clock,
  onEpisode,
}: {
  shown: Assessment;
  episodes: Episode[];
  asleep: { startS: number; endS: number }[];
  leftOut: Stretch[];
  /** What the file says besides: annotations of whatever wrote it. */
  notes: { atS: number; endS: number; text: string }[];
  lengthS: number;
  clock: WallClock;
  onEpisode: (index: number) => void;
}) {
  const x = (atS: number) => LEFT + (atS / lengthS) * (WIDE - LEFT - RIGHT);
  const spells = useMemo(() => spellsOf(shown), [shown]);
  const heart = useMemo(() => heartOf(shown), [shown]);
  const top = Math.max(40, ...episodes.map((episode) => episode.peak ?? 0)) * 1.05;
  const y = (side: Side, percent: number) =>
    side === "left" ? MIDDLE - (percent / top) * (ROOM - 8) : UNDER + (percent / top) * (ROOM - 8);
  const rates = heart.flatMap(({ bpm }) => (bpm === null ? [] : [bpm]));
  const [slow, fast] = [Math.min(...rates, 50) - 3, Math.max(...rates, 70) + 3];
  const beat = (bpm: number) => PULSE + HEART - ((bpm - slow) / (fast - slow)) * HEART;
  const line = useMemo(() => pathOf(heart), [heart]);
  const step = lengthS > 2 * 3600 ? 3600 : 600;
  const hours = Array.from({ length: Math.floor(lengthS / step) + 2 }, (_, i) => {
    const first = (step - (secondsOf(clock(0, true)) % step)) % step;
    return first + i * step;
  }).filter((at) => at < lengthS);
  const steps = [20, 40, 60, 80].filter((percent) => percent < top);
  const share = (side: Side) => {
    const [threshold, clench] = [thresholdOf(shown, side), clenchOf(shown, side)];
    return threshold !== null && clench ? (100 * threshold) / clench : null;
  };
  return (
    <svg
      viewBox={`0 0 ${WIDE} ${TALL}`}
      className="w-full font-narrow text-[11.5px]"
      role="img"
      aria-label={`The night: ${episodes.filter((e) => e.counts).length} of ${episodes.length} episodes count; left above, right below, the heart rate under them`}
    >
      <defs>
        <pattern id="off" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="6" height="6" className="fill-salt" />
          <path d="M0 0V6" stroke="var(--none)" />
        </pattern>
      </defs>
      {asleep.map((span) => (
        <rect
          key={span.startS}
          x={x(span.startS)}
          y={TOP}
          width={Math.max(x(span.endS) - x(span.startS), 1)}
          height={PULSE + HEART - TOP}
          className="fill-act-soft"
          opacity={0.6}
        />
      ))}
      {hours.map((at) => (
        <g key={at}>
          <line x1={x(at)} x2={x(at)} y1={TOP} y2={PULSE + HEART} className="stroke-hair" />
          <text x={x(at)} y={TALL - 4} textAnchor="middle" className="fill-soft">
            {clock(at)}
          </text>
        </g>
      ))}
      {SIDES.map((side) => {
        const threshold = share(side);
        return (
          <g key={side}>
            <text x={2} y={side === "left" ? TOP + 14 : UNDER + ROOM - 6} className="fill-ink font-semibold">
              {side}, %
            </text>
            {steps.map((percent) => (
              <text key={percent} x={LEFT - 5} y={y(side, percent) + 4} textAnchor="end" className="fill-soft">
                {percent}
              </text>
            ))}
            {threshold !== null && (
              <line
                x1={LEFT}
                x2={WIDE - RIGHT}
                y1={y(side, threshold)}
                y2={y(side, threshold)}
                className="stroke-ink"
                strokeDasharray="4 3"
              />
            )}
          </g>
        );
      })}
      <Contact spells={spells} x={x} />
      {leftOut.map((span) => (
        <rect
          key={span.id}
          x={x(span.start_s)}
          y={TOP}
          width={Math.max(x(span.end_s) - x(span.start_s), 2)}
          height={PULSE + HEART - TOP}
          fill="url(#off)"
          opacity={0.8}
        />
      ))}
      {notes.map((note) => (
        <rect
          key={`${note.atS} ${note.text}`}
          x={x(note.atS)}
          y={TOP}
          width={Math.max(x(note.endS) - x(note.atS), 2)}
          height={5}
          className="fill-brass"
        >
          <title>{`${clock(note.atS, true)}, in the file: ${note.text}`}</title>
        </rect>
      ))}
      {episodes.map((episode, i) => (
        // biome-ignore lint/a11y/noStaticElementInteractions: it is a picture that may be pressed
        <g key={episode.atS} className="cursor-pointer" onClick={() => onEpisode(i)}>
          <title>{`${clock(episode.atS, true)}, ${episode.type}`}</title>
          {episode.halves.map((half) => {
            const tip = y(half.side, half.peak ?? 5);
            return (
              <g key={half.key}>
                <line
                  x1={x(half.atS)}
                  x2={x(half.atS)}
                  y1={half.side === "left" ? MIDDLE : UNDER}
                  y2={tip}
                  stroke={LOOKS[half.type]}
                  opacity={half.counts ? 0.6 : 0.2}
                />
                <Mark type={half.type} x={x(half.atS)} y={tip} pale={!half.counts} />
              </g>
            );
          })}
        </g>
      ))}
      <text x={2} y={PULSE + 14} className="fill-ink font-semibold">
        heart
        <tspan x={2} dy={13} className="fill-soft font-normal">
          bpm
        </tspan>
      </text>
      {[50, 60, 70, 80, 90, 100, 120]
        .filter((bpm) => bpm > slow && bpm < fast)
        .map((bpm) => (
          <text key={bpm} x={LEFT - 5} y={beat(bpm) + 4} textAnchor="end" className="fill-soft">
            {bpm}
          </text>
        ))}
      {line.gaps.map(([a, b]) => (
        <rect key={a} x={x(a)} y={PULSE} width={Math.max(x(b) - x(a), 1)} height={HEART} fill="url(#off)">
          <title>{`no heart rate for ${number((b - a) / 60, 0)} min`}</title>
        </rect>
      ))}
      <path
        d={line.runs
          .map((run) =>
            run.map(([at, bpm], i) => `${i ? "L" : "M"}${x(at).toFixed(1)} ${beat(bpm).toFixed(1)}`).join(""),
          )
          .join("")}
        fill="none"
        className="stroke-above"
        strokeWidth={1.3}
      />
    </svg>
  );
}

/** When an electrode was doubtful (dotted), or off or its background too loud (hatched), a line a lead. */
function Contact({ spells, x }: { spells: Spell[]; x: (atS: number) => number }) {
  return LANES.map(([lane, words], i) => {
    const at = MIDDLE + 8 + i * 13;
    return (
      <g key={lane}>
        <text x={LEFT - 5} y={at + 4} textAnchor="end" className="fill-soft">
          {words}
        </text>
        <line x1={LEFT} x2={WIDE - RIGHT} y1={at} y2={at} className="stroke-act" strokeWidth={1.6} />
        {spells
          .filter((spell) => spell.lane === lane)
          .map((spell) => (
            <g key={`${spell.state} ${spell.fromS}`}>
              <rect
                x={x(spell.fromS)}
                y={at - 5}
                width={Math.max(x(spell.toS) - x(spell.fromS), 2)}
                height={10}
                className="fill-panel"
              />
              {spell.state !== "doubtful" ? (
                <rect
                  x={x(spell.fromS)}
                  y={at - 4.5}
                  width={Math.max(x(spell.toS) - x(spell.fromS), 2)}
                  height={9}
                  fill="url(#off)"
                />
              ) : (
                <line
                  x1={x(spell.fromS)}
                  x2={Math.max(x(spell.toS), x(spell.fromS) + 2)}
                  y1={at}
                  y2={at}
                  className="stroke-act"
                  strokeDasharray="1.5 3"
                />
              )}
            </g>
          ))}
      </g>
    );
  });
}

/** The line of the heart in runs that are known, and the gaps between them. */
function pathOf(heart: { atS: number; bpm: number | null }[]) {
  const runs: [number, number][][] = [];
  const gaps: [number, number][] = [];
  const step = (heart[1]?.atS ?? 30) - (heart[0]?.atS ?? 0);
  let open = false;
  for (const { atS, bpm } of heart) {
    if (bpm === null) {
      const last = gaps.at(-1);
      if (last && Math.abs(last[1] - atS) < 1e-6) last[1] = atS + step;
      else gaps.push([atS, atS + step]);
      open = false;
    } else {
      if (!open) runs.push([]);
      runs.at(-1)?.push([atS + step / 2, bpm]);
      open = true;
    }
  }
  return { runs, gaps };
}

function secondsOf(clock: string): number {
  const [h = 0, m = 0, s = 0] = clock.split(":").map(Number);
  return h * 3600 + m * 60 + s;
}

import { memo } from "react";
import { Verdict, type VerdictWord } from "@/ui/basics";
import { number, unitWords } from "@/ui/format";
import { agoS, type Figure, type Standing, type Tile } from "./feed";

const [WIDE, TALL, COURSE_S] = [220, 42, 600];
const LOOK: Record<Standing, string> = {
  within: "border-line bg-panel",
  watch: "border-action bg-panel",
  alarm: "border-[#9c2d19] bg-[#9c2d19] text-white",
  silent: "border-slate bg-[#22333c] text-white wall-silent",
};
/** The shape that each state has everywhere. */
export const SHAPE: Record<Standing, VerdictWord> = {
  within: "within",
  watch: "action level reached",
  alarm: "above limit",
  silent: "not assessable",
};

/** "40 s", "2 min 40 s": as it is said aloud. */
export function span(seconds: number): string {
  const whole = Math.floor(seconds);
  if (whole < 60) return `${whole} s`;
  const [minutes, rest] = [Math.floor(whole / 60), whole % 60];
  return minutes < 60 ? `${minutes} min ${rest} s` : `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
}

const clockOf = (seconds: number) =>
  seconds < 3600
    ? `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")}`
    : `${Math.floor(seconds / 3600)} h`;

const shortLabel = (figure: Figure) => figure.channel.split(".")[0]?.toUpperCase().replace("LEQ", "") ?? "";

function said(tile: Tile, figure: Figure): string {
  const value = tile.values[figure.channel];
  return value === null || value === undefined ? "–" : number(value, figure.decimals);
}

/** The course of the last ten minutes, with the steps of its figure dashed; from where nothing was heard it is hatched. */
function Course({ tile, figure, nowS, dark }: { tile: Tile; figure: Figure; nowS: number; dark: boolean }) {
  const course = tile.courses[figure.channel] ?? [];
  const known = course.filter((v): v is number => v !== null);
  if (known.length === 0) return <div className="h-[42px]" />;
  // The scale reaches to the first step each way, so that what flickers far from it is a quiet line.
  const steps = figure.steps.map((s) => s.value);
  const [least, most] = [Math.min(...known), Math.max(...known)];
  const above = Math.min(...steps.filter((v) => v >= most));
  const below = Math.max(...steps.filter((v) => v <= least));
  const near = steps.filter((v) => (v > least && v < most) || v === above || v === below);
  const floor = figure.steps.some((s) => s.below) ? least : Math.min(least, 0);
  const [low, high] = [Math.min(floor, ...near), Math.max(most, ...near)];
  const room = Math.max(high - low, Math.abs(high) * 0.05, 1e-6);
  const x = (at: number) => WIDE - ((nowS - at) / COURSE_S) * WIDE;
  const y = (value: number) => 4 + (1 - (value - low) / room) * (TALL - 8);
  let path = "";
  let pen = false;
  let before = Number.NEGATIVE_INFINITY;
  course.forEach((value, i) => {
    const at = tile.times[i] ?? 0;
    if (value === null || at - before > 15) pen = false;
    if (value === null) return;
    path += `${pen ? "L" : "M"}${x(at).toFixed(1)} ${y(value).toFixed(1)}`;
    pen = true;
    before = at;
  });
  const last = tile.times.at(-1) ?? nowS;
  const since = nowS - last > 5 ? x(last) : WIDE;
  return (
    <svg
      viewBox={`0 0 ${WIDE} ${TALL}`}
      preserveAspectRatio="none"
      className="block h-[42px] w-full"
      aria-hidden="true"
    >
      <rect width={WIDE} height={TALL} className={dark ? "fill-white" : "fill-hair"} opacity={dark ? 0.1 : 0.6} />
      {near.map((value) => (
        <line
          key={value}
          x1={0}
          x2={WIDE}
          y1={y(value)}
          y2={y(value)}
          className={dark ? "stroke-white" : "stroke-ink"}
          strokeDasharray="4 3"
          strokeWidth={1}
        />
      ))}
      <path d={path} className={`fill-transparent ${dark ? "stroke-white" : "stroke-act"}`} strokeWidth={1.6} />
      {since < WIDE && (
        <rect
          x={since}
          width={WIDE - since}
          height={TALL}
          className={dark ? "fill-white" : "fill-ink"}
          opacity={0.25}
        />
      )}
    </svg>
  );
}

/** One who is out: name, figure, words, age of the last word; four states, each by ground, shape and words. */
export const TileView = memo(function TileView({
  tile,
  standing,
  nowS,
  onMark,
}: {
  tile: Tile;
  standing: Standing;
  /** Whole seconds: ages count up, nothing else moves with it. */
  nowS: number;
  /** None on a screen that only shows. */
  onMark?: ((tile: Tile) => void) | undefined;
}) {
  const lead = tile.figures.find((f) => f.channel === tile.lead) ?? tile.figures[0];
  // Of many the last one: of gas that is the oxygen.
  const rest = tile.figures.filter((f) => f !== lead);
  const others = rest.length > 2 ? rest.slice(-1) : rest;
  const ago = agoS(tile, nowS);
  const dark = standing === "alarm" || standing === "silent";
  const quiet = ago ?? nowS - tile.worn_since;
  const was = lead ? `was ${said(tile, lead)} ${unitWords(lead.unit)}` : "";
  return (
    <li
      className={`relative flex min-h-[186px] flex-col rounded-lg border px-3 py-2 ${LOOK[standing]}`}
      data-standing={standing}
    >
      <span className="flex items-baseline gap-2">
        <b className="min-w-0 flex-1 truncate font-narrow font-medium text-[21px]">{tile.person}</b>
        <button
          type="button"
          title={onMark && `Mark something for ${tile.person}`}
          disabled={!onMark}
          className="min-h-7 rounded-full bg-[#f0e2c4] px-2.5 font-semibold text-[#5b430f] text-[13px]"
          onClick={() => onMark?.(tile)}
        >
          {tile.token}
        </button>
      </span>
      {/* Above the stripes: figure and words are read across a room. */}
      <span className="flex items-center gap-2">
        <span className="font-narrow font-semibold text-[46px] leading-[1.05]">
          {standing === "silent" ? clockOf(quiet) : lead ? said(tile, lead) : "–"}
        </span>
        <span className="min-w-0 flex-1 truncate font-narrow text-[21px]">
          {standing === "silent" ? "silent" : lead ? `${unitWords(lead.unit)} ${shortLabel(lead)}` : ""}
        </span>
        <span className={`[&_svg]:size-7 ${dark ? "rounded bg-white p-1" : ""}`}>
          <Verdict verdict={SHAPE[standing]} words={standing} bare />
        </span>
      </span>
      <span className={`truncate font-narrow font-medium text-[21px] ${standing === "watch" ? "text-action" : ""}`}>
        {standing === "silent"
          ? ago === null
            ? "nothing heard yet"
            : was
          : standing === "alarm"
            ? tile.state === "alarm"
              ? `${tile.words}, ${span(nowS - (tile.alarm_at ?? tile.since))}`
              : "below again"
            : standing === "watch"
              ? tile.words
              : others.map((f) => `${shortLabel(f)} ${said(tile, f)} ${unitWords(f.unit)}`).join(", ") || lead?.label}
      </span>
      <span className="mt-auto block pt-1">{lead && <Course tile={tile} figure={lead} nowS={nowS} dark={dark} />}</span>
      <span className="truncate font-narrow text-[21px]">
        {ago === null ? (tile.trouble ? "not reached" : "not heard yet") : `heard ${span(ago)} ago`}
      </span>
    </li>
  );
});

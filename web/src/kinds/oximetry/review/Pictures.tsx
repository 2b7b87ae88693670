import { Ticks } from "@/charts/Ticks";
import type { Assessment } from "@/sheet/assessed";
import { number } from "@/ui/format";

const [WIDE, TALL, LEFT, FOOT] = [280, 140, 30, 24];
/** What the axes show at least. */
const [DEEP, LONG] = [12, 60];

export interface Fall {
  key: string;
  atS: number;
  endS: number;
  baseline: number;
  lowest: number;
  kept: boolean;
}

/** The falls of three points and more, each once. */
export function fallsOf(shown: Assessment): Fall[] {
  return (shown.events ?? []).flatMap((event) => {
    const { baseline, lowest } = event.numbers;
    if (event.code !== "desaturation3" || typeof baseline !== "number" || typeof lowest !== "number") return [];
    return [{ key: event.key, atS: event.at_s, endS: event.end_s, baseline, lowest, kept: event.kept }];
  });
}

/** Each fall by how long and how deep it was; those that do not count are hollow. */
export function DepthAndLength({
  falls,
  deepest: deep = 0,
  longest: long = 0,
}: {
  falls: Fall[];
  /** How far the axes go at the least: those of several nights are the same. */
  deepest?: number;
  longest?: number;
}) {
  if (falls.length === 0) return <p className="text-[13px] text-soft">No fall of three points or more.</p>;
  const deepest = Math.max(DEEP, deep, ...falls.map((fall) => fall.baseline - fall.lowest));
  const longest = Math.max(LONG, long, ...falls.map((fall) => fall.endS - fall.atS));
  const x = (seconds: number) => LEFT + (seconds / longest) * (WIDE - LEFT - 8);
  const y = (points: number) => 6 + (points / deepest) * (TALL - FOOT - 10);
  const counting = falls.filter((fall) => fall.kept).length;
  return (
    <figure>
      <figcaption className="text-[13px]">
        <b className="font-narrow font-semibold">Falls by depth and length</b>{" "}
        <span className="text-soft">
          {counting} count{counting < falls.length ? `, ${falls.length - counting} do not` : ""}
        </span>
      </figcaption>
      <svg
        viewBox={`0 0 ${WIDE} ${TALL}`}
        className="w-full max-w-[360px]"
        role="img"
        aria-label={`${falls.length} falls; the deepest ${number(deepest, 0)} points, the longest ${number(longest, 0)} s`}
      >
        <Ticks values={[0, 20, 40, 60, 120, 180].filter((v) => v <= longest)} x={x} from={4} to={TALL - FOOT} />
        <Ticks values={[0, 4, 8, 12, 16, 20, 30, 40].filter((v) => v <= deepest)} y={y} from={LEFT} to={WIDE - 4} />
        {falls.map((fall) => (
          <circle
            key={fall.key}
            cx={x(fall.endS - fall.atS)}
            cy={y(fall.baseline - fall.lowest)}
            r={3.4}
            className={`stroke-act ${fall.kept ? "fill-act" : "fill-panel"}`}
            opacity={0.75}
          />
        ))}
        <text x={WIDE - 4} y={TALL - 1} textAnchor="end" className="fill-soft font-narrow text-[11px]">
          length s; depth in points
        </text>
      </svg>
    </figure>
  );
}

/** For which share of the valid time the saturation was below each percent. */
export function Below({ shown, least = 100 }: { shown: Assessment; least?: number }) {
  const table = shown.tables.find((each) => each.key === "below");
  const rows = (table?.rows ?? []).flatMap(([percent, share]) =>
    typeof percent === "number" && typeof share === "number" ? [{ percent, share }] : [],
  );
  const lowest = Math.min(...rows.map((row) => row.percent), 88, least);
  if (rows.length === 0) return null;
  const from = Math.floor(lowest / 5) * 5;
  const x = (percent: number) => LEFT + ((percent - from) / (100 - from)) * (WIDE - LEFT - 8);
  const y = (share: number) => 6 + (1 - share / 100) * (TALL - FOOT - 10);
  const path = rows.map((row, i) => `${i ? "L" : "M"}${x(row.percent).toFixed(1)} ${y(row.share).toFixed(1)}`).join("");
  const at90 = rows.find((row) => row.percent === 90);
  return (
    <figure>
      <figcaption className="text-[13px]">
        <b className="font-narrow font-semibold">Time below each percent</b>{" "}
        {at90 && <span className="text-soft">below 90 %: {number(at90.share, 1)} % of the valid time</span>}
      </figcaption>
      <svg
        viewBox={`0 0 ${WIDE} ${TALL}`}
        className="w-full max-w-[360px]"
        role="img"
        aria-label="Share of the valid time below each percent of saturation"
      >
        <Ticks values={[100, 95, 90, 85, 80, 75, 70].filter((v) => v >= from)} x={x} from={4} to={TALL - FOOT} />
        <Ticks values={[0, 50, 100]} y={y} from={LEFT} to={WIDE - 4} />
        {[90, 88].map((line) => (
          <line
            key={line}
            x1={x(line)}
            x2={x(line)}
            y1={4}
            y2={TALL - FOOT}
            className="stroke-ink"
            strokeDasharray="4 3"
          />
        ))}
        <path d={path} fill="none" className="stroke-act" strokeWidth={2} />
        <text x={WIDE - 4} y={TALL - 1} textAnchor="end" className="fill-soft font-narrow text-[11px]">
          saturation below, %; share of valid time, %
        </text>
      </svg>
    </figure>
  );
}

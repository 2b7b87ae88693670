import { Ticks } from "@/charts/Ticks";
import { type Case, DEPTH, RATE } from "./case";

const [WIDE, TALL, LEFT, FOOT] = [300, 170, 30, 24];
const RATES = [60, 160] as const;
const DEPTHS = [20, 80] as const;
const within = (value: number, [low, high]: readonly [number, number]) => Math.min(Math.max(value, low), high);

/** Every compression by how fast it followed and how deep it was, the targets as a field. */
export function Clouds({ about, small = false }: { about: Case; small?: boolean }) {
  const counting = about.compressions.filter((each) => each.counts);
  const x = (rate: number) => LEFT + ((rate - RATES[0]) / (RATES[1] - RATES[0])) * (WIDE - LEFT - 4);
  const y = (mm: number) => 4 + ((mm - DEPTHS[0]) / (DEPTHS[1] - DEPTHS[0])) * (TALL - FOOT - 4);
  let dots = "";
  let [all, good] = [0, 0];
  counting.forEach((each, i) => {
    const next = counting[i + 1];
    if (!next || next.atS - each.atS > 2 || each.depth === null) return;
    const rate = 60 / (next.atS - each.atS);
    all++;
    if (rate >= RATE[0] && rate <= RATE[1] && each.depth >= DEPTH[0] && each.depth <= DEPTH[1]) good++;
    dots += `M${x(within(rate, RATES)).toFixed(1)} ${y(within(each.depth, DEPTHS)).toFixed(1)}h0`;
  });
  if (all === 0) return <p className="text-[13px] text-soft">No compression with its depth.</p>;
  return (
    <figure>
      <figcaption className="pb-1 text-[13px]">
        <b className="font-narrow font-semibold">Rate and depth</b>{" "}
        <span className="text-soft">
          {good} of {all} in both targets
        </span>
      </figcaption>
      <svg
        viewBox={`0 0 ${WIDE} ${TALL}`}
        className={small ? "w-[230px]" : "w-full max-w-[380px]"}
        role="img"
        aria-label={`${good} of ${all} compressions were within ${RATE.join(" to ")} a minute and ${DEPTH.join(" to ")} mm`}
      >
        <rect
          x={x(RATE[0])}
          y={y(DEPTH[0])}
          width={x(RATE[1]) - x(RATE[0])}
          height={y(DEPTH[1]) - y(DEPTH[0])}
          className="fill-within"
          opacity={0.16}
        />
        <Ticks values={[60, 80, 100, 120, 140, 160]} x={x} from={4} to={TALL - FOOT} />
        <Ticks values={[20, 40, 50, 60, 80]} y={y} from={LEFT} to={WIDE - 4} />
        <path d={dots} fill="none" className="stroke-act" strokeWidth={2.6} strokeLinecap="round" />
        <text x={WIDE - 4} y={TALL - 2} textAnchor="end" className="fill-soft font-narrow text-[11px]">
          rate a minute; depth in mm
        </text>
      </svg>
    </figure>
  );
}

import { useMemo } from "react";
import { number } from "@/ui/format";
import { Segmented } from "@/ui/segmented";
import { paceWords, type Way } from "./way";

const [WIDE, TALL, EDGE] = [300, 250, 26];
const LENGTHS_M = [10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10_000];
/** From the slowest, or the lowest, to the highest fifth: told apart by how far they stand out from the paper, too. */
const LOOKS = ["var(--lane-2)", "var(--course-2)", "var(--ramp-3)", "var(--ramp-4)", "var(--ramp-6)"];

export type By = "pace" | "heart rate" | "zone";

const CHOICES: [By, string][] = [
  ["pace", "pace"],
  ["heart rate", "heart rate"],
];

/** Edges between the five classes of a quantity: fifths of what was measured. */
function fifths(values: (number | null)[]): number[] {
  const known = values.filter((v): v is number => v !== null && v > 0).sort((a, b) => a - b);
  return [1, 2, 3, 4].map((k) => known[Math.floor((k * known.length) / 5)] ?? 0);
}

/** The course from above by its own positions, north up: coloured by what is asked, with kilometres, scale and direction. */
export function CourseMap({
  way,
  by,
  onBy,
  zones,
  atS,
  onPoint,
}: {
  way: Way;
  by: By;
  onBy: (by: By) => void;
  /** Lower ends of the zones, in beats a minute; empty where nobody knows them. */
  zones: number[];
  atS: number | null;
  onPoint: (atS: number) => void;
}) {
  const values = by === "pace" ? way.speed : way.rate;
  const edges = useMemo(
    () => (by === "zone" && zones.length > 0 ? zones.slice(-4) : fifths(values)),
    [by, zones, values],
  );
  const drawn = useMemo(() => layOut(way), [way]);
  const paths = useMemo(() => {
    const found = ["", "", "", "", "", ""];
    if (!drawn) return found;
    let last = -1;
    way.east.forEach((_, i) => {
      const [here, next] = [drawn.at(i), drawn.at(i + 1)];
      if (!here || !next) {
        last = -1;
        return;
      }
      const value = values[i] ?? null;
      const look = value === null ? 5 : edges.filter((edge) => value >= edge).length;
      found[look] +=
        `${look === last ? "" : `M${here[0].toFixed(1)} ${here[1].toFixed(1)}`}L${next[0].toFixed(1)} ${next[1].toFixed(1)}`;
      last = look;
    });
    return found;
  }, [drawn, way, values, edges]);
  if (!drawn) return <p className="text-[13px] text-soft">No position was recorded: there is no course to draw.</p>;
  const words = (value: number) => (by === "pace" ? paceWords(1000 / Math.max(value, 0.05)) : number(value, 0));
  const long = LENGTHS_M.filter((m) => m * drawn.scale < WIDE / 3).at(-1) ?? 10;
  const dot = atS === null ? null : drawn.at(Math.floor((atS - way.startS) / way.stepS));
  const nearest = (px: number, py: number) => {
    let [best, least] = [0, Number.POSITIVE_INFINITY];
    way.east.forEach((_, i) => {
      const place = drawn.at(i);
      const away = place ? (place[0] - px) ** 2 + (place[1] - py) ** 2 : Number.POSITIVE_INFINITY;
      if (away < least) [best, least] = [i, away];
    });
    return way.startS + (best + 0.5) * way.stepS;
  };
  return (
    <section aria-label="Course">
      <div className="flex flex-wrap items-center gap-2 pb-1 text-[13px]">
        <b className="font-narrow font-semibold">Course</b>
        <Segmented<By>
          label="Colour of the course"
          small
          choices={zones.length > 0 ? [...CHOICES, ["zone", "zone"]] : CHOICES}
          value={by}
          onChange={onBy}
        />
      </div>
      {/* biome-ignore lint/a11y/useKeyWithClickEvents: the lanes say the same by keyboard */}
      <svg
        viewBox={`0 0 ${WIDE} ${TALL}`}
        className="w-full cursor-crosshair"
        role="img"
        aria-label={`The course from above, north up, coloured by ${by}`}
        onClick={(event) => {
          const place = event.currentTarget.getBoundingClientRect();
          const part = WIDE / place.width;
          onPoint(nearest((event.clientX - place.left) * part, (event.clientY - place.top) * part));
        }}
      >
        {paths.slice(0, 5).map((d, i) => (
          <path
            key={LOOKS[i]}
            d={d}
            fill="none"
            stroke={LOOKS[i]}
            strokeWidth={4}
            strokeLinecap="round"
            strokeLinejoin="round"
          />
        ))}
        <path d={paths[5]} fill="none" stroke="var(--none)" strokeWidth={2} strokeDasharray="2 3" />
        {drawn.marks.map(([x, y, km]) => (
          <g key={km}>
            <circle cx={x} cy={y} r={7.5} className="fill-panel stroke-ink" />
            <text x={x} y={y + 4} textAnchor="middle" className="fill-ink font-narrow text-[10.5px]">
              {km}
            </text>
          </g>
        ))}
        {drawn.start && (
          <g transform={`translate(${drawn.start[0]} ${drawn.start[1]})`}>
            <rect x={-5} y={-5} width={10} height={10} className="fill-ink" />
            <path d="M0-5 5 4H-5Z" transform={`rotate(${drawn.heading}) translate(0 -12)`} className="fill-ink" />
          </g>
        )}
        {dot && <circle cx={dot[0]} cy={dot[1]} r={6} className="fill-brass stroke-ink" strokeWidth={1.5} />}
        <path d={`M8 ${TALL - 8}v3h${long * drawn.scale}v-3`} fill="none" className="stroke-soft" />
        <text x={14 + long * drawn.scale} y={TALL - 4} className="fill-soft font-narrow text-[11.5px]">
          {long < 1000 ? `${long} m` : `${long / 1000} km`}
        </text>
        <path d={`M${WIDE - 14} 26V8m-4 6 4-6 4 6`} fill="none" className="stroke-soft" />
        <text x={WIDE - 27} y={20} className="fill-soft font-narrow text-[11.5px]">
          N
        </text>
      </svg>
      <p className="flex flex-wrap gap-x-2 font-narrow text-[12px] text-soft">
        {LOOKS.map((look, i) => (
          <span key={look} className="whitespace-nowrap">
            <i className="mr-1 inline-block h-2 w-4 rounded-sm align-middle" style={{ background: look }} />
            {i === 0
              ? `${by === "pace" ? "slower than" : "below"} ${words(edges[0] ?? 0)}`
              : by === "pace"
                ? `to ${words(edges[i] ?? Math.max(...way.speed.map((v) => v ?? 0)))}`
                : `from ${words(edges[i - 1] ?? 0)}`}
          </span>
        ))}
        <span>{by === "pace" ? "min/km" : "bpm"}; ■ start and direction; dashed: not measured</span>
      </p>
    </section>
  );
}

/** Where each step lies in the picture, kilometres, the start and the way it leads to (degrees from up, clockwise). */
function layOut(way: Way) {
  const east = way.east.filter((v): v is number => v !== null);
  const north = way.north.filter((v): v is number => v !== null);
  if (east.length < 2 || north.length < 2) return null;
  const [left, right, low, high] = [Math.min(...east), Math.max(...east), Math.min(...north), Math.max(...north)];
  const scale = Math.min((WIDE - 2 * EDGE) / Math.max(right - left, 1), (TALL - 2 * EDGE) / Math.max(high - low, 1));
  const at = (i: number): [number, number] | null => {
    const [e, n] = [way.east[i] ?? null, way.north[i] ?? null];
    if (e === null || n === null) return null;
    return [WIDE / 2 + (e - (left + right) / 2) * scale, TALL / 2 - 4 - (n - (low + high) / 2) * scale];
  };
  const total = Math.max(...way.along.map((m) => m ?? 0));
  const every = [1, 2, 5, 10, 20, 50].find((km) => total / 1000 / km <= 9) ?? 100;
  const marks: [number, number, number][] = [];
  let next = every;
  way.along.forEach((m, i) => {
    if (m === null || m < next * 1000) return;
    const place = at(i);
    if (place) marks.push([...place, next]);
    next += every;
  });
  const first = way.east.findIndex((v) => v !== null);
  const ahead = way.along.findIndex((m, i) => i > first && m !== null && m > (way.along[first] ?? 0) + total / 60);
  const [start, then] = [at(first), at(ahead)];
  const heading = start && then ? (Math.atan2(then[0] - start[0], start[1] - then[1]) * 180) / Math.PI : 0;
  return { at, scale, marks, start, heading };
}

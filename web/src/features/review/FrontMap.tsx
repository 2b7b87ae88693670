import { useQuery } from "@tanstack/react-query";
import { api, ask, type Schemas } from "@/api/client";
import type { Assessed } from "@/sheet/assessed";
import { clock, number } from "@/ui/format";

const [WIDTH, HEIGHT, EDGE] = [420, 260, 44];
/** Lengths that a scale may have, metres. */
const LENGTHS = [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000];
const WINDS = ["north", "north-east", "east", "south-east", "south", "south-west", "west", "north-west"];

/** How many minutes lie between two lines, so that they stay apart. */
function stepOf(front: Schemas["Front"], scale: number): number {
  return [1, 2, 5, 10, 30].find((min) => min * (front.speed_m_min ?? 0) * scale >= 14) ?? 60;
}

/** From above, north up: where each was when it came to them, in which order, and how the front moved. */
function Picture({ front, all }: { front: Schemas["Front"]; all: Assessed[] }) {
  const { arrivals } = front;
  const [east, north] = [arrivals.map((a) => a.east_m), arrivals.map((a) => a.north_m)];
  const [left, right] = [Math.min(...east), Math.max(...east)];
  const [low, high] = [Math.min(...north), Math.max(...north)];
  const scale = Math.min((WIDTH - 2 * EDGE) / Math.max(right - left, 5), (HEIGHT - 2 * EDGE) / Math.max(high - low, 5));
  const x = (m: number) => WIDTH / 2 + (m - (left + right) / 2) * scale;
  const y = (m: number) => HEIGHT / 2 - (m - (low + high) / 2) * scale;
  const long = LENGTHS.filter((length) => length * scale < WIDTH / 4).at(-1) ?? 1;
  const first = arrivals[0] as Schemas["Arrival"];
  const step = stepOf(front, scale);
  // A line where the front stood every so many minutes, before the first and after the last too.
  const lines =
    front.speed_m_min === null
      ? []
      : Array.from({ length: 61 }, (_, i) => (i - 30) * step * (front.speed_m_min as number));
  const nameOf = (id: number) => {
    const session = all.find((each) => each.session.id === id)?.session;
    return session?.person || session?.token || "";
  };
  const isRight = (a: Schemas["Arrival"]) => x(a.east_m) > WIDTH * 0.6;
  const towards = ((front.bearing_deg ?? 0) * Math.PI) / 180;
  const [dx, dy] = [Math.sin(towards), -Math.cos(towards)];
  const [cx, cy] = [WIDTH - 56, 52];
  const words = arrivals.map((a, i) => `${i + 1} ${nameOf(a.session_id)}`).join(", ");
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      role="img"
      aria-label={`Places from above, north up, in the order it came to them: ${words}`}
      className="w-full max-w-[420px] text-[12px]"
    >
      {lines.map((m) => {
        const [px, py] = [x(first.east_m) + dx * m * scale, y(first.north_m) + dy * m * scale];
        const far = WIDTH + HEIGHT;
        return (
          <path
            key={m}
            d={`M${px - dy * far} ${py + dx * far}L${px + dy * far} ${py - dx * far}`}
            fill="none"
            className="stroke-line"
          />
        );
      })}
      {arrivals.map((a, i) => (
        <g key={a.session_id} transform={`translate(${x(a.east_m)} ${y(a.north_m)})`}>
          <circle r="10" className="fill-panel stroke-ink" />
          <text textAnchor="middle" dy="4" className="fill-ink font-semibold">
            {i + 1}
          </text>
          <text x={isRight(a) ? -14 : 14} textAnchor={isRight(a) ? "end" : "start"} dy="4" className="fill-ink">
            {nameOf(a.session_id)}
          </text>
        </g>
      ))}
      <path d={`M12 ${HEIGHT - 14}v4h${long * scale}v-4`} fill="none" className="stroke-soft" />
      <text x={18 + long * scale} y={HEIGHT - 8} className="fill-soft">
        {long} m
      </text>
      <path d="M14 34V14m-4 6 4-6 4 6" fill="none" className="stroke-soft" />
      <text x="22" y="24" className="fill-soft">
        N
      </text>
      {front.bearing_deg !== null && (
        <text x={WIDTH - 8} y={HEIGHT - 8} textAnchor="end" className="fill-soft">
          a line every {step === 1 ? "minute" : `${step} min`}
        </text>
      )}
      {front.bearing_deg !== null && (
        <path
          d={`M${cx - dx * 24} ${cy - dy * 24}L${cx + dx * 24} ${cy + dy * 24}m${-dx * 9 - dy * 6} ${-dy * 9 + dx * 6}L${cx + dx * 24} ${cy + dy * 24}l${-dx * 9 + dy * 6} ${-dy * 9 - dx * 6}`}
          fill="none"
          className="stroke-above"
          strokeWidth="2.5"
        />
      )}
    </svg>
  );
}

/** Where something came to each of a crew, where their recorders knew: the order, and the speed and direction of its front. */
export function FrontMap({ all, event, name }: { all: Assessed[]; event: string; name: string }) {
  const sessions = all.map((each) => each.session.id);
  const found = useQuery({
    queryKey: ["front", sessions, event],
    queryFn: () => ask(api.GET("/api/fronts", { params: { query: { sessions, event } } })),
  });
  const front = found.data;
  const first = front?.arrivals[0];
  if (!front || !first) return null;
  const bearing = front.bearing_deg;
  const offset = all[0]?.session.utc_offset_min;
  const last = front.arrivals.at(-1) ?? first;
  return (
    <section
      aria-label="Where the front passed"
      className="mt-2 flex flex-wrap items-start gap-4 border-hair border-t pt-2"
    >
      <Picture front={front} all={all} />
      <div className="min-w-48 flex-1 text-[13.5px]">
        <h3 className="font-semibold">{name}: where it passed</h3>
        <p className="pt-1">
          {front.arrivals.length} of {all.length} places are known. It was met from {clock(first.at, offset)} to{" "}
          {clock(last.at, offset)}.
        </p>
        {bearing !== null && front.speed_m_min !== null && front.apart_s !== null ? (
          <p className="pt-1">
            It moved towards the {WINDS[Math.round(bearing / 45) % 8]} ({number(bearing, 0)}°) at{" "}
            <b className="font-semibold">{number(front.speed_m_min, 0)} m/min</b>; the times lie within{" "}
            {number(front.apart_s, 0)} s of that.
          </p>
        ) : (
          <p className="pt-1 text-soft">No speed is told: {front.why_not}.</p>
        )}
      </div>
    </section>
  );
}

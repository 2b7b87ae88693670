import { type PointerEvent, useMemo, useState } from "react";
import type { Assessed } from "@/sheet/assessed";
import type { SeveralProps } from "@/sheet/contract";
import { number } from "@/ui/format";
import { Segmented } from "@/ui/segmented";
import { hillsOf, sameHills } from "./hills";
import { laidOver, type Over, type Quantity } from "./laid";
import { paceWords, useWays } from "./way";

const MOST = 4;
const [WIDE, LEFT, RIGHT, HIGH, AXIS] = [900, 104, 10, 92, 20];
const LOOKS = [
  { stroke: "var(--lane-1)", dash: undefined },
  { stroke: "var(--lane-3)", dash: "7 3" },
  { stroke: "var(--lane-2)", dash: "2 3" },
  { stroke: "var(--lane-4)", dash: "10 3 2 3" },
] as const;

/** Up to four sessions over one another, over the way or the time; by how much each lies behind the first; the hills that all met. */
export default function Together({ all, names }: SeveralProps) {
  const some = all.slice(-MOST);
  const called = names.slice(-MOST);
  const ways = useWays(some);
  const [over, setOver] = useState<Over>("distance");
  const [at, setAt] = useState<number | null>(null);
  const { whole, places, quantities } = useMemo(() => laidOver(ways, over), [ways, over]);
  const x = (place: number) => LEFT + (place / whole) * (WIDE - LEFT - RIGHT);
  // Drawn once, whatever the pointer does over them.
  const still = useMemo(() => {
    const at = (place: number) => LEFT + (place / whole) * (WIDE - LEFT - RIGHT);
    return quantities.map((quantity, n) => (
      <Lines key={quantity.name} quantity={quantity} top={n * HIGH} places={places} x={at} />
    ));
  }, [quantities, places, whole]);
  const tall = quantities.length * HIGH + AXIS;
  const follow = (event: PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const place = (((event.clientX - box.left) / box.width) * WIDE - LEFT) / (WIDE - LEFT - RIGHT);
    setAt(place >= 0 && place <= 1 ? place * whole : null);
  };
  const step = [100, 200, 500, 1000, 2000, 5000, 10_000, 20_000].find((each) => whole / each <= 12) ?? 50_000;
  const stepS = [60, 120, 300, 600, 900, 1800, 3600].find((each) => whole / each <= 12) ?? 7200;
  const steps = over === "distance" ? step : stepS;
  return (
    <section aria-label="Over one another" className="mb-3 rounded-lg border border-line bg-panel px-3 py-2">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1 text-[13px]">
        <b className="font-narrow font-semibold">Over one another</b>
        {called.map((name, k) => (
          <span key={some[k]?.session.id} className="flex items-center gap-1.5 whitespace-nowrap">
            <svg width={26} height={8} aria-hidden="true">
              <line
                x1={0}
                x2={26}
                y1={4}
                y2={4}
                strokeWidth={2.2}
                stroke={LOOKS[k]?.stroke}
                strokeDasharray={LOOKS[k]?.dash}
              />
            </svg>
            {name}
          </span>
        ))}
        {all.length > MOST && <span className="text-soft">the newest four of {all.length}</span>}
        <span className="ml-auto">
          <Segmented<Over>
            label="Over one another by"
            small
            choices={[
              ["distance", "distance"],
              ["time", "time"],
            ]}
            value={over}
            onChange={(next) => {
              setOver(next);
              setAt(null);
            }}
          />
        </span>
      </div>
      {ways.every((way) => way === null) ? (
        <p className="py-2 text-[13px] text-soft">No way is known of these sessions.</p>
      ) : (
        <svg
          viewBox={`0 0 ${WIDE} ${tall}`}
          className="w-full font-narrow text-[12px]"
          role="img"
          aria-label={`${quantities.map((quantity) => quantity.name.toLowerCase()).join(", ")} of ${called.join(", ")} over the ${over === "distance" ? "way" : "time"}`}
          onPointerMove={follow}
          onPointerLeave={() => setAt(null)}
        >
          {Array.from({ length: Math.floor(whole / steps) + 1 }, (_, i) => i * steps).map((place) => (
            <g key={place}>
              <line x1={x(place)} x2={x(place)} y1={4} y2={tall - AXIS} className="stroke-hair" />
              <text x={x(place)} y={tall - 5} textAnchor="middle" className="fill-soft">
                {over === "distance" ? `${number(place / 1000, steps < 1000 ? 1 : 0)} km` : paceWords(place)}
              </text>
            </g>
          ))}
          {still}
          {at !== null && (
            <line x1={x(at)} x2={x(at)} y1={2} y2={tall - AXIS} className="stroke-brass" strokeWidth={1.4} />
          )}
          {at !== null &&
            quantities.map((quantity, n) => (
              <Readings key={quantity.name} quantity={quantity} top={n * HIGH} at={at} x={x(at)} />
            ))}
        </svg>
      )}
      {quantities[0]?.name === "Behind" && (
        <p className="text-[12.5px] text-soft">
          Behind: later than {called[0]} at the same distance; below zero it was there before.
        </p>
      )}
      <Hills all={some} names={called} />
    </section>
  );
}

const yOf = ({ low, high }: Quantity, top: number) => {
  const room = (high - low || 1) * 0.06;
  return (value: number) => top + HIGH - 10 - ((value - low + room) / (high - low + 2 * room)) * (HIGH - 18);
};

/** One quantity of all sessions: a line each. */
function Lines({
  quantity,
  top,
  places,
  x,
}: {
  quantity: Quantity;
  top: number;
  places: number[];
  x: (place: number) => number;
}) {
  const y = yOf(quantity, top);
  return (
    <g>
      <line x1={LEFT} x2={WIDE - RIGHT} y1={top + HIGH - 4} y2={top + HIGH - 4} className="stroke-line" />
      <text x={2} y={top + 16} className="fill-ink font-semibold">
        {quantity.name}
      </text>
      <text x={2} y={top + 30} className="fill-soft">
        {quantity.unit}
      </text>
      {[quantity.high, quantity.low].map((value, i) => (
        <text key={i === 0 ? "high" : "low"} x={LEFT - 4} y={y(value) + 4} textAnchor="end" className="fill-soft">
          {quantity.words(value)}
        </text>
      ))}
      {quantity.lines.map((line, k) => (
        <path
          // biome-ignore lint/suspicious/noArrayIndexKey: the sessions keep their order
          key={k}
          d={pathOf(line, places, x, y)}
          fill="none"
          stroke={LOOKS[k]?.stroke}
          strokeDasharray={LOOKS[k]?.dash}
          strokeWidth={1.5}
        />
      ))}
    </g>
  );
}

/** What each session has at the pointer. */
function Readings({ quantity, top, at, x }: { quantity: Quantity; top: number; at: number; x: number }) {
  const y = yOf(quantity, top);
  const isLast = x > WIDE - 120;
  return quantity.lines.map((_, k) => {
    const value = quantity.at(k, at);
    return value === null ? null : (
      // biome-ignore lint/suspicious/noArrayIndexKey: the sessions keep their order
      <g key={k}>
        <circle cx={x} cy={y(value)} r={3.4} fill={LOOKS[k]?.stroke} />
        <text
          x={x + (isLast ? -8 : 8)}
          y={top + 14 + k * 14}
          textAnchor={isLast ? "end" : "start"}
          fill={LOOKS[k]?.stroke}
          className="stroke-panel font-semibold"
          strokeWidth={3}
          paintOrder="stroke"
        >
          {quantity.words(value)}
        </text>
      </g>
    );
  });
}

function pathOf(
  line: (number | null)[],
  places: number[],
  x: (place: number) => number,
  y: (value: number) => number,
): string {
  let path = "";
  let drawing = false;
  line.forEach((value, i) => {
    if (value === null) {
      drawing = false;
      return;
    }
    path += `${drawing ? "L" : "M"}${x(places[i] ?? 0).toFixed(1)} ${y(value).toFixed(1)}`;
    drawing = true;
  });
  return path;
}

/** Hills that at least two climbs met, of one session or of several: found by where they begin and end. */
function Hills({ all, names }: { all: Assessed[]; names: string[] }) {
  const hills = useMemo(() => sameHills(all.map((each) => hillsOf(each.reviewed))), [all]);
  if (hills.length === 0) return null;
  return (
    <table className="mt-2 w-full text-right text-[13px]" aria-label="The same hills">
      <caption className="pb-1 text-left">
        <b className="font-narrow font-semibold">The same hills</b>{" "}
        <span className="text-soft">climbs that begin and end within 60 m of each other</span>
      </caption>
      <thead className="font-narrow text-[12.5px] text-soft">
        <tr>
          <th className="text-left font-medium">Hill</th>
          <th className="text-left font-medium">when</th>
          <th className="font-medium">climb, m</th>
          <th className="font-medium">length, m</th>
          <th className="font-medium">time</th>
          <th className="font-medium">to the fastest</th>
          <th className="font-medium">min/km</th>
          <th className="font-medium">climbed an hour, m</th>
          <th className="font-medium">heart rate, bpm</th>
        </tr>
      </thead>
      <tbody>
        {hills.flatMap((hill, n) => {
          const fastest = Math.min(...hill.map(({ climb }) => climb.seconds));
          return hill.map(({ of, climb }, i) => (
            <tr key={`${all[of]?.session.id} ${climb.fromS}`} className="border-hair border-t [&>td]:py-0.5">
              <td className="text-left font-semibold">{i === 0 ? n + 1 : ""}</td>
              <td className="text-left">{names[of]}</td>
              <td>{number(climb.climb, 0)}</td>
              <td>{number(climb.length, 0)}</td>
              <td className="font-semibold">{paceWords(climb.seconds)}</td>
              <td>{climb.seconds - fastest < 0.5 ? "fastest" : `+${number(climb.seconds - fastest, 0)} s`}</td>
              <td>{paceWords(climb.pace)}</td>
              <td>{number(climb.hourly, 0)}</td>
              <td>{climb.rate === null ? "–" : number(climb.rate, 0)}</td>
            </tr>
          ));
        })}
      </tbody>
    </table>
  );
}

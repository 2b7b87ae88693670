import { scaleLinear } from "d3-scale";
import { type Level, type Scale, usual } from "./chart";
import { type Class, classOf, counts, type Period, type Reading } from "./readings";

const label = "fill-(--soft) font-narrow text-[11.5px]";
/** The highest limit of each pressure while awake and asleep, as the corner that readings lie in. */
export interface Corner {
  period: Period;
  systolic: number;
  diastolic: number;
}

/** Systolic over diastolic; a filled dot is awake, an open one asleep; a click chooses the reading nearest to it. */
export function CornerPicture({
  readings,
  corners,
  chosen,
  onChoose,
}: {
  readings: Reading[];
  corners: Corner[];
  chosen: string | null;
  onChoose: (key: string) => void;
}) {
  const good = readings.filter(counts);
  const [sys, dia] = [good.map((r) => r.systolic as number), good.map((r) => r.diastolic as number)];
  const span = (values: number[], more: number[], low: number, high: number): Scale => {
    const all = [...usual(values), ...more];
    return all.length === 0 ? [low, high] : [Math.min(...all) - 4, Math.max(...all) + 4];
  };
  const x = scaleLinear(
    span(
      dia,
      corners.map((c) => c.diastolic),
      60,
      100,
    ),
    [30, 252],
  )
    .nice()
    .clamp(true);
  const y = scaleLinear(
    span(
      sys,
      corners.map((c) => c.systolic),
      100,
      160,
    ),
    [124, 8],
  )
    .nice()
    .clamp(true);
  const pick = (event: React.MouseEvent<SVGSVGElement>) => {
    const place = event.currentTarget.getBoundingClientRect();
    const at = [((event.clientX - place.left) / place.width) * 260, ((event.clientY - place.top) / place.height) * 144];
    const far = (r: Reading) =>
      Math.hypot(x(r.diastolic as number) - (at[0] ?? 0), y(r.systolic as number) - (at[1] ?? 0));
    const best = [...good].sort((a, b) => far(a) - far(b))[0];
    if (best && far(best) < 14) onChoose(best.key);
  };
  return (
    <section aria-label="Systolic over diastolic" className="min-w-0 rounded-lg border border-line bg-panel px-3 py-2">
      <div className="flex flex-wrap items-center gap-x-2 text-[13px]">
        <b className="font-narrow font-semibold">Systolic over diastolic</b>
        <span className="ml-auto text-[12px] text-soft">● awake ○ asleep</span>
      </div>
      {/* biome-ignore lint/a11y/useKeyWithClickEvents: readings are walked through in the table, by keys, too */}
      <svg
        viewBox="0 0 260 144"
        className="w-full cursor-pointer"
        role="img"
        aria-label="Systolic over diastolic, a dot a reading"
        onClick={pick}
      >
        {y.ticks(4).map((v) => (
          <g key={v}>
            <line x1={30} x2={252} y1={y(v)} y2={y(v)} stroke="var(--hair)" />
            <text x={26} y={y(v) + 4} textAnchor="end" className={label}>
              {v}
            </text>
          </g>
        ))}
        {x.ticks(4).map((v) => (
          <text key={v} x={x(v)} y={139} textAnchor="middle" className={label}>
            {v}
          </text>
        ))}
        {corners.map((c) => (
          <path
            key={c.period}
            d={`M30 ${y(c.systolic)} H${x(c.diastolic)} V124`}
            fill="none"
            stroke="var(--ink)"
            strokeDasharray={c.period === "awake" ? "5 3" : "2 2"}
          />
        ))}
        {good.map((r) => (
          <circle
            key={r.key}
            cx={x(r.diastolic as number)}
            cy={y(r.systolic as number)}
            r={r.key === chosen ? 5.5 : 3.4}
            fill={r.period === "awake" ? "var(--lane-1)" : "var(--panel)"}
            fillOpacity={r.period === "awake" && r.key !== chosen ? 0.75 : 1}
            stroke={r.period === "awake" && r.key !== chosen ? "none" : "var(--lane-5)"}
            strokeWidth={1.6}
          />
        ))}
      </svg>
    </section>
  );
}

/** Which readings the table shows. */
export interface Filter {
  period: Period | null;
  cls: Class;
}
export const isSame = (a: Filter | null, b: Filter) => a !== null && a.period === b.period && a.cls === b.cls;
export const passes = (r: Reading, f: Filter | null) =>
  f === null || (counts(r) && classOf(r) === f.cls && (f.period === null || r.period === f.period));

const CLASSES: { cls: Class; name: string; fill: string; ink: string }[] = [
  { cls: "neither", name: "neither", fill: "color-mix(in srgb, var(--act) 18%, var(--panel))", ink: "var(--ink)" },
  { cls: "one", name: "one", fill: "color-mix(in srgb, var(--act) 55%, var(--panel))", ink: "var(--ink)" },
  { cls: "both", name: "both", fill: "var(--act)", ink: "var(--on-act)" },
];

/** How many readings reach the limits of their own period, as bars of counted parts; a part filters the table. */
export function ClassBars({
  rows,
  words,
  filter,
  onFilter,
}: {
  rows: { name: string; period: Period | null; neither: number; one: number; both: number }[];
  /** In words, for all. */
  words: string;
  filter: Filter | null;
  onFilter: (filter: Filter | null) => void;
}) {
  return (
    <section
      aria-label="How many reach the limit"
      className="col-span-2 min-w-0 min-[1180px]:col-span-1 rounded-lg border border-line bg-panel px-3 py-2"
    >
      <b className="block font-narrow font-semibold text-[13px]">How many reach the limit</b>
      <div className="grid grid-cols-[52px_minmax(0,1fr)] gap-y-1 pt-1.5 text-[12.5px]">
        {rows.map((row) => (
          <div key={row.name} className="contents">
            <span className="leading-[26px]">{row.name}</span>
            <span className="flex h-[26px] gap-px">
              {CLASSES.map(({ cls, name, fill, ink }) => {
                const n = row[cls];
                const own = { period: row.period, cls };
                if (n === 0) return null;
                return (
                  <button
                    key={cls}
                    type="button"
                    aria-pressed={isSame(filter, own)}
                    title={`${n} of ${row.neither + row.one + row.both}: show them in the table`}
                    aria-label={`${row.name}, ${name}: ${n} readings`}
                    className="min-w-6 font-medium font-narrow outline-offset-1 aria-pressed:outline-2 aria-pressed:outline-(--brass)"
                    style={{ flexGrow: n, background: fill, color: ink }}
                    onClick={() => onFilter(isSame(filter, own) ? null : own)}
                  >
                    {n}
                  </button>
                );
              })}
            </span>
          </div>
        ))}
      </div>
      <p className="flex flex-wrap gap-x-3 pt-1.5 text-[12px] text-soft">
        {CLASSES.map(({ cls, name, fill }) => (
          <span key={cls} className="inline-flex items-center gap-1">
            <i className="inline-block size-2.5" style={{ background: fill }} />
            {name}
          </span>
        ))}
      </p>
      <p className="pt-0.5 text-[12.5px] text-soft">{words}</p>
    </section>
  );
}

/** The corner of limits of each period, where both pressures have one. */
export function cornersOf(levels: (Level & { name: string })[]): Corner[] {
  const of = (quantity: string, period: Period) =>
    levels.find((l) => l.name.startsWith(quantity) && l.name.includes(period))?.value;
  return (["awake", "asleep"] as const).flatMap((period) => {
    const [systolic, diastolic] = [of("systolic", period), of("diastolic", period)];
    return systolic === undefined || diastolic === undefined ? [] : [{ period, systolic, diastolic }];
  });
}

import { scaleLinear } from "d3-scale";
import type { Schemas } from "@/api/client";
import type { Line } from "@/charts/TimeBars";
import { length, number } from "@/ui/format";

type Table = Schemas["Table"];
const label = "fill-(--soft) font-narrow text-[11.5px]";

/** Share of the dose by hour; a click on a bar shows that hour in the picture above. */
export function ShareBars({
  table,
  clock,
  onPick,
}: {
  table: Table;
  clock: (s: number) => string;
  onPick: (startS: number) => void;
}) {
  const rows = table.rows.map((r) => ({ start: Number(r[0]), level: r[1] as number | null, share: Number(r[2] ?? 0) }));
  const top = Math.max(...rows.map((r) => r.share), 1);
  const step = 340 / Math.max(rows.length, 5);
  const y = scaleLinear([0, top], [104, 16]);
  return (
    <svg
      viewBox="0 0 340 122"
      className="w-full"
      role="img"
      aria-label={`Share of the dose by hour. Most: ${number(top, 0)} %`}
    >
      {rows.map((r, i) => (
        // biome-ignore lint/a11y/noStaticElementInteractions: the same can be done by zooming with the keyboard
        <g key={r.start} onClick={() => onPick(r.start)} className="cursor-pointer">
          <title>{`${clock(r.start)}: ${number(r.share)} % of the dose, ${number(r.level)} dB(A)`}</title>
          <rect x={i * step} width={step} y={0} height={122} fill="transparent" />
          <rect
            x={i * step + step * 0.14}
            width={step * 0.72}
            y={y(r.share)}
            height={104 - y(r.share)}
            fill={r.share === top && r.share > 25 ? "var(--above)" : "var(--act)"}
          />
          <text
            x={i * step + step / 2}
            y={y(r.share) - 4}
            textAnchor="middle"
            className="fill-(--ink) font-narrow text-[11.5px]"
          >
            {number(r.share, 0)} %
          </text>
          <text x={i * step + step / 2} y={118} textAnchor="middle" className={label}>
            {clock(r.start).slice(0, 2)}
          </text>
        </g>
      ))}
    </svg>
  );
}

/** Time in each class of 1 dB, coloured by the limits. */
export function SpreadBars({ table, lines }: { table: Table; lines: Line[] }) {
  const rows = table.rows.map((r) => ({ level: Number(r[0]), seconds: Number(r[1]) }));
  const top = Math.max(...rows.map((r) => r.seconds), 1);
  const step = 320 / Math.max(rows.length, 10);
  const y = scaleLinear([0, top], [104, 10]);
  const colour = (level: number) => {
    const passed = [...lines].sort((a, b) => a.value - b.value).filter((l) => level >= l.value);
    const last = passed.at(-1);
    return last ? `var(--${last.colour})` : "var(--act)";
  };
  return (
    <svg viewBox="0 0 340 122" className="w-full" role="img" aria-label="Time in each class of 1 dB">
      {rows.map((r, i) => (
        <g key={r.level}>
          <title>{`${r.level} to ${r.level + 1} dB(A): ${length(r.seconds)}`}</title>
          <rect x={10 + i * step} width={step} y={0} height={104} fill="transparent" />
          <rect
            x={10 + i * step + step * 0.08}
            width={step * 0.84}
            y={y(r.seconds)}
            height={104 - y(r.seconds)}
            fill={colour(r.level)}
          />
          {r.level % 10 === 0 && (
            <text x={10 + i * step} y={118} textAnchor="middle" className={label}>
              {r.level}
            </text>
          )}
        </g>
      ))}
    </svg>
  );
}

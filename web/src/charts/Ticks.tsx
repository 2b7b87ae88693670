/** Lines and numbers of an axis of a small picture, across where `x` places them, else along where `y` does. */
export function Ticks({
  values,
  x,
  y,
  from,
  to,
}: {
  values: number[];
  x?: (value: number) => number;
  y?: (value: number) => number;
  /** The ends of each line, in the direction that it runs in. */
  from: number;
  to: number;
}) {
  return values.map((value) => {
    const at = x?.(value) ?? y?.(value) ?? 0;
    return x ? (
      <g key={value}>
        <line x1={at} x2={at} y1={from} y2={to} className="stroke-hair" />
        <text x={at} y={to + 12} textAnchor="middle" className="fill-soft font-narrow text-[11px]">
          {value}
        </text>
      </g>
    ) : (
      <g key={value}>
        <line x1={from} x2={to} y1={at} y2={at} className="stroke-hair" />
        <text x={from - 4} y={at + 4} textAnchor="end" className="fill-soft font-narrow text-[11px]">
          {value}
        </text>
      </g>
    );
  });
}

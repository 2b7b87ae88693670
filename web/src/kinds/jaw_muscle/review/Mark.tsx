import type { Type } from "./episodes";

export const LOOKS: Record<Type, string> = {
  phasic: "var(--lane-1)",
  tonic: "var(--lane-2)",
  mixed: "var(--lane-3)",
  single: "var(--lane-4)",
};

/** The mark of a type, 14 x 10 around its middle: three strokes, a pill, a pill with strokes, a diamond. */
export function Mark({ type, x = 7, y = 5, pale = false }: { type: Type; x?: number; y?: number; pale?: boolean }) {
  const fill = LOOKS[type];
  return (
    <g transform={`translate(${x} ${y})`} opacity={pale ? 0.35 : 1}>
      {type === "phasic" && <path d="M-4-4.5V4.5M0-4.5V4.5M4-4.5V4.5" stroke={fill} strokeWidth={2.2} />}
      {type === "tonic" && <rect x={-6.5} y={-2.5} width={13} height={5} rx={2.5} fill={fill} />}
      {type === "mixed" && (
        <path d="M-6 3H6M-3.5 3V-4.5M1-0.5V-4.5M4.5 3V-4.5" fill="none" stroke={fill} strokeWidth={2.4} />
      )}
      {type === "single" && <path d="M0-5 5 0 0 5-5 0Z" fill={fill} />}
      {pale && <path d="M-7 5 7-5" className="stroke-ink" />}
    </g>
  );
}

export function MarkIcon({ type, pale = false }: { type: Type; pale?: boolean }) {
  return (
    <svg width={15} height={11} viewBox="0 0 14 10" aria-hidden="true" className="inline-block align-middle">
      <Mark type={type} pale={pale} />
    </svg>
  );
}

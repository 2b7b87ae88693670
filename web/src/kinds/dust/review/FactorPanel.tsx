import { number } from "@/ui/format";
import type { Run } from "./runs";

const [WIDE, LEFT, TALL] = [250, 52, 92];

/** What one factor does to a run: as it was read and as it counts, on one scale, with the guideline across. */
export function FactorPanel({
  run,
  factor,
  onRecorder,
  guideline,
  onFilter,
}: {
  run: Run;
  factor: number;
  onRecorder: number;
  guideline: number | null;
  /** Asks for a factor from a filter; without it none can be kept here. */
  onFilter?: (() => void) | undefined;
}) {
  const { low, mean, high } = run;
  if (low === null || mean === null || high === null) return null;
  const rows = [
    { words: "as read", by: 1 / factor, stretches: run.asRead },
    { words: `× ${number(factor, 2)}`, by: 1, stretches: run.above },
  ];
  const top = Math.max(high, high / factor, guideline ?? 0) * 1.05;
  const x = (value: number) => LEFT + (Math.max(value, 0) / top) * (WIDE - LEFT - 6);
  return (
    <section aria-label="What the factor does" className="text-[13px]">
      <h2 className="pb-0.5">
        {run.asRead === run.above
          ? "Factor"
          : `As read ${run.asRead ?? "–"} stretches, with the factor ${run.above ?? "–"}`}
      </h2>
      <p className="text-soft">
        on the recorder {number(onRecorder, 2)}, applied here{" "}
        <b className="font-semibold text-ink">{number(factor, 2)}</b>
        {onFilter && (
          <>
            {" "}
            <button type="button" className="min-h-6 text-act hover:underline" onClick={onFilter}>
              from a filter …
            </button>
          </>
        )}
      </p>
      {factor !== 1 && (
        <svg
          viewBox={`0 0 ${WIDE} ${TALL}`}
          className="block w-full max-w-[340px]"
          role="img"
          aria-label={`mean as read ${number(mean / factor, 3)}, with the factor ${number(mean, 3)} mg/m³`}
        >
          {rows.map(({ words, by, stretches }, i) => {
            const y = 18 + i * 32;
            return (
              <g key={words}>
                <text x={0} y={y + 9} className="fill-ink font-narrow text-[11.5px]">
                  {words}
                </text>
                <rect
                  x={x(low * by)}
                  y={y + 2}
                  width={Math.max(x(high * by) - x(low * by), 1)}
                  height={7}
                  rx={3}
                  className={i ? "fill-act" : "fill-soft"}
                  opacity={0.45}
                />
                <rect x={x(mean * by) - 1.5} y={y - 1} width={3} height={13} className="fill-ink" />
                <text x={WIDE} y={y - 5} textAnchor="end" className="fill-soft font-narrow text-[11px]">
                  {stretches ?? "–"} {stretches === 1 ? "stretch" : "stretches"}, mean {number(mean * by, 3)}
                </text>
              </g>
            );
          })}
          {guideline !== null && (
            <>
              <line
                x1={x(guideline)}
                x2={x(guideline)}
                y1={4}
                y2={TALL - 14}
                className="stroke-ink"
                strokeDasharray="4 3"
              />
              <text x={x(guideline)} y={TALL - 3} textAnchor="middle" className="fill-ink font-narrow text-[11px]">
                {number(guideline, 3)}
              </text>
            </>
          )}
          <text x={WIDE} y={TALL - 3} textAnchor="end" className="fill-soft font-narrow text-[11px]">
            mg/m³
          </text>
        </svg>
      )}
    </section>
  );
}

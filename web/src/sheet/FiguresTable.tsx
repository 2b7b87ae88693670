import { Verdict } from "@/ui/basics";
import { percent } from "@/ui/format";
import { type Assessed, type Assessment, type Figure, figureOf } from "./assessed";
import { judgementOf, stated, unitOf } from "./KeyFigures";

/** Every figure, as reviewed (or supposed) and, where it differs, as recorded (or as it is), with its limits, verdict and why. */
export function FiguresTable({
  review,
  supposed = null,
  onWhy,
  compact = false,
}: {
  review: Assessed;
  /** Shown in place of what is, while something is only supposed. */
  supposed?: Assessment | null;
  onWhy: (figure: Figure) => void;
  /** Narrow: units stand in the names, the words of a verdict give way to its step, a click on a name says why. */
  compact?: boolean;
}) {
  const reviewed = supposed ?? review.reviewed;
  const recorded = supposed ? review.reviewed : review.recorded;
  const [heading, besideHeading] = supposed ? ["would be", "now"] : ["as reviewed", "as recorded"];
  const limited = new Set(reviewed.judgements.map((j) => j.figure));
  const figures = [...reviewed.figures].sort((a, b) => Number(limited.has(b.key)) - Number(limited.has(a.key)));
  const differ = reviewed.figures.some((f) => stated(figureOf(recorded, f.key)) !== stated(f));
  return (
    <table className="w-full text-[13.5px]">
      <thead className="text-left font-narrow text-[12.5px] text-soft">
        <tr>
          <th className="py-1 font-medium">Figure</th>
          <th className="whitespace-nowrap pl-2 text-right font-medium">{differ || supposed ? heading : "Value"}</th>
          {differ && <th className="whitespace-nowrap pl-2 text-right font-medium">{besideHeading}</th>}
          {!compact && <th className="pl-1.5 font-medium">Unit</th>}
          <th className="pl-2 text-right font-medium">Limit</th>
          {!compact && <th className="pl-2 text-right font-medium">Coverage</th>}
          <th className={`${compact ? "pl-2.5" : "pl-4"} font-medium`}>Verdict</th>
          {!compact && <th />}
        </tr>
      </thead>
      <tbody>
        {figures.map((f) => {
          const judgement = judgementOf(reviewed, f);
          return (
            <tr key={f.key} className="border-hair border-t">
              <td className="py-1 pr-2">
                {compact ? (
                  <button
                    type="button"
                    className="text-left hover:text-act hover:underline"
                    title={f.note || "Why this number?"}
                    onClick={() => onWhy(f)}
                  >
                    {f.name}
                    {f.state && <b className="font-medium">: {f.state}</b>}
                    {f.unit && <span className="text-soft">, {unitOf(f)}</span>}
                    <span className="sr-only">, why?</span>
                  </button>
                ) : (
                  <>
                    {f.name}
                    {f.state && <b className="font-medium">: {f.state}</b>}
                  </>
                )}
              </td>
              <td className="text-right font-narrow font-semibold">{stated(f)}</td>
              {differ && <td className="text-right text-soft">{stated(figureOf(recorded, f.key))}</td>}
              {!compact && <td className="pl-1.5 text-soft">{unitOf(f)}</td>}
              <td className="whitespace-nowrap pl-2 text-right">
                {judgement?.steps.map((s) => s.value).join(", ") ?? ""}
              </td>
              {!compact && <td className="pl-2 text-right text-soft">{percent(f.coverage)}</td>}
              <td className={compact ? "pl-2.5" : "pl-4"}>
                {judgement ? (
                  <Verdict verdict={judgement.verdict} words={judgement.words} />
                ) : (
                  <span className="text-soft">{compact ? "no limit" : f.note}</span>
                )}
              </td>
              {!compact && (
                <td className="text-right">
                  <button
                    type="button"
                    className="px-1 text-act hover:underline"
                    onClick={() => onWhy(f)}
                    aria-label={`Why ${f.name}?`}
                  >
                    why?
                  </button>
                </td>
              )}
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

import { Verdict } from "@/ui/basics";
import { percent } from "@/ui/format";
import { type Assessed, type Figure, figureOf } from "./assessed";
import { judgementOf, stated } from "./KeyFigures";

/** Every figure, as reviewed and (where it differs) as recorded, with its limits, verdict and why. */
export function FiguresTable({ review, onWhy }: { review: Assessed; onWhy: (figure: Figure) => void }) {
  const { reviewed, recorded } = review;
  const differ = reviewed.figures.some((f) => stated(figureOf(recorded, f.key)) !== stated(f));
  return (
    <table className="w-full text-[13.5px]">
      <thead className="text-left font-narrow text-[12.5px] text-soft">
        <tr>
          <th className="py-1 font-medium">Figure</th>
          <th className="whitespace-nowrap pl-2 text-right font-medium">{differ ? "as reviewed" : "Value"}</th>
          {differ && <th className="whitespace-nowrap pl-2 text-right font-medium">as recorded</th>}
          <th className="pl-1.5 font-medium">Unit</th>
          <th className="pl-2 text-right font-medium">Limit</th>
          <th className="pl-2 text-right font-medium">Coverage</th>
          <th className="pl-4 font-medium">Verdict</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {reviewed.figures.map((f) => {
          const judgement = judgementOf(reviewed, f);
          return (
            <tr key={f.key} className="border-hair border-t">
              <td className="py-1 pr-2">{f.name}</td>
              <td className="text-right font-narrow font-semibold">{stated(f)}</td>
              {differ && <td className="text-right text-soft">{stated(figureOf(recorded, f.key))}</td>}
              <td className="pl-1.5 text-soft">{f.unit}</td>
              <td className="whitespace-nowrap pl-2 text-right">
                {judgement?.steps.map((s) => s.value).join(", ") ?? ""}
              </td>
              <td className="pl-2 text-right text-soft">{percent(f.coverage)}</td>
              <td className="pl-4">
                {judgement ? (
                  <Verdict verdict={judgement.verdict} words={judgement.words} />
                ) : (
                  <span className="text-soft">{f.note}</span>
                )}
              </td>
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
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

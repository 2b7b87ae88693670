import { Verdict } from "@/ui/basics";
import { percent } from "@/ui/format";
import { type Assessed, type Assessment, type Figure, figureOf } from "./assessed";
import { judgementOf, stated, unitOf } from "./KeyFigures";

/** What figures repeat over, a column for each member; a click on a number says why. */
function SideBySide({
  by,
  reviewed,
  recorded,
  besideHeading,
  onWhy,
}: {
  by: string;
  reviewed: Assessment;
  recorded: Assessment;
  besideHeading: string;
  onWhy: (figure: Figure) => void;
}) {
  const of = new Map<string, Map<string, Figure>>();
  const members = new Set<string>();
  for (const figure of reviewed.figures) {
    if (figure.over?.by !== by) continue;
    const { measure, member } = figure.over;
    of.set(measure, (of.get(measure) ?? new Map()).set(member, figure));
    members.add(member);
  }
  return (
    <div className="mt-3 overflow-x-auto">
      <table className="w-full text-[13.5px]">
        <thead className="font-narrow text-[12.5px] text-soft">
          <tr className="align-bottom">
            <th className="py-1 text-left font-medium">By {by}</th>
            {[...members].map((member) => (
              <th key={member} className="max-w-36 pl-3 text-right font-medium">
                {member}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {[...of].map(([measure, found]) => {
            const units = new Set([...found.values()].map(unitOf));
            const [unit = ""] = units;
            return (
              <tr key={measure} className="border-hair border-t">
                <td className="py-0.5 pr-2">
                  {measure}
                  {units.size === 1 && unit && <span className="text-soft">, {unit}</span>}
                </td>
                {[...members].map((member) => {
                  const figure = found.get(member);
                  if (!figure)
                    return (
                      <td key={member} className="text-right text-soft">
                        –
                      </td>
                    );
                  const before = stated(figureOf(recorded, figure.key));
                  const judgement = judgementOf(reviewed, figure);
                  return (
                    <td key={member} className="whitespace-nowrap pl-3 text-right">
                      {judgement && judgement.verdict !== "within" && (
                        <Verdict verdict={judgement.verdict} words={judgement.words} bare />
                      )}{" "}
                      <button
                        type="button"
                        className="min-h-6 font-narrow font-semibold hover:text-act hover:underline"
                        title={[
                          figure.note || judgement?.words,
                          before !== stated(figure) && `${besideHeading} ${before}`,
                          "Why this number?",
                        ]
                          .filter(Boolean)
                          .join("; ")}
                        onClick={() => onWhy(figure)}
                      >
                        {stated(figure)}
                        {units.size > 1 && <span className="font-medium text-soft"> {unitOf(figure)}</span>}
                      </button>
                      {before !== stated(figure) && <span className="ml-1 text-[12px] text-soft">({before})</span>}
                    </td>
                  );
                })}
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}

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
  const repeating = [...new Set(reviewed.figures.flatMap((f) => (f.over ? [f.over.by] : [])))];
  const alone = reviewed.figures.filter((f) => !f.over || limited.has(f.key));
  const figures = [...alone].sort((a, b) => Number(limited.has(b.key)) - Number(limited.has(a.key)));
  const differ = reviewed.figures.some((f) => stated(figureOf(recorded, f.key)) !== stated(f));
  return (
    <>
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
            {!compact && (
              <th>
                <span className="sr-only">Why</span>
              </th>
            )}
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
                      className="min-h-6 min-w-6 px-1 text-act hover:underline"
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
      {repeating.map((by) => (
        <SideBySide
          key={by}
          by={by}
          reviewed={reviewed}
          recorded={recorded}
          besideHeading={besideHeading}
          onWhy={onWhy}
        />
      ))}
    </>
  );
}

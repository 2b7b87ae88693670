import { Verdict } from "@/ui/basics";
import { hoursMinutes, number, percent, unitWords } from "@/ui/format";
import type { Assessed, Assessment, Figure } from "./assessed";
import { figureOf } from "./assessed";

/** Whole seconds from two minutes on are read as minutes. */
const LONG_S = 120;
const isLong = (figure: Figure) =>
  figure.unit === "s" && figure.decimals === 0 && figure.value !== null && figure.value >= LONG_S;

/** How a figure stands: hours as h:mm, long times as min:s, everything else with its decimals. */
export function stated(figure: Figure | undefined): string {
  if (!figure || figure.value === null) return "–";
  if (isLong(figure))
    return `${Math.floor(figure.value / 60)}:${String(Math.round(figure.value % 60)).padStart(2, "0")}`;
  return figure.unit === "h" ? hoursMinutes(figure.value * 3600) : number(figure.value, figure.decimals);
}

/** The unit of what `stated` says. */
export const unitOf = (figure: Figure) => (isLong(figure) ? "min" : unitWords(figure.unit));

export function judgementOf(assessment: Assessment, figure: Figure) {
  return assessment.judgements.find((j) => j.figure === figure.key);
}

function KeyFigure({
  figure,
  before,
  now,
  assessment,
  name,
  onWhy,
}: {
  figure: Figure;
  before: Figure | undefined;
  /** The figure as it is, while another one is only supposed. */
  now: Figure | undefined;
  assessment: Assessment;
  name: string;
  onWhy: () => void;
}) {
  const judgement = judgementOf(assessment, figure);
  const { quality } = assessment;
  const isTime = figure.key === "measured" && figure.unit === "h";
  return (
    <button
      type="button"
      onClick={onWhy}
      title="Why this number?"
      className={`flex flex-col items-start justify-start px-3 py-2 text-left hover:bg-act-soft bg-panel ${now ? "shadow-[inset_0_3px_0_var(--act)]" : ""}`}
    >
      <span className="block max-w-full truncate font-medium font-narrow text-[12.5px] text-soft">{name}</span>
      <span className="block font-narrow font-semibold text-[27px] leading-[1.15]">
        {stated(figure)}
        <span className="ml-1 font-medium text-[14px] text-soft">
          {isTime ? `of ${hoursMinutes(quality.planned_s)} h` : unitOf(figure)}
        </span>
        {figure.state && <span className="ml-1.5 font-medium text-[15px]">{figure.state}</span>}
      </span>
      {isTime ? (
        <Verdict
          verdict={quality.findings.some((f) => f.code === "coverage") ? "not assessable" : "within"}
          words={`${percent(quality.coverage)} covered`}
        />
      ) : judgement ? (
        <span className={now ? "block max-w-full truncate" : undefined} title={now && judgement.words}>
          <Verdict verdict={judgement.verdict} words={judgement.words} />
        </span>
      ) : (
        <span className="font-narrow text-[13px] text-soft">{figure.note || "no limit in this set"}</span>
      )}
      {/* The line is always there, so that nothing moves when it is needed. */}
      <span className={`block min-h-[18px] font-narrow text-[12.5px] ${now ? "text-act" : "text-soft"}`}>
        {now
          ? stated(now) === stated(figure)
            ? "would stay so"
            : `would be so; now ${stated(now)} ${unitOf(now)}`
          : before && stated(before) !== stated(figure)
            ? `as recorded ${stated(before)}`
            : ""}
      </span>
    </button>
  );
}

/** As many columns as there are figures: none stands empty. */
const COLUMNS = ["", "grid-cols-1", "min-[900px]:grid-cols-2", "min-[900px]:grid-cols-3", "min-[900px]:grid-cols-4"];

/** The four figures that matter first, those with limits before the others; a click says why. */
export function KeyFigures({
  review,
  supposed = null,
  nameOf,
  onWhy,
}: {
  review: Assessed;
  /** Shown in place of what is, while something is only supposed. */
  supposed?: Assessment | null;
  nameOf?: (figure: Figure) => string;
  onWhy: (figure: Figure) => void;
}) {
  const { reviewed, recorded } = review;
  const figures = reviewed.key_figures
    .map((key) => figureOf(reviewed, key))
    .filter((f): f is Figure => f !== undefined)
    .slice(0, 4);
  return (
    <div
      className={`mt-2.5 grid grid-cols-2 gap-px overflow-hidden rounded-lg border border-line bg-line ${COLUMNS[figures.length] ?? ""} max-[899px]:[&>:last-child:nth-child(odd)]:col-span-2`}
    >
      {figures.map((f) => (
        <KeyFigure
          key={f.key}
          figure={(supposed && figureOf(supposed, f.key)) ?? f}
          before={figureOf(recorded, f.key)}
          now={supposed ? f : undefined}
          assessment={supposed ?? reviewed}
          name={nameOf?.(f) ?? f.name}
          onWhy={() => onWhy(f)}
        />
      ))}
    </div>
  );
}

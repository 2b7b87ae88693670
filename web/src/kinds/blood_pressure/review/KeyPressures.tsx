import { type Assessed, type Assessment, type Figure, figureOf } from "@/sheet/assessed";
import { judgementOf } from "@/sheet/KeyFigures";
import { Verdict, type VerdictWord } from "@/ui/basics";
import { number } from "@/ui/format";

const PERIODS = [
  ["all", "24 h mean"],
  ["awake", "Awake"],
  ["asleep", "Asleep"],
] as const;
const ORDER: VerdictWord[] = ["within", "action level reached", "above limit", "not assessable"];

const whole = (figure: Figure | undefined) => (figure?.value == null ? "–" : number(figure.value, 0));

/** The verdict of both means of a period, in few words: "over 130/80 by 10/6". */
function pairVerdict(found: Assessment, period: string): { verdict: VerdictWord; words: string } {
  const pair = ["systolic", "diastolic"].map((q) => figureOf(found, `${period}.${q}.mean`));
  const judged = pair.map((f) => f && judgementOf(found, f));
  const there = judged.filter((j) => j !== undefined);
  if (there.length === 0) return { verdict: "", words: "no limit in this set" };
  const verdict = there.map((j) => j.verdict).sort((a, b) => ORDER.indexOf(b) - ORDER.indexOf(a))[0] ?? "";
  const limits = judged.map((j) => (j?.limit == null ? "–" : number(j.limit, 0))).join("/");
  // Why not stands above, and beside; here it would stand three times.
  if (verdict === "not assessable") return { verdict, words: "not assessable" };
  if (verdict === "within") return { verdict, words: `below ${limits}` };
  const reached = judged.flatMap((j, i) => {
    const value = pair[i]?.value;
    if (!j || j.verdict === "within" || j.limit === null || value == null) return [];
    return [{ name: ["systolic", "diastolic"][i], limit: j.limit, by: Math.round(value) - j.limit }];
  });
  const by = reached.map((r) => number(r.by, 0)).join("/");
  if (reached.length === 2) return { verdict, words: `reaches ${limits}, by ${by}` };
  const one = reached[0];
  return { verdict, words: one ? `${one.name} reaches ${one.limit}${one.by > 0 ? `, by ${by}` : ""}` : "" };
}

/** The dip with its class: normal within 10 to 20 %. */
function dipVerdict(found: Assessment, figure: Figure | undefined): { verdict: VerdictWord; words: string } {
  if (found.verdict === "not assessable" && found.quality.findings.some((f) => f.blocks))
    return { verdict: "not assessable", words: "too few readings to say" };
  if (figure?.value == null) return { verdict: "not assessable", words: figure?.note || "not assessable" };
  return figure.state === "normal"
    ? { verdict: "within", words: "normal, 10 to 20 %" }
    : { verdict: "action level reached", words: `${figure.state}, normal 10 to 20 %` };
}

/** What matters first: the means of the day, of waking and sleep, and the fall at night; a click says why. */
export function KeyPressures({
  review,
  supposed,
  onWhy,
}: {
  review: Assessed;
  /** Shown in place of what is, while something is only supposed. */
  supposed: Assessment | null;
  onWhy: (figure: Figure) => void;
}) {
  const found = supposed ?? review.reviewed;
  const now = supposed ? review.reviewed : null;
  const of = (key: string, from: Assessment = found) => figureOf(from, key);
  const pair = (period: string, from: Assessment) =>
    `${whole(of(`${period}.systolic.mean`, from))}/${whole(of(`${period}.diastolic.mean`, from))}`;
  const cell =
    "flex min-w-0 flex-col items-start bg-panel px-3 py-2 text-left hover:bg-act-soft data-supposed:shadow-[inset_0_3px_0_var(--act)]";
  const dip = of("dip.systolic");
  const line = (then: string, is: string) =>
    now && then !== is ? <span className="text-act">would be so; now {is}</span> : null;
  return (
    <div className="mt-2.5 grid grid-cols-2 gap-px overflow-hidden rounded-lg border border-line bg-line min-[900px]:grid-cols-4">
      {PERIODS.map(([period, name]) => {
        const { verdict, words } = pairVerdict(found, period);
        const valid = of(`${period}.valid`)?.value;
        const load = ["systolic", "diastolic"].map((q) => whole(of(`${period}.${q}.load`))).join(" / ");
        const weighted = ["systolic", "diastolic"].map((q) => whole(of(`all.${q}.weighted`))).join("/");
        const shown = pair(period, found);
        const figure = of(`${period}.systolic.mean`);
        const changed = now ? line(shown, pair(period, now)) : null;
        return (
          <button
            key={period}
            type="button"
            title="Why this number?"
            data-supposed={now ? true : undefined}
            className={cell}
            onClick={() => figure && onWhy(figure)}
          >
            <span className="max-w-full truncate font-medium font-narrow text-[12.5px] text-soft">
              {name}
              {valid != null && `, ${number(valid, 0)} readings`}
            </span>
            <span className="font-narrow font-semibold text-[27px] leading-[1.15]">
              {shown}
              <span className="ml-1 font-medium text-[14px] text-soft">mmHg</span>
            </span>
            <span className="block max-w-full leading-[1.15]">
              <Verdict verdict={verdict} words={words} />
            </span>
            <span className="block max-w-full truncate font-narrow text-[12.5px] text-soft">
              {changed ?? (period === "all" ? `weighted by time ${weighted}` : `load ${load} %`)}
            </span>
          </button>
        );
      })}
      <button
        type="button"
        title="Why this number?"
        data-supposed={now ? true : undefined}
        className={cell}
        onClick={() => dip && onWhy(dip)}
      >
        <span className="max-w-full truncate font-medium font-narrow text-[12.5px] text-soft">
          Dip in sleep, systolic
        </span>
        <span className="font-narrow font-semibold text-[27px] leading-[1.15]">
          {dip?.value == null ? "–" : number(dip.value, 1)}
          <span className="ml-1 font-medium text-[14px] text-soft">%</span>
        </span>
        <span className="block max-w-full leading-[1.15]">
          <Verdict {...dipVerdict(found, dip)} />
        </span>
        <span className="block max-w-full truncate font-narrow text-[12.5px] text-soft">
          {(now && line(number(dip?.value, 1), `${number(of("dip.systolic", now)?.value, 1)} %`)) ??
            `diastolic ${number(of("dip.diastolic")?.value, 1)} %, pulse ${number(of("dip.pulse")?.value, 1)} %`}
        </span>
      </button>
    </div>
  );
}

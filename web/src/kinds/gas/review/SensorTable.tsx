import type { Schemas } from "@/api/client";
import type { Assessed, Assessment, Figure } from "@/sheet/assessed";
import { figureOf, settingOf } from "@/sheet/assessed";
import type { SheetActions } from "@/sheet/contract";
import { stated } from "@/sheet/KeyFigures";
import { Verdict, type VerdictWord } from "@/ui/basics";
import { number, unitWords } from "@/ui/format";
import { alikeOf, type Of, of, sensorsOf, short } from "./sensors";

const WORST: VerdictWord[] = ["above limit", "action level reached", "not assessable", "within"];
const SOFT = "text-soft";

/** Number of a figure, pressed to say why; with a mark where it is projected or only the least. */
function Value({ of: { figure }, onWhy }: { of: Of; onWhy: (figure: Figure) => void }) {
  if (!figure || figure.value === null)
    return (
      <span className={SOFT} title={figure?.note}>
        –
      </span>
    );
  const projected = /projected/.test(figure.note);
  const least = /at least/.test(figure.note);
  return (
    <button
      type="button"
      className="min-h-6 font-narrow font-semibold hover:text-act hover:underline"
      title={figure.note ? `${figure.note}; why this number?` : "Why this number?"}
      onClick={() => onWhy(figure)}
    >
      {least ? "> " : ""}
      {stated(figure)}
      {projected && <span className="font-medium text-soft">*</span>}
    </button>
  );
}

const limitOf = ({ judgement }: Of) => {
  const step = judgement?.steps.findLast((s) => s.verdict === "above limit") ?? judgement?.steps.at(-1);
  return step ? number(step.value, String(step.value).split(".")[1]?.length ?? 0) : "–";
};

interface Props {
  kind: Schemas["Kind"];
  review: Assessed;
  /** What is shown: what is, or what is only supposed. */
  shown: Assessment;
  actions: SheetActions;
  locked: boolean;
  onWhy: (figure: Figure) => void;
}

/** Each sensor in one row: means against their limits, extreme, alarms with their minutes, verdict; those that act alike added up. */
export function SensorTable({ kind, review, shown, actions, locked, onWhy }: Props) {
  const sensors = sensorsOf(review);
  const projected = shown.figures.some((f) => /projected/.test(f.note));
  return (
    <div>
      <div className="overflow-x-auto">
        <table className="w-full text-[13.5px]">
          <thead className="font-narrow text-[12.5px] text-soft">
            <tr className="whitespace-nowrap text-right align-bottom [&>th]:px-1 [&>th]:py-1 [&>th]:font-medium">
              <th className="text-left">Sensor</th>
              <th>8-h mean</th>
              <th>limit</th>
              <th>15 min</th>
              <th>limit</th>
              <th>extreme</th>
              <th title="alarms, and for how many minutes">alarms</th>
              <th>min</th>
              <th className="text-left">Verdict</th>
            </tr>
          </thead>
          <tbody>
            {sensors.map((sensor) => {
              const gas = sensor.key;
              const [twa, stel] = [of(shown, gas, "twa_shift"), of(shown, gas, "stel")];
              const [lowest, peak] = [of(shown, gas, "lowest"), of(shown, gas, "peak")];
              const extreme = gas === "o2" ? lowest : peak;
              const inAlarm = ["above_low", "above_high"].map((key) => of(shown, gas, key).figure?.value ?? 0);
              const mine = shown.judgements.filter((j) => j.figure.split(".")[0] === gas);
              const worst = WORST.find((verdict) => mine.some((j) => j.verdict === verdict));
              const lead = mine.find((j) => j.verdict === worst);
              const unit = review.channels.find((c) => c.key === `${gas}.avg`)?.unit ?? "";
              return (
                <tr key={gas} className="border-hair border-t text-right [&>td]:px-1 [&>td]:py-0.5">
                  <th scope="row" className="whitespace-nowrap px-1 text-left font-semibold">
                    {sensor.name} <span className="font-normal text-soft">{unitWords(unit)}</span>
                  </th>
                  <td>
                    <Value of={twa} onWhy={onWhy} />
                  </td>
                  <td className={SOFT}>{limitOf(twa)}</td>
                  <td>
                    <Value of={stel} onWhy={onWhy} />
                  </td>
                  <td className={SOFT}>{limitOf(stel)}</td>
                  <td className="whitespace-nowrap">
                    <Value of={extreme} onWhy={onWhy} />
                    {gas === "o2" && <span className={SOFT}> low</span>}
                  </td>
                  <td>{of(shown, gas, "alarms").figure?.value ?? "–"}</td>
                  <td>{inAlarm[0] || inAlarm[1] ? number((inAlarm[0] ?? 0) + (inAlarm[1] ?? 0), 0) : "–"}</td>
                  <td className="whitespace-nowrap text-left">
                    {sensor.isOff ? (
                      <Verdict verdict="not assessable" words="off" />
                    ) : worst ? (
                      <span title={lead?.words}>
                        <Verdict
                          verdict={worst}
                          words={worst === "not assessable" ? "not assessable" : wordsOf(worst, gas, lead?.figure)}
                        />
                      </span>
                    ) : (
                      <span className={SOFT}>no limit in this set</span>
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      {projected && (
        <p className="pt-1 text-[12.5px] text-soft">
          * projected: minutes that were not logged count as the mean of the rest
        </p>
      )}
      <Together kind={kind} review={review} shown={shown} actions={actions} locked={locked} onWhy={onWhy} />
    </div>
  );
}

function wordsOf(verdict: VerdictWord, gas: string, figure: string | undefined): string {
  if (verdict === "within") return "within";
  if (gas === "o2") return figure?.endsWith("lowest") ? "too low" : "too high";
  return verdict === "above limit" ? "above" : "action level";
}

/** Gases that act alike: their shares of the limit, added up; which ones is chosen here. */
function Together({ kind, review, shown, actions, locked, onWhy }: Props) {
  const set = String(settingOf(review, "additive") ?? "");
  const chosen = set
    .split(",")
    .map((key) => key.trim())
    .filter(Boolean);
  const can = sensorsOf(review)
    .filter((each) => !each.isOff && of(shown, each.key, "twa_shift").judgement)
    .map((each) => each.key);
  const index = figureOf(shown, "additive_index");
  if (can.length < 2) return null;
  const put = (gases: string[]) => void actions.set("additive", gases.length ? gases.join(",") : null);
  const alike = alikeOf(kind)
    .map(([words, gases]) => [words, gases.filter((gas) => can.includes(gas))] as const)
    .filter(([, gases]) => gases.length > 1);
  const mixed = shown.quality.findings.find((each) => each.code === "not-alike");
  return (
    <section aria-label="Acting together" className="mt-2 border-hair border-t pt-1.5 text-[13px]">
      <span className="flex flex-wrap items-center gap-1.5">
        <b className="font-narrow font-semibold">Acting together</b>
        {can.map((gas) => (
          <button
            key={gas}
            type="button"
            aria-pressed={chosen.includes(gas)}
            disabled={locked}
            className={`min-h-6 rounded-full border px-2.5 ${chosen.includes(gas) ? "border-act bg-act-soft" : "border-line hover:bg-hair"}`}
            onClick={() => put(chosen.includes(gas) ? chosen.filter((each) => each !== gas) : [...chosen, gas])}
          >
            {short(gas)}
          </button>
        ))}
        {!locked &&
          chosen.length === 0 &&
          alike.map(([words, gases]) => (
            <button
              key={words}
              type="button"
              className="min-h-6 text-act hover:underline"
              onClick={() => put([...gases])}
            >
              {gases.map(short).join(", ")}: {words}
            </button>
          ))}
        {index && index.value !== null && (
          <span className="ml-auto">
            {index.why.numbers.map((n) => number(n.value, 2)).join(" + ")} ={" "}
            <button type="button" className="font-semibold hover:underline" onClick={() => onWhy(index)}>
              {stated(index)}
            </button>{" "}
            of 1{" "}
            <Verdict
              verdict={index.value > 1 ? "above limit" : "within"}
              words={index.value > 1 ? "above 1" : "within"}
              bare
            />
          </span>
        )}
        {index && index.value === null && <span className={`ml-auto ${SOFT}`}>{index.note || "not known"}</span>}
      </span>
      {mixed && <p className={`pt-0.5 text-[12.5px] ${SOFT}`}>{mixed.text}.</p>}
    </section>
  );
}

import { fixed } from "@/ui/format";
import { type LapSheet, type Loss, lapTime, referenceName, type Span } from "./laps";

export const spanOf = (loss: Loss): Span => [loss.stretch.from_m, loss.stretch.to_m];

/** Where a lap loses time against another, the most first; a row shows its stretch on the course and in the lanes. */
export function LossList({
  sheet,
  whose = "",
  chosen,
  onChoose,
}: {
  sheet: LapSheet;
  /** Whose lap the reference is, when it is one of another session. */
  whose?: string;
  chosen: Span | null;
  onChoose: (span: Span | null) => void;
}) {
  const { lost } = sheet;
  if (!lost || (!whose && sheet.lap === sheet.reference))
    return (
      <p className="px-2.5 py-2 text-[13px] text-soft">
        {sheet.why_not
          ? `${sheet.why_not.charAt(0).toUpperCase()}${sheet.why_not.slice(1)}.`
          : "This is the reference itself: choose another lap below to compare it."}
      </p>
    );
  const { rows, elsewhere_s: rest } = lost;
  return (
    <>
      <h2 className="flex items-baseline gap-2 px-2.5 pt-2 pb-1.5 font-narrow font-semibold text-[13.5px]">
        {lost.lost_s < 0 ? "Time gained" : "Time lost"} on lap {lost.lap} against {referenceName(sheet, whose)}
        <span className="ml-auto whitespace-nowrap text-[15px]">{fixed(Math.abs(lost.lost_s), 2)} s</span>
      </h2>
      <ul>
        {rows.map((loss) => {
          const mine = chosen !== null && chosen[0] === loss.stretch.from_m;
          return (
            <li key={loss.stretch.from_m} className="border-hair border-t">
              <button
                type="button"
                aria-pressed={mine}
                className={`flex min-h-[43px] w-full items-center gap-2 border-l-3 px-2 py-1 text-left ${mine ? "border-act bg-act-soft" : "border-transparent hover:bg-act-soft"}`}
                onClick={() => onChoose(mine ? null : spanOf(loss))}
                onKeyDown={(e) => e.key === "Escape" && onChoose(null)}
              >
                <span className="w-6 font-narrow font-semibold text-[17px]">{loss.stretch.corner}</span>
                <span className="min-w-0 flex-1 text-[13px] leading-tight">
                  <b className="font-medium">
                    Corner {loss.stretch.corner}, {loss.stretch.part}
                  </b>
                  <span className="block text-[12.5px] text-soft">{loss.reason}</span>
                </span>
                <span className="shrink-0 text-right leading-tight">
                  <b className="font-narrow font-semibold text-[15px]">{fixed(loss.lost_s, 2)} s</b>
                  <span className="block text-[12px] text-soft">
                    {loss.laps} of {loss.of} laps
                  </span>
                </span>
              </button>
            </li>
          );
        })}
        {rows.length === 0 && <li className="border-hair border-t px-2.5 py-2 text-[13px]">Nowhere slower.</li>}
        {lost.unknown.map((each) => (
          <li key={each.from_m} className="border-hair border-t px-2.5 py-1.5 pl-10 text-[13px] text-soft">
            Corner {each.corner}, {each.part}: not assessable, no positions
          </li>
        ))}
        <li className="flex border-hair border-t px-2.5 py-1.5 pl-10 text-[13px] text-soft">
          everywhere else
          <span className="ml-auto font-medium text-ink">
            {rest < 0 ? `gained ${fixed(-rest, 2)}` : fixed(rest, 2)} s
          </span>
        </li>
      </ul>
      <p className="sr-only">
        Lap {lost.lap} took {lapTime(sheet.laps.find((l) => l.number === lost.lap)?.time_s ?? 0)}.
      </p>
    </>
  );
}

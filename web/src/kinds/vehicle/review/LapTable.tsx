import { Fragment, useRef } from "react";
import { readUnit, readValue } from "@/api/readers";
import { fixed } from "@/ui/format";
import { ReasonChips } from "@/ui/reason";
import { type LapRow, type LapSheet, lapTime, referenceName, signed } from "./laps";

const key = "rounded border border-line bg-panel px-1 font-narrow text-[12px] hover:bg-act-soft";

/** However many laps there are, the two that are compared stay in sight. */
const STAYS = {
  reference: "sticky top-6 bottom-[27px] z-10 bg-panel pointer-coarse:bottom-[40px]",
  compared: "sticky top-[51px] bottom-0 z-10 bg-panel pointer-coarse:top-[64px]",
};

/** All laps with their sectors; R makes a lap the reference, C compares it, O lays it over as well, X leaves it out or counts it again. */
export function LapTable({
  sheet,
  whose = "",
  at,
  reasons,
  locked,
  onMove,
  onReference,
  onCompare,
  onOver,
  onLeaveOut,
  leaving,
  offered,
  onStay,
  onWhy,
}: {
  sheet: LapSheet;
  /** Whose lap the reference is, when it is one of another session. */
  whose?: string;
  /** The number of the lap that the keys are meant for. */
  at: number | null;
  /** Why laps were left out by hand, by their keys. */
  reasons: Map<string, string>;
  locked: boolean;
  onMove: (lap: number) => void;
  onReference: (lap: LapRow) => void;
  onCompare: (lap: LapRow) => void;
  onOver: (lap: LapRow) => void;
  onLeaveOut: (lap: LapRow) => void;
  /** The key of the lap that is to be left out, as soon as it is said why; the reasons that are offered. */
  leaving: string | null;
  offered: string[];
  onStay: () => void;
  onWhy: (lap: LapRow, reason: string) => void;
}) {
  const body = useRef<HTMLTableSectionElement>(null);
  const timed = sheet.laps.filter((l) => l.kind === "timed");
  const sectors = Math.max(0, ...timed.map((l) => l.sectors_s.length));
  const reference = (whose ? sheet.beside : timed).find((l) => l.number === sheet.reference);
  const rest = sheet.laps.filter((l) => l.kind !== "timed");
  const step = (by: number) => {
    const next = timed[timed.findIndex((l) => l.number === at) + by];
    if (!next) return;
    onMove(next.number);
    body.current?.querySelector<HTMLElement>(`[data-lap="${next.number}"]`)?.focus();
  };
  return (
    <>
      <div className="flex flex-wrap items-baseline gap-x-3 px-2.5 pt-2 pb-1 text-[13px]">
        <h2 className="font-narrow font-semibold">Laps</h2>
        <span className="text-soft">
          {rest.map((l) => `${l.kind} ${lapTime(l.time_s)}`).join(" and ")}
          {rest.length > 0 && " not listed"}
        </span>
        <span className="ml-auto text-soft">best sectors underlined</span>
      </div>
      <div className="max-h-[310px] overflow-auto">
        <table className="w-full border-collapse whitespace-nowrap text-[13px] tabular-nums">
          <thead className="sticky top-0 z-20 bg-panel text-right text-[12px] text-soft">
            <tr>
              <th className="px-2.5 text-left font-medium">Lap</th>
              <th className="px-2 font-medium">Time</th>
              {Array.from({ length: sectors }, (_, i) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: sectors never change places
                <th key={i} className="px-2 font-medium">
                  S{i + 1}, s
                </th>
              ))}
              <th className="px-2 font-medium">to {referenceName(sheet, whose)}, s</th>
              <th className="px-2 font-medium">Top, {readUnit("km/h")}</th>
              <th>
                <span className="sr-only">Part, and what to do</span>
              </th>
            </tr>
          </thead>
          <tbody ref={body}>
            {timed.map((lap) => {
              const here = lap.number === at;
              const role =
                !whose && lap.number === sheet.reference
                  ? "reference"
                  : lap.number === sheet.lap
                    ? "compared"
                    : undefined;
              const over = sheet.also.some((each) => each.session === null && each.lap === lap.number);
              return (
                <Fragment key={lap.key}>
                  <tr
                    data-lap={lap.number}
                    tabIndex={here || (at === null && lap === timed[0]) ? 0 : -1}
                    aria-selected={here}
                    className={`h-[27px] cursor-pointer border-hair border-t pointer-coarse:h-[40px] ${role ? STAYS[role] : ""} ${here ? "bg-act-soft outline-2 outline-act -outline-offset-2" : "hover:bg-act-soft"} ${lap.counts ? "" : "text-none"}`}
                    onFocus={() => onMove(lap.number)}
                    onClick={(e) => e.currentTarget.focus()}
                    onDoubleClick={() => onCompare(lap)}
                    onKeyDown={(e) => {
                      const press = e.key.toLowerCase();
                      if (e.ctrlKey || e.altKey || e.metaKey) return;
                      if (e.key === "ArrowDown") step(1);
                      else if (e.key === "ArrowUp") step(-1);
                      else if (press === "r" && !whose) onReference(lap);
                      else if (press === "c" || e.key === "Enter") onCompare(lap);
                      else if (press === "o") onOver(lap);
                      else if (press === "x" && !locked) onLeaveOut(lap);
                      else return;
                      e.preventDefault();
                      e.stopPropagation();
                    }}
                  >
                    <td className="px-2.5">{lap.number}</td>
                    <td className="px-2 text-right font-semibold">{lapTime(lap.time_s)}</td>
                    {Array.from({ length: sectors }, (_, i) => {
                      const time = lap.sectors_s[i];
                      return (
                        // biome-ignore lint/suspicious/noArrayIndexKey: sectors never change places
                        <td key={i} className="px-2 text-right">
                          <span className={lap.best[i] ? "border-ink border-b-3 border-double font-semibold" : ""}>
                            {time === null || time === undefined ? "–" : fixed(time, 2)}
                          </span>
                        </td>
                      );
                    })}
                    <td className="px-2 text-right">
                      {reference && lap !== reference ? signed(lap.time_s - reference.time_s) : ""}
                    </td>
                    <td className="px-2 text-right">
                      {lap.top_km_h === null ? "–" : fixed(readValue(lap.top_km_h, "km/h", 1), 1)}
                    </td>
                    <td className="w-full px-2 text-left">
                      {here ? (
                        <span className="flex gap-1">
                          {!whose && (
                            <button type="button" tabIndex={-1} className={key} onClick={() => onReference(lap)}>
                              <b className="font-semibold">R</b> reference
                            </button>
                          )}
                          <button type="button" tabIndex={-1} className={key} onClick={() => onCompare(lap)}>
                            <b className="font-semibold">C</b> compare
                          </button>
                          {!role && (
                            <button type="button" tabIndex={-1} className={key} onClick={() => onOver(lap)}>
                              <b className="font-semibold">O</b> {over ? "not over" : "over"}
                            </button>
                          )}
                          {!locked && (
                            <button type="button" tabIndex={-1} className={key} onClick={() => onLeaveOut(lap)}>
                              <b className="font-semibold">X</b> {lap.counts ? "leave out" : "count it"}
                            </button>
                          )}
                        </span>
                      ) : (
                        <span className="flex items-center gap-1.5">
                          {role && (
                            <span
                              className={`inline-block h-[3px] w-4 ${role === "reference" ? "bg-reference" : "bg-compared"}`}
                            />
                          )}
                          {!role && over && <span className="inline-block h-[2px] w-4 bg-none" />}
                          {role ??
                            (lap.counts
                              ? lap.unsure
                                ? "time unsure"
                                : ""
                              : `left out: ${reasons.get(lap.key) || lap.why}`)}
                        </span>
                      )}
                    </td>
                  </tr>
                  {leaving === lap.key && (
                    <tr>
                      <td colSpan={sectors + 5} className="px-2.5 pt-1">
                        <ReasonChips
                          label={`Why lap ${lap.number} does not count`}
                          reasons={offered}
                          onClose={onStay}
                          onReason={(reason) => onWhy(lap, reason)}
                        />
                      </td>
                    </tr>
                  )}
                </Fragment>
              );
            })}
          </tbody>
        </table>
      </div>
    </>
  );
}

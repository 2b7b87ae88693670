import { useEffect, useState } from "react";
import type { Schemas } from "@/api/client";
import { PickLanes } from "@/sheet/PickLanes";
import { fixed, quantity } from "@/ui/format";
import { type Over, placeAt, timeAt } from "./axis";
import { CourseView } from "./CourseView";
import { KeepCourse } from "./KeepCourse";
import { LapLanes } from "./LapLanes";
import { type Course, type LapSheet, placeWords, referenceName, type Span } from "./laps";
import { AlsoNames, PickLaps } from "./PickLaps";
import { useLook } from "./useLook";

const panel = "rounded-lg border border-line bg-panel";

/** The course and the lanes, which share one cursor; what stands beside them does not move with it. */
export function LapPictures({
  sheet,
  course,
  session,
  version,
  whose,
  drawn,
  span,
  zoomed,
  chosen,
  lanes,
  also,
  onAlso,
  nameOf,
  onCorner,
  onSpan,
}: {
  sheet: LapSheet;
  course: Course;
  session: Schemas["Session"];
  version: number;
  whose: string;
  /** Whether there is anything to draw over the course. */
  drawn: boolean;
  span: Span;
  zoomed: boolean;
  chosen: Span | null;
  /** Further lanes: those shown, and what changes them. */
  lanes: { shown: string[]; changed: boolean; pick: (keys: string[] | null) => void };
  /** Further laps, of this session and of others. */
  also: string[];
  onAlso: (also: string[]) => void;
  nameOf: (key: string, name: string) => string;
  onCorner: (corner: number) => void;
  /** Shows a stretch; nothing: the whole lap. */
  onSpan: (span: Span | null) => void;
}) {
  const [cursor, setCursor] = useState<number | null>(null);
  const look = useLook<Over>(session.tags.vehicle ?? "", "over", (kept) => (kept === "time" ? "time" : null));
  const over = look.value ?? "distance";
  const reference =
    over === "time" && cursor !== null && drawn
      ? placeAt(sheet.clock.reference, course.step_m, timeAt(sheet.clock.lap, course.step_m, cursor))
      : null;
  // What was chosen in the list is looked at in its middle.
  useEffect(() => {
    if (chosen) setCursor((chosen[0] + chosen[1]) / 2);
  }, [chosen]);
  return (
    <>
      <section aria-label="Course" className={`${panel} px-2 py-2`}>
        <div className="flex items-baseline gap-2 px-0.5 text-[13px]">
          <h2 className="font-narrow font-semibold">Course{sheet.lap ? `, lap ${sheet.lap}` : ""}</h2>
          <span className="ml-auto text-[12px] text-soft">
            <i className="mr-1 inline-block h-1.5 w-3.5 bg-lost align-middle" />
            lost
          </span>
          <span className="text-[12px] text-soft">
            <i className="mr-1 inline-block h-1.5 w-3.5 bg-gained align-middle" />
            gained
          </span>
        </div>
        {course.origin === "learnt" && sheet.lap !== null && <KeepCourse session={session.id} lap={sheet.lap} />}
        <div className="mx-auto max-w-[340px]">
          <CourseView
            sheet={sheet}
            course={course}
            chosen={chosen}
            cursor={cursor}
            reference={reference}
            onCursor={setCursor}
            onCorner={onCorner}
          />
        </div>
      </section>
      {drawn && (
        <section aria-label="Lap against lap" className={`${panel} min-w-0 px-2 py-2`}>
          <div className="flex flex-wrap items-baseline gap-x-3 px-0.5 text-[13px]">
            <h2 className="font-narrow font-semibold">Lap against lap</h2>
            <span>
              <i className="mr-1.5 inline-block h-[3px] w-4 bg-reference align-middle" />
              {referenceName(sheet, whose)}
              {whose ? "" : ", reference"}
            </span>
            {(whose || sheet.lap !== sheet.reference) && (
              <span>
                <i className="mr-1.5 inline-block h-[3px] w-4 bg-compared align-middle" />
                lap {sheet.lap}
              </span>
            )}
            <AlsoNames sheet={sheet} session={session} version={version} />
            {sheet.gaps.length > 0 && (
              <span>
                <svg width={16} height={10} className="mr-1 inline-block" aria-hidden="true">
                  <rect width={16} height={10} fill="url(#no-positions)" />
                </svg>
                no positions
              </span>
            )}
          </div>
          {/* A row of its own: where the cursor is said moves nothing when it comes. */}
          <div className="flex flex-wrap items-baseline gap-x-3 px-0.5 text-[13px]">
            <PickLanes
              channels={Object.entries(sheet.offered).map(([key, name]) => ({ key, name: nameOf(key, name) }))}
              shown={lanes.shown}
              changed={lanes.changed}
              words="more lanes"
              onPick={lanes.pick}
            />
            <PickLaps session={session} version={version} also={also} onAlso={onAlso} />
            <button
              type="button"
              className="min-h-6 text-act hover:underline"
              onClick={() => look.put(over === "time" ? "distance" : "time")}
            >
              over {over === "time" ? "distance" : "time"}
            </button>
            <span className="ml-auto text-soft">
              {cursor !== null && (
                <>
                  at{" "}
                  <b className="font-semibold text-ink">
                    {over === "time" && `${fixed(timeAt(sheet.clock.lap, course.step_m, cursor), 2)} s, `}
                    {quantity(cursor, "m")}
                  </b>
                  , {placeWords(sheet, cursor)}
                </>
              )}
            </span>
            {zoomed && (
              <button type="button" className="min-h-6 text-act hover:underline" onClick={() => onSpan(null)}>
                whole lap
              </button>
            )}
          </div>
          <LapLanes
            sheet={sheet}
            course={course}
            over={over}
            span={span}
            chosen={chosen}
            cursor={cursor}
            onCursor={setCursor}
            onSpan={onSpan}
          />
        </section>
      )}
    </>
  );
}

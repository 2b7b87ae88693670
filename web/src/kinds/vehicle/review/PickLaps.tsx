import { useQuery } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useState } from "react";
import type { Schemas } from "@/api/client";
import { Loading } from "@/ui/basics";
import { moment } from "@/ui/format";
import { shortName } from "./Compare";
import { alsoKey, type LapSheet, lapsOf, lapTime, MOST_ALSO, othersOf, strokeOf } from "./laps";

type Other = Schemas["OtherSession"];
interface Of {
  session: Schemas["Session"];
  version: number;
}

/** The further laps that lie over the two: how each is drawn, and whose it is. */
export function AlsoNames({ sheet, session, version }: Of & { sheet: LapSheet }) {
  const foreign = sheet.not_over.length > 0 || sheet.also.some((each) => each.session !== null);
  const others = useQuery({ ...othersOf(session.id, version), enabled: foreign });
  const whose = (id: number | null) => {
    const other = others.data?.find((each) => each.id === id);
    return other ? `${shortName(other, session.person)}, ` : "";
  };
  const laps = sheet.also.map((each, i) => (
    <span key={`${each.session} ${each.lap}`}>
      <svg width={18} height={4} className="mr-1 inline-block align-middle" aria-hidden="true">
        <line x1={0} x2={18} y1={2} y2={2} stroke="var(--none)" strokeWidth={1.6} strokeDasharray={strokeOf(i)} />
      </svg>
      {whose(each.session)}lap {each.lap}
    </span>
  ));
  return [
    ...laps,
    ...sheet.not_over.map((each) => (
      <span key={`not ${each.session}`} className="text-soft">
        {whose(each.session)}not laid over: {each.why}
      </span>
    )),
  ];
}

/** Which lap of another session: its best, or any. */
function LapOf({ other, value, onLap }: { other: Other; value: string; onLap: (lap: number | "best") => void }) {
  const laps = useQuery({ ...lapsOf(other.id, 0, null, null), staleTime: 30_000 });
  return (
    <select
      aria-label={`Lap of ${other.person || "nobody"}, ${moment(other.started_at, other.utc_offset_min)}`}
      className="ml-6 min-h-7 rounded-md border border-line bg-panel px-1"
      value={value}
      onChange={(e) => onLap(e.target.value === "best" ? "best" : Number(e.target.value))}
    >
      <option value="best">the best lap</option>
      {(laps.data?.laps ?? [])
        .filter((lap) => lap.kind === "timed")
        .map((lap) => (
          <option key={lap.number} value={lap.number}>
            lap {lap.number}, {lapTime(lap.time_s)}
          </option>
        ))}
    </select>
  );
}

/** Laps of other sessions on this course, of this driver and of others, to be laid over as well. */
export function PickLaps({
  session,
  version,
  also,
  onAlso,
}: Of & { also: string[]; onAlso: (also: string[]) => void }) {
  const [open, setOpen] = useState(false);
  const others = useQuery({ ...othersOf(session.id, version), enabled: open });
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger className="min-h-6 text-act hover:underline">more laps</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={6}
          aria-label="Laps of other sessions"
          className="z-40 max-h-[60vh] w-80 overflow-auto rounded-lg border border-line bg-panel p-3 text-[13px] shadow-xl"
        >
          <p className="pb-1.5 text-soft">
            Laps of this session: O in the list of laps. Of other sessions on this course:
          </p>
          {!others.data && <Loading what="the sessions on this course" />}
          {others.data?.length === 0 && <p>There is no other session on this course yet.</p>}
          {others.data?.map((other) => {
            const at = also.findIndex((each) => each.startsWith(`${other.id}:`));
            const mine = also[at];
            const put = (lap: number | "best") =>
              onAlso(also.map((each, i) => (i === at ? alsoKey(other.id, lap) : each)));
            return (
              <div key={other.id} className="py-0.5">
                <label className="flex min-h-7 items-center gap-2">
                  <input
                    type="checkbox"
                    checked={mine !== undefined}
                    disabled={other.best_s === null}
                    onChange={() =>
                      onAlso(
                        mine === undefined
                          ? [...also, alsoKey(other.id, "best")].slice(-MOST_ALSO)
                          : also.filter((each) => each !== mine),
                      )
                    }
                  />
                  <span className="min-w-0 flex-1 truncate">
                    {other.person || "nobody"}, {moment(other.started_at, other.utc_offset_min)}
                  </span>
                  <span className="text-soft">{other.best_s === null ? "no lap counts" : lapTime(other.best_s)}</span>
                </label>
                {mine !== undefined && <LapOf other={other} value={mine.split(":")[1] ?? "best"} onLap={put} />}
              </div>
            );
          })}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

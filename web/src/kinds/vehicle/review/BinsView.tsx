import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { Loading, Trouble } from "@/ui/basics";
import { type Asked, begin, sameTable, tried } from "./asked";
import { BinCells } from "./BinCells";
import { Dots, type Picking, Spread } from "./BinPictures";
import { BinSums } from "./BinSums";
import { type BinSheet, type Cell, decimalsOf } from "./bins";
import { panel } from "./looks";
import { OffTarget } from "./OffTarget";
import { Question } from "./Question";
import { TypedNumber } from "./TypedNumber";

/** A pick with another range of values; without one end it is none. */
const picked = (pick: Picking | null, low: number | null, high: number | null): Picking | null =>
  low === null || high === null ? null : { over: pick?.over ?? null, value: [low, high] };

/** One quantity over two others: which cells are off target, what matters most first. */
export function BinsView({
  session,
  version,
  channels,
  kept,
  keptFor,
  onKept,
  target,
  laps,
  onPlace,
}: {
  session: number;
  version: number;
  channels: { key: string; name: string }[];
  /** What is kept for this vehicle, and what that is called. */
  kept: Partial<Asked> | null;
  keptFor: string;
  onKept: (asked: Asked) => void;
  /** Of the mixture, from the limits. */
  target: readonly [number, number] | null;
  laps: Schemas["LapRow"][];
  /** Where on the course a cell was driven is to be looked at. */
  onPlace: (off: BinSheet["off"][number]) => void;
}) {
  const offered = useMemo(() => channels.filter((c) => c.key !== "lat" && c.key !== "lon"), [channels]);
  const usual = () =>
    begin(
      kept,
      offered.map((c) => c.key),
      target,
    );
  const [asked, setAsked] = useState(() => tried.get(session) ?? usual());
  const changed = !sameTable(asked, usual());
  const [cell, setCell] = useState<Cell | null>(null);
  const [pick, setPick] = useState<Picking | null>(null);
  const choosePicking = (next: Picking | null) => {
    setCell(null);
    setPick(next);
  };
  const put = (change: Partial<Asked>) => {
    const next = { ...asked, ...change };
    setAsked(next);
    setCell(null);
    if ("quantity" in change || "over" in change) setPick(null);
    tried.set(session, next);
  };
  const asKept = () => {
    tried.delete(session);
    setAsked(usual());
    setCell(null);
    setPick(null);
  };
  const bins = useQuery({
    queryKey: ["bins", session, version, asked, pick],
    queryFn: () =>
      ask(
        api.GET("/api/sessions/{session_id}/bins", {
          params: {
            path: { session_id: session },
            query: {
              quantity: asked.quantity,
              over: asked.over,
              and_over: asked.andOver,
              edge: asked.edges,
              and_edge: asked.andEdges,
              ...(asked.low !== null && asked.high !== null ? { low: asked.low, high: asked.high } : {}),
              fewest: asked.fewest,
              laps: asked.laps,
              around: asked.around,
              fuel: asked.fuel,
              ...(pick?.value ? { pick_low: pick.value[0], pick_high: pick.value[1] } : {}),
              ...(pick?.over ? { pick_over_low: pick.over[0], pick_over_high: pick.over[1] } : {}),
            },
          },
        }),
      ),
    placeholderData: keepPreviousData,
    enabled: offered.length > 0,
  });
  if (offered.length === 0) return <p className={`${panel} mt-2 px-3 py-2`}>There is no channel to make a table of.</p>;
  if (bins.isError && !bins.data) return <Trouble error={bins.error} again={() => bins.refetch()} />;
  const sheet = bins.data;
  if (!sheet) return <Loading what="the table" />;
  const decimals = decimalsOf(sheet);
  return (
    <>
      <Question
        asked={asked}
        put={put}
        channels={offered}
        fuels={sheet.fuels}
        laps={laps}
        changed={changed}
        keptFor={keptFor}
        onKeep={() => {
          tried.delete(session);
          onKept(asked);
        }}
        onAsKept={asKept}
      />
      {bins.isError && <Trouble error={bins.error} again={() => bins.refetch()} />}
      <BinSums sheet={sheet} />
      <div className="mt-2.5 grid grid-cols-1 gap-2.5 min-[1120px]:grid-cols-[minmax(0,1fr)_290px]">
        <BinCells
          sheet={sheet}
          asked={asked}
          put={put}
          cell={cell}
          onCell={setCell}
          pick={pick}
          onAll={() => setPick(null)}
        />
        <OffTarget sheet={sheet} cell={cell} onChoose={setCell} onPlace={onPlace} />
        <section aria-label="Readings" className={`${panel} min-w-0 px-2.5 py-2`}>
          <h2 className="font-narrow font-semibold text-[13px]">
            {sheet.quantity.name} over {sheet.over.name.toLowerCase()}
            <span className="ml-2 font-normal text-soft">dark: the chosen column; a drag picks readings</span>
          </h2>
          <Dots sheet={sheet} decimals={decimals} cell={cell} pick={pick} onPick={choosePicking} />
        </section>
        <section aria-label="Spread" className={`${panel} px-2.5 py-2`}>
          <h2 className="font-narrow font-semibold text-[13px]">
            Spread <span className="ml-2 font-normal text-soft">seconds at each value</span>
          </h2>
          <Spread sheet={sheet} decimals={decimals} pick={pick} onPick={choosePicking} />
          <p className="flex items-center justify-end gap-1 text-[13px] text-soft">
            picked from
            <TypedNumber
              label="Picked from"
              value={pick?.value?.[0] ?? null}
              onPut={(low) => choosePicking(picked(pick, low, pick?.value?.[1] ?? sheet.spread_edges.at(-1) ?? null))}
            />{" "}
            to{" "}
            <TypedNumber
              label="Picked to"
              value={pick?.value?.[1] ?? null}
              onPut={(high) => choosePicking(picked(pick, pick?.value?.[0] ?? sheet.spread_edges[0] ?? null, high))}
            />
          </p>
        </section>
      </div>
    </>
  );
}

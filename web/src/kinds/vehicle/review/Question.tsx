import type { Schemas } from "@/api/client";
import type { Asked } from "./asked";
import type { BinSheet } from "./bins";
import { FuelChoice, ratioOf } from "./FuelChoice";
import { picker } from "./looks";
import { TypedNumber } from "./TypedNumber";

interface Named {
  key: string;
  name: string;
}

function Choice({
  label,
  value,
  channels,
  onPick,
}: {
  label: string;
  value: string;
  channels: Named[];
  onPick: (key: string) => void;
}) {
  return (
    <select
      aria-label={label}
      className={`${picker} max-w-[136px]`}
      value={value}
      onChange={(e) => onPick(e.target.value)}
    >
      {channels.map((c) => (
        <option key={c.key} value={c.key}>
          {c.name.toLowerCase()}
        </option>
      ))}
    </select>
  );
}

/** What is asked, as a sentence; changed in it, and kept when somebody says so. */
export function Question({
  asked,
  put,
  channels,
  fuels,
  laps,
  changed,
  keptFor,
  onKeep,
  onAsKept,
}: {
  asked: Asked;
  put: (change: Partial<Asked>) => void;
  channels: Named[];
  fuels: BinSheet["fuels"];
  laps: Schemas["LapRow"][];
  changed: boolean;
  keptFor: string;
  onKeep: () => void;
  onAsKept: () => void;
}) {
  return (
    <p className="mt-2 flex flex-wrap items-center gap-x-2 gap-y-1.5 text-[14px]">
      Where was the
      <Choice
        label="Quantity"
        value={asked.quantity}
        channels={channels}
        onPick={(quantity) => put({ quantity, low: null, high: null })}
      />
      {asked.quantity === "mixture" && (
        <FuelChoice
          fuels={fuels}
          fuel={asked.fuel}
          onFuel={(fuel) => {
            const factor = (ratioOf(fuel, fuels) ?? 1) / (ratioOf(asked.fuel, fuels) ?? 1);
            const at = (value: number | null) => (value === null ? null : Number((value * factor).toPrecision(4)));
            put({ fuel, low: at(asked.low), high: at(asked.high) });
          }}
          look={picker}
        />
      )}
      off target <TypedNumber label="Target from" value={asked.low} onPut={(low) => put({ low })} /> to
      <TypedNumber label="Target to" value={asked.high} onPut={(high) => put({ high })} /> by
      <Choice label="Over" value={asked.over} channels={channels} onPick={(over) => put({ over, edges: [] })} /> and
      <Choice
        label="And over"
        value={asked.andOver}
        channels={channels}
        onPick={(andOver) => put({ andOver, andEdges: [] })}
      />{" "}
      in
      <select aria-label="Laps" className={picker} value={asked.laps} onChange={(e) => put({ laps: e.target.value })}>
        <option value="counted">the {laps.filter((l) => l.kind === "timed" && l.counts).length} counted laps</option>
        <option value="all">the whole session</option>
        {laps
          .filter((l) => l.kind === "timed")
          .map((l) => (
            <option key={l.number} value={String(l.number)}>
              lap {l.number}
            </option>
          ))}
      </select>
      ?
      {changed && (
        <span className="ml-auto flex gap-x-3 text-[13px]">
          <button type="button" className="min-h-6 text-act hover:underline" onClick={onKeep}>
            keep for {keptFor}
          </button>
          <button type="button" className="min-h-6 text-act hover:underline" onClick={onAsKept}>
            as kept
          </button>
        </span>
      )}
    </p>
  );
}

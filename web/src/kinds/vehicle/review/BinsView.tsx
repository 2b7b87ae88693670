import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { Loading, Trouble } from "@/ui/basics";
import { fixed, number } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { Segmented } from "@/ui/segmented";
import { Dots, type Picking, Spread } from "./BinPictures";
import { BinTable } from "./BinTable";
import { type BinSheet, type Cell, cellWords, decimalsOf, rangeWords, targetOf } from "./bins";
import { FuelChoice, ratioOf } from "./FuelChoice";

const panel = "rounded-lg border border-line bg-panel";
const picker =
  "min-h-8 rounded border border-line border-b-2 border-b-act bg-panel px-1.5 font-medium text-[13.5px] text-act";

/** What is asked: kept for each vehicle when somebody says so; until then it is only tried. */
interface Asked {
  quantity: string;
  over: string;
  andOver: string;
  edges: number[];
  andEdges: number[];
  low: number | null;
  high: number | null;
  fewest: number;
  laps: string;
  /** The break points are middles of cells, as in the map of an engine. */
  around: boolean;
  /** By which fuel the mixture is read as mass of air to fuel; empty: as excess of air; a number as text: typed. */
  fuel: string;
}

const CELLS = [
  ["between", "between boundaries"],
  ["around", "around points"],
] as const;

const USUAL: Asked = {
  quantity: "mixture",
  over: "rpm",
  andOver: "throttle",
  edges: [],
  andEdges: [],
  low: null,
  high: null,
  fewest: 20,
  laps: "counted",
  around: false,
  fuel: "",
};

/** What was remembered of a table; null when it is none. */
export function readAsked(kept: unknown): Partial<Asked> | null {
  if (typeof kept !== "object" || kept === null) return null;
  const known = Object.entries(kept).filter(([key, value]) => {
    const usual = USUAL[key as keyof Asked];
    if (usual === undefined) return false;
    if (Array.isArray(usual)) return Array.isArray(value) && value.every((v) => typeof v === "number");
    return usual === null ? value === null || typeof value === "number" : typeof value === typeof usual;
  });
  return Object.fromEntries(known) as Partial<Asked>;
}

/** The first table of a session: as it was asked last of this vehicle; else the mixture, or the first that it has. */
function begin(own: Partial<Asked> | null, keys: string[], target: readonly [number, number] | null): Asked {
  const there = (key: string, other: number) => (keys.includes(key) ? key : (keys[other] ?? keys[0] ?? ""));
  const asked = { ...USUAL, ...own, laps: "counted" };
  const same = keys.includes(asked.quantity);
  return {
    ...asked,
    quantity: there(asked.quantity, 0),
    over: there(asked.over, 1),
    andOver: there(asked.andOver, 2),
    // Boundaries belong to the quantity that they were typed for.
    edges: keys.includes(asked.over) ? asked.edges : [],
    andEdges: keys.includes(asked.andOver) ? asked.andEdges : [],
    low: same ? (asked.low ?? target?.[0] ?? null) : null,
    high: same ? (asked.high ?? target?.[1] ?? null) : null,
  };
}

/** What was changed and not kept, by session, as long as the page is open: looking at something else loses none of it. */
const tried = new Map<number, Asked>();

/** Whether two tables ask the same; in which laps is not kept. */
const sameTable = (a: Asked, b: Asked) => JSON.stringify({ ...a, laps: "" }) === JSON.stringify({ ...b, laps: "" });

const seconds = (s: number) => (s >= 120 ? `${Math.floor(s / 60)} min ${Math.round(s % 60)} s` : `${fixed(s, 1)} s`);

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
  const { say } = useNotices();
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
  const [shares, setShares] = useState(false);
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
  const choose = (label: string, value: string, onPick: (key: string) => void) => (
    <select
      aria-label={label}
      className={`${picker} max-w-[136px]`}
      value={value}
      onChange={(e) => onPick(e.target.value)}
    >
      {offered.map((c) => (
        <option key={c.key} value={c.key}>
          {c.name.toLowerCase()}
        </option>
      ))}
    </select>
  );
  const typed = (label: string, value: number | null, onPut: (value: number | null) => void, small = false) => (
    <input
      key={`${label} ${value}`}
      aria-label={label}
      className={`${picker} ${small ? "min-h-6 w-11" : "w-14"} text-center`}
      inputMode="decimal"
      defaultValue={value ?? ""}
      placeholder="–"
      onBlur={(e) => {
        const text = e.target.value.trim().replace(",", ".");
        const next = text === "" ? null : Number(text);
        if (next === null || Number.isFinite(next)) next !== value && onPut(next);
        else e.target.value = value === null ? "" : String(value);
      }}
      onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
    />
  );
  const tooHigh = sheet.quantity.key === "mixture" ? "too lean" : "too high";
  const tooLow = sheet.quantity.key === "mixture" ? "too rich" : "too low";
  const grey = sheet.count.flat().filter((n) => n > 0 && n < sheet.fewest).length;
  const filled = sheet.count.flat().filter((n) => n > 0).length;
  const shown = targetOf(sheet);
  const withShares = shares && sheet.share.length > 0;
  return (
    <>
      <p className="mt-2 flex flex-wrap items-center gap-x-2 gap-y-1.5 text-[14px]">
        Where was the
        {choose("Quantity", asked.quantity, (quantity) => put({ quantity, low: null, high: null }))}
        {asked.quantity === "mixture" && (
          <FuelChoice
            fuels={sheet.fuels}
            fuel={asked.fuel}
            onFuel={(fuel) => {
              const factor = (ratioOf(fuel, sheet.fuels) ?? 1) / (ratioOf(asked.fuel, sheet.fuels) ?? 1);
              const at = (value: number | null) => (value === null ? null : Number((value * factor).toPrecision(4)));
              put({ fuel, low: at(asked.low), high: at(asked.high) });
            }}
            look={picker}
          />
        )}
        off target {typed("Target from", asked.low, (low) => put({ low }))} to
        {typed("Target to", asked.high, (high) => put({ high }))} by
        {choose("Over", asked.over, (over) => put({ over, edges: [] }))} and
        {choose("And over", asked.andOver, (andOver) => put({ andOver, andEdges: [] }))} in
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
            <button
              type="button"
              className="min-h-6 text-act hover:underline"
              onClick={() => {
                tried.delete(session);
                onKept(asked);
              }}
            >
              keep for {keptFor}
            </button>
            <button type="button" className="min-h-6 text-act hover:underline" onClick={asKept}>
              as kept
            </button>
          </span>
        )}
      </p>
      {bins.isError && <Trouble error={bins.error} again={() => bins.refetch()} />}
      <dl className="mt-2 grid grid-cols-2 gap-px overflow-hidden rounded-lg border border-line bg-line min-[760px]:grid-cols-4">
        {[
          [
            "On target",
            shown ? `${Math.round((100 * sheet.on_target_s) / Math.max(sheet.whole_s, 1e-9))} %` : "–",
            shown ? seconds(sheet.on_target_s) : "no target set",
          ],
          [
            shown ? `${sheet.quantity.name} ${tooHigh}, above ${number(shown[1], decimals)}` : "Above",
            shown ? seconds(sheet.above_s) : "–",
            "",
          ],
          [
            shown ? `${sheet.quantity.name} ${tooLow}, below ${number(shown[0], decimals)}` : "Below",
            shown ? seconds(sheet.below_s) : "–",
            "",
          ],
          ["Grey cells", seconds(sheet.grey_s), `${grey} cells with fewer than ${sheet.fewest} readings`],
        ].map(([name, value, words]) => (
          <div key={name} className="bg-panel px-3 py-1.5">
            <dt className="truncate font-medium font-narrow text-[12.5px] text-soft">{name}</dt>
            <dd className="font-narrow font-semibold text-[24px] leading-tight">{value}</dd>
            <dd className="min-h-4 text-[12.5px] text-soft">{words}</dd>
          </div>
        ))}
      </dl>
      <div className="mt-2.5 grid grid-cols-1 gap-2.5 min-[1120px]:grid-cols-[minmax(0,1fr)_290px]">
        <section aria-label="Table" className={`${panel} min-w-0 px-2.5 py-2`}>
          <div className="flex flex-wrap items-baseline gap-x-3 text-[13px]">
            <h2 className="font-narrow font-semibold">
              {withShares
                ? "Fuel to add or take, %, in each cell"
                : `Mean ${sheet.quantity.name.toLowerCase()} in each cell`}
            </h2>
            <Segmented
              label="Cells"
              value={asked.around ? "around" : "between"}
              choices={CELLS}
              onChange={(cells) => put({ around: cells === "around" })}
              small
            />
            {sheet.share.length > 0 && (
              <label className="flex items-center gap-1">
                <input type="checkbox" checked={shares} onChange={(e) => setShares(e.target.checked)} />
                share to add
              </label>
            )}
            <span className="text-soft">
              small: readings, grey below{" "}
              {typed("Fewest readings", asked.fewest, (n) => put({ fewest: Math.max(1, Math.round(n ?? 20)) }), true)}
            </span>
            <button
              type="button"
              className="ml-auto min-h-6 text-act hover:underline"
              onClick={() => {
                void navigator.clipboard.writeText(asMap(sheet, decimals, withShares));
                say("The map is on the clipboard, in the shape it stands here: heads first, then its rows.");
              }}
            >
              copy as map
            </button>
            <button
              type="button"
              className="min-h-6 text-act hover:underline"
              onClick={() => {
                void navigator.clipboard.writeText(asText(sheet, decimals));
                say("The table is on the clipboard: means and readings, with heads and units.");
              }}
            >
              copy
            </button>
            {(asked.edges.length > 0 || asked.andEdges.length > 0) && (
              <button
                type="button"
                className="min-h-6 text-act hover:underline"
                onClick={() => put({ edges: [], andEdges: [] })}
              >
                usual boundaries
              </button>
            )}
          </div>
          <BinTable
            sheet={sheet}
            decimals={decimals}
            shares={withShares}
            chosen={cell}
            onChoose={setCell}
            onEdges={(edges) => put({ edges })}
            onAndEdges={(andEdges) => put({ andEdges })}
          />
          <p aria-live="polite" className="min-h-5 pt-1 text-[13px] text-soft">
            {cell ? cellWords(sheet, cell, decimals) : ""}
            {!cell && pick && sheet.picked && (
              <>
                {pickedWords(sheet, pick, decimals)}{" "}
                <button type="button" className="min-h-6 text-act hover:underline" onClick={() => setPick(null)}>
                  all again
                </button>{" "}
              </>
            )}
            {!cell && !pick && grey > 0 && grey === filled && (
              <>
                No cell has {sheet.fewest} readings.{" "}
                <button
                  type="button"
                  className="min-h-6 text-act hover:underline"
                  onClick={() =>
                    put(
                      sheet.points.length > 0
                        ? { edges: wider(sheet.points), andEdges: wider(sheet.and_points) }
                        : { edges: wider(sheet.edges), andEdges: wider(sheet.and_edges) },
                    )
                  }
                >
                  wider boundaries
                </button>{" "}
              </>
            )}
            {!cell &&
              !pick &&
              sheet.outside > 0 &&
              `${sheet.outside.toLocaleString("en")} readings lie outside the boundaries. `}
            {!cell &&
              !pick &&
              sheet.without_value > 0 &&
              `${sheet.without_value.toLocaleString("en")} without a value.`}
          </p>
        </section>
        <section aria-label="Cells off target" className={`${panel} overflow-hidden`}>
          <h2 className="flex px-2.5 pt-2 pb-1.5 font-narrow font-semibold text-[13.5px]">
            Cells off target <span className="ml-auto font-normal text-[12.5px] text-soft">most matter first</span>
          </h2>
          <ul>
            {sheet.off.slice(0, 7).map((off) => (
              <li key={`${off.column} ${off.row}`} className="border-hair border-t">
                <button
                  type="button"
                  aria-pressed={cell?.row === off.row && cell.column === off.column}
                  className={`flex w-full items-center gap-2.5 px-2.5 py-1.5 text-left hover:bg-act-soft ${cell?.row === off.row && cell.column === off.column ? "bg-act-soft" : ""}`}
                  onClick={() => setCell({ row: off.row, column: off.column })}
                  onDoubleClick={() => onPlace(off)}
                  onKeyDown={(e) => {
                    if (e.key !== "Enter") return;
                    e.preventDefault();
                    onPlace(off);
                  }}
                >
                  <span className={off.by > 0 ? "text-lost" : "text-gained"} aria-hidden="true">
                    {off.by > 0 ? "▲" : "▼"}
                  </span>
                  <span className="min-w-0 flex-1 text-[13px] leading-tight">
                    {rangeWords(sheet.edges, off.column, sheet.over.unit)}
                    <span className="block text-[12.5px] text-soft">
                      {[rangeWords(sheet.and_edges, off.row, sheet.and_over.unit), off.where]
                        .filter(Boolean)
                        .join(", ")}
                    </span>
                  </span>
                  <span className="text-right leading-tight">
                    <b className="font-narrow font-semibold text-[15px]">{fixed(off.seconds, 1)} s</b>
                    <span className="block text-[12px] text-soft">
                      {Number(fixed(Math.abs(off.by), decimals + 1)) === 0
                        ? "just"
                        : number(Math.abs(off.by), decimals + 1)}{" "}
                      {off.by > 0 ? tooHigh : tooLow}
                    </span>
                  </span>
                </button>
              </li>
            ))}
            <li className="border-hair border-t px-2.5 py-2 text-[13px] text-soft">
              {!shown
                ? "Set a target above to see which cells are off it."
                : sheet.off.length === 0
                  ? "Every cell with enough readings is on target."
                  : `${sheet.off.length} cell${sheet.off.length === 1 ? "" : "s"}, ${seconds(sheet.off.reduce((sum, o) => sum + o.seconds, 0))}`}
            </li>
          </ul>
        </section>
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
            {typed("Picked from", pick?.value?.[0] ?? null, (low) =>
              choosePicking(picked(pick, low, pick?.value?.[1] ?? sheet.spread_edges.at(-1) ?? null)),
            )}{" "}
            to{" "}
            {typed("Picked to", pick?.value?.[1] ?? null, (high) =>
              choosePicking(picked(pick, pick?.value?.[0] ?? sheet.spread_edges[0] ?? null, high)),
            )}
          </p>
        </section>
      </div>
    </>
  );
}

/** Every other boundary, the outer ones among them. */
const wider = (edges: number[]) =>
  edges.length < 3 ? edges : edges.filter((_, i) => i % 2 === 0 || i === edges.length - 1);

/** A pick with another range of values; without one end it is none. */
const picked = (pick: Picking | null, low: number | null, high: number | null): Picking | null =>
  low === null || high === null ? null : { over: pick?.over ?? null, value: [low, high] };

/** What was picked, in words: "1.02 to 1.10: 6.0 s in 2 cells". */
function pickedWords(sheet: BinSheet, { value, over }: Picking, decimals: number): string {
  const cells = sheet.picked?.count.flat().filter((n) => n > 0).length ?? 0;
  const ranges = [
    value && `${number(value[0], decimals)} to ${number(value[1], decimals)}`,
    over && `${number(over[0], 0)} to ${number(over[1], 0)} ${sheet.over.unit}`.trimEnd(),
  ];
  return `${ranges.filter(Boolean).join(", ")}: ${seconds(sheet.picked?.seconds ?? 0)} in ${cells} cell${cells === 1 ? "" : "s"}.`;
}

/** Means and counts with heads and units, for a spreadsheet. */
/** The cells in the shape of the map: the heads across, then a row a line, the highest first as on the screen. */
function asMap(sheet: BinSheet, decimals: number, shares: boolean): string {
  const head = (points: number[], edges: number[], i: number) => String(points[i] ?? rangeWords(edges, i, ""));
  const cells = shares ? sheet.share : sheet.mean;
  const heads = sheet.edges.slice(1).map((_, j) => head(sheet.points, sheet.edges, j));
  return [
    ["", ...heads].join("\t"),
    ...[...cells.keys()].reverse().map((i) =>
      [
        head(sheet.and_points, sheet.and_edges, i),
        ...heads.map((_, j) => {
          const value = cells[i]?.[j] ?? null;
          return value === null ? "" : fixed(value, shares ? 1 : decimals);
        }),
      ].join("\t"),
    ),
  ].join("\n");
}

function asText(sheet: BinSheet, decimals: number): string {
  const heads = sheet.edges.slice(1).map((_, j) => rangeWords(sheet.edges, j, sheet.over.unit));
  const block = (name: string, value: (row: number, column: number) => string) => [
    [name, ...heads].join("\t"),
    ...[...sheet.mean.keys()]
      .reverse()
      .map((i) =>
        [rangeWords(sheet.and_edges, i, sheet.and_over.unit), ...heads.map((_, j) => value(i, j))].join("\t"),
      ),
  ];
  const unit = sheet.quantity.unit ? `, ${sheet.quantity.unit}` : "";
  return [
    ...block(`Mean ${sheet.quantity.name}${unit}`, (i, j) => {
      const mean = sheet.mean[i]?.[j];
      return mean === null || mean === undefined ? "" : fixed(mean, decimals);
    }),
    "",
    ...block("Readings", (i, j) => String(sheet.count[i]?.[j] ?? 0)),
  ].join("\n");
}

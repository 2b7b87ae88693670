import type { Schemas } from "@/api/client";
import type { Assessed, Kind } from "@/sheet/assessed";
import { DataTable } from "@/sheet/DataTable";
import { day, wallClock } from "@/ui/format";

const CLOCK = "clock";

/** The rows of a table of all of them, each with whose it is; times count from the start of the first. */
function together(all: Assessed[], names: string[], key: string): Schemas["Table"] | null {
  const tables = all.map((each) => each.reviewed.tables.find((table) => table.key === key));
  const first = tables.find((table) => table !== undefined);
  if (!first) return null;
  const zero = new Date(all[0]?.session.started_at ?? 0).getTime();
  const rows = all.flatMap((each, i) => {
    const later = (new Date(each.session.started_at).getTime() - zero) / 1000;
    return (tables[i]?.rows ?? []).map((row) => [
      names[i] ?? "",
      ...row.map((cell, at) => (first.columns[at]?.unit === CLOCK && typeof cell === "number" ? cell + later : cell)),
    ]);
  });
  const columns = [{ name: "Recording", unit: "", decimals: null }, ...first.columns];
  return { key, title: `${first.title} of all`, columns, rows };
}

/** Of one person the times say which recording a row is of. */
const ofOne = (table: Schemas["Table"]) => ({
  ...table,
  columns: table.columns.slice(1),
  rows: table.rows.map((row) => row.slice(1)),
});

/** What a kind says stands in one table with that of other recordings: runs one after the other, whichever session they are of. */
export function InOneTable({ all, kind, names }: { all: Assessed[]; kind: Kind; names: string[] }) {
  const tables = kind.one_table.flatMap((key) => together(all, names, key) ?? []);
  const first = all[0];
  if (!first) return null;
  const isCrew = new Set(all.map((each) => each.session.person_id)).size > 1;
  const at = wallClock(first.session);
  const begins = new Date(first.session.started_at).getTime();
  const moment = (atS: number) =>
    `${day(new Date(begins + 1000 * atS).toISOString(), first.session.utc_offset_min)} ${at(atS)}`;
  return tables.map((table) => (
    <section key={table.key} className="mt-3 rounded-lg border border-line bg-panel px-3 py-2">
      <h2>
        {table.title} <span className="font-normal text-soft">{table.rows.length}, in one table</span>
      </h2>
      <DataTable table={isCrew ? table : ofOne(table)} clock={moment} />
    </section>
  ));
}

import { useMemo } from "react";
import { moment } from "@/ui/format";
import { RegisterTable } from "@/ui/register";
import { COLUMNS, type Column, numberColumn, type Session } from "./columns";
import type { SessionList } from "./useSessionList";

/** The page of the list: sorted by a press on a heading, chosen by the boxes. */
export function SessionTable({
  list,
  rows,
  picked,
  setPicked,
}: {
  list: SessionList;
  rows: Session[];
  picked: number[];
  setPicked: (ids: number[]) => void;
}) {
  const { hidden, shown, figures, sort, setSort, narrow, narrowed } = list;
  const columns = useMemo<Column[]>(() => {
    // The numbers of a kind say what its result in words would say again.
    const found = COLUMNS.filter((c) => !hidden.includes(c.key) && !(c.key === "figure" && shown.length > 0));
    found.splice(2, 0, ...shown.map(({ figure, label }) => numberColumn(figure, label, rows, figures)));
    return found;
  }, [hidden, shown, rows, figures]);
  const sorted = columns.find((c) => c.sort === sort.by && (!c.figure || c.figure === narrowed.figure));
  return (
    <RegisterTable
      rows={rows}
      columns={columns}
      {...(sorted ? { sort: { key: sorted.key, falling: sort.falling } } : {})}
      onSort={({ key, falling }) => {
        const column = columns.find((c) => c.key === key);
        setSort({ by: column?.sort ?? "started", falling });
        if (column?.figure) narrow({ figure: column.figure });
      }}
      ticks={{
        picked,
        setPicked,
        nameOf: (s) => `${s.person || "unclaimed"}, ${moment(s.started_at, s.utc_offset_min)}`,
      }}
    />
  );
}

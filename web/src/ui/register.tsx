import {
  createColumnHelper,
  type RowSelectionState,
  rowSelectionFeature,
  rowSortingFeature,
  type SortingState,
  tableFeatures,
  useTable,
} from "@tanstack/react-table";
import { type ReactNode, useMemo } from "react";

/** A column of a register; its rows are sorted where they come from. */
export interface RegisterColumn<Row> {
  key: string;
  name: string;
  cell: (row: Row) => ReactNode;
  /** A press on its head sorts by it. */
  sorts?: boolean;
  /** The newest or largest comes first at the first press. */
  fallsFirst?: boolean;
  right?: boolean;
  /** What it holds speaks for itself: its head is only said, not shown. */
  unseen?: boolean;
  look?: string;
}

/** By which column a register is sorted. */
export interface RegisterSort {
  key: string;
  falling: boolean;
}

export interface Ticks<Row> {
  picked: number[];
  setPicked: (ids: number[]) => void;
  /** What a row is called beside its box. */
  nameOf: (row: Row) => string;
}

const FEATURES = tableFeatures({ rowSortingFeature, rowSelectionFeature });

/** A page of a register: sorted by a press on a heading, rows ticked where they can be. */
export function RegisterTable<Row extends { id: number }>({
  rows,
  columns,
  sort,
  onSort,
  ticks,
  chosen,
}: {
  rows: Row[];
  /** The same array as long as the columns are the same. */
  columns: RegisterColumn<Row>[];
  sort?: RegisterSort;
  onSort?: (sort: RegisterSort) => void;
  ticks?: Ticks<Row>;
  /** The row that is open beside the register. */
  chosen?: number;
}) {
  const helper = useMemo(() => createColumnHelper<typeof FEATURES, Row>(), []);
  const defined = useMemo(
    () =>
      columns.map((column) =>
        helper.accessor((row): unknown => row.id, {
          id: column.key,
          header: column.name,
          cell: ({ row }) => column.cell(row.original),
          enableSorting: column.sorts ?? false,
          sortDescFirst: column.fallsFirst ?? false,
        }),
      ),
    [columns, helper],
  );
  const looks = useMemo(() => new Map(columns.map((column) => [column.key, column])), [columns]);
  const picked = useMemo<RowSelectionState>(
    () => Object.fromEntries((ticks?.picked ?? []).map((id) => [String(id), true])),
    [ticks?.picked],
  );
  const sorting = useMemo<SortingState>(() => (sort ? [{ id: sort.key, desc: sort.falling }] : []), [sort]);
  const table = useTable({
    features: FEATURES,
    columns: defined,
    data: rows,
    getRowId: (row) => String(row.id),
    enableSorting: onSort !== undefined,
    manualSorting: true,
    enableMultiSort: false,
    enableSortingRemoval: false,
    enableRowSelection: ticks !== undefined,
    state: { sorting, rowSelection: picked },
    onSortingChange: (change) => {
      const [first] = typeof change === "function" ? change(sorting) : change;
      if (first) onSort?.({ key: first.id, falling: first.desc });
    },
    onRowSelectionChange: (change) => {
      const now = typeof change === "function" ? change(picked) : change;
      ticks?.setPicked(
        Object.keys(now)
          .filter((id) => now[id])
          .map(Number),
      );
    },
  });
  return (
    <table className="w-full">
      <thead className="sticky top-0 z-[1] bg-salt text-left font-narrow text-[12.5px] text-soft">
        {table.getHeaderGroups().map((group) => (
          <tr key={group.id}>
            {ticks && (
              <th className="w-8 px-2 py-1">
                <input
                  type="checkbox"
                  aria-label="Choose all on this page"
                  className="size-4 align-middle accent-(--act)"
                  checked={table.getIsAllRowsSelected()}
                  onChange={table.getToggleAllRowsSelectedHandler()}
                />
              </th>
            )}
            {group.headers.map(({ id, column }) => {
              const { name, right, unseen } = looks.get(id) as RegisterColumn<Row>;
              const sorted = column.getIsSorted();
              return (
                <th
                  key={id}
                  className={`px-2 py-1 font-medium ${right ? "text-right" : ""}`}
                  aria-sort={sorted ? (sorted === "desc" ? "descending" : "ascending") : undefined}
                >
                  {column.getCanSort() ? (
                    <button
                      type="button"
                      className={`whitespace-nowrap font-medium hover:text-ink ${right ? "text-right" : "text-left"}`}
                      onClick={column.getToggleSortingHandler()}
                    >
                      {name} {sorted === "desc" ? "↓" : sorted ? "↑" : ""}
                    </button>
                  ) : unseen ? (
                    <span className="sr-only">{name}</span>
                  ) : (
                    name
                  )}
                </th>
              );
            })}
          </tr>
        ))}
      </thead>
      <tbody>
        {table.getRowModel().rows.map((row) => (
          <tr
            key={row.id}
            className={`border-line border-t ${row.getIsSelected() || row.original.id === chosen ? "bg-act-soft" : "hover:bg-hair"}`}
          >
            {ticks && (
              <td className="px-2 py-1">
                <input
                  type="checkbox"
                  aria-label={`Choose ${ticks.nameOf(row.original)}`}
                  className="size-4 align-middle accent-(--act)"
                  checked={row.getIsSelected()}
                  onChange={row.getToggleSelectedHandler()}
                />
              </td>
            )}
            {row.getAllCells().map((cell) => (
              <td key={cell.id} className={looks.get(cell.column.id)?.look ?? "px-2 py-1"}>
                <table.FlexRender cell={cell} />
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

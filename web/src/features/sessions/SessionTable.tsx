import { moment } from "@/ui/format";
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
  const { hidden, shown, figures, sort, setSort, narrow } = list;
  // The numbers of a kind say what its result in words would say again.
  const columns = COLUMNS.filter((c) => !hidden.includes(c.key) && !(c.key === "figure" && shown.length > 0));
  columns.splice(2, 0, ...shown.map(({ figure: key, label }) => numberColumn(key, label, rows, figures)));
  const isSorted = (c: Column) => c.sort === sort.by && (!c.figure || c.figure === list.narrowed.figure);
  return (
    <table className="w-full">
      <thead className="sticky top-0 bg-salt text-left font-narrow text-[12.5px] text-soft">
        <tr>
          <th className="w-8 px-2 py-1">
            <input
              type="checkbox"
              aria-label="Choose all on this page"
              className="size-4 align-middle accent-(--act)"
              checked={picked.length === rows.length}
              onChange={(e) => setPicked(e.target.checked ? rows.map((s) => s.id) : [])}
            />
          </th>
          {columns.map((c) => (
            <th
              key={c.key}
              className={`px-2 font-medium ${c.figure ? "text-right" : ""}`}
              aria-sort={isSorted(c) ? (sort.falling ? "descending" : "ascending") : undefined}
            >
              {c.sort ? (
                <button
                  type="button"
                  className={`font-medium hover:text-ink ${c.figure ? "text-right" : "text-left"}`}
                  onClick={() => {
                    const first = c.sort === "started" || c.sort === "figure";
                    setSort({ by: c.sort ?? "started", falling: isSorted(c) ? !sort.falling : first });
                    if (c.figure) narrow({ figure: c.figure });
                  }}
                >
                  {c.name} {isSorted(c) ? (sort.falling ? "↓" : "↑") : ""}
                </button>
              ) : (
                c.name
              )}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map((s) => (
          <tr key={s.id} className={`border-line border-t ${picked.includes(s.id) ? "bg-act-soft" : "hover:bg-hair"}`}>
            <td className="px-2 py-1">
              <input
                type="checkbox"
                aria-label={`Choose ${s.person || "unclaimed"}, ${moment(s.started_at, s.utc_offset_min)}`}
                className="size-4 align-middle accent-(--act)"
                checked={picked.includes(s.id)}
                onChange={(e) => setPicked(e.target.checked ? [...picked, s.id] : picked.filter((p) => p !== s.id))}
              />
            </td>
            {columns.map((c) => (
              <td key={c.key} className="px-2 py-1">
                {c.cell(s)}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

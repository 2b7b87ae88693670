import { Fragment } from "react";
import { FieldInput } from "./FieldInput";
import { OnRecorder } from "./OnRecorder";
import type { SetupField, SetupList } from "./settings";

const HATCHED = "repeating-linear-gradient(135deg, var(--panel) 0 6px, var(--hair) 6px 8px)";

/** Why an item is switched off, right below it: that sentence goes into the recordings. */
function WhyOff({
  field,
  columns,
  onChange,
}: {
  field: SetupField | undefined;
  columns: number;
  onChange: (field: SetupField, value: unknown) => void;
}) {
  if (!field) return null;
  return (
    <tr style={{ background: HATCHED }}>
      <td colSpan={columns} className="pr-4 pb-1 pl-4">
        <label className="flex items-center gap-2 text-soft">
          off because
          <input
            aria-label={field.label}
            className="min-h-7 flex-1 rounded border border-line bg-panel px-1.5 text-ink"
            placeholder="broken, no longer fitted, not needed"
            maxLength={60}
            value={String(field.value ?? "")}
            onChange={(e) => onChange(field, e.target.value)}
          />
          {field.differs && (
            <span className="font-medium font-narrow text-[12px] text-action">
              <OnRecorder field={field} onTake={(value) => onChange(field, value)} />
            </span>
          )}
        </label>
      </td>
    </tr>
  );
}

/** The items of a list as a table: a row each, what differs on the recorder in amber with what stands there. */
export function ItemTable({
  list,
  items,
  fields,
  told = [],
  onChange,
  onRemove,
}: {
  list: SetupList;
  items: unknown[];
  /** Columns that are said and not changed here. */
  told?: readonly string[];
  fields: SetupField[];
  onChange: (field: SetupField, value: unknown) => void;
  onRemove: (index: number) => void;
}) {
  const at = (index: number, column: string) => fields.find((f) => f.path === `${list.path}.${index}.${column}`);
  const name = (column: string) => {
    const words = at(0, column)?.label.split(", ").slice(1).join(", ") ?? column;
    return words.charAt(0).toUpperCase() + words.slice(1);
  };
  const units = (column: string) => new Set(items.map((_, index) => at(index, column)?.unit ?? ""));
  /** A unit that all rows have alike stands in the head of its column; one that hangs on the row stands in its first cell. */
  const withUnit = list.columns.filter((column) => [...units(column)].some(Boolean)).length;
  const unitIn = (column: string) => {
    const [unit = "", ...others] = units(column);
    return unit && others.length === 0 && (items.length > 1 || withUnit === 1) ? `, ${unit}` : "";
  };
  const unitOf = (index: number) =>
    list.columns
      .filter((c) => !unitIn(c))
      .map((c) => at(index, c)?.unit)
      .find((unit) => unit) ?? "";
  const isOff = (index: number) => at(index, "on")?.value === false;
  return (
    <div className="col-span-3 overflow-x-auto border-hair border-t">
      <table className="w-full border-collapse text-[13px]">
        <thead className="text-left font-narrow text-[12px] text-soft">
          <tr>
            {list.columns.map((column, i) => (
              <th key={column} className={`px-1.5 py-1 align-bottom font-medium ${i === 0 ? "pl-4" : ""}`}>
                {name(column)}
                {unitIn(column)}
              </th>
            ))}
            <th>
              <span className="sr-only">take away</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {items.map((_, index) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: an item has no name but its place
            <Fragment key={index}>
              <tr className="border-hair border-t" style={isOff(index) ? { background: HATCHED } : undefined}>
                {list.columns.map((column, i) => {
                  const field = at(index, column);
                  const dim = isOff(index) && i > 1;
                  return (
                    <td
                      key={column}
                      className={`px-1 py-0.5 align-top ${i === 0 ? "pl-4" : ""} ${field?.differs ? "bg-warn" : ""} ${dim ? "opacity-45" : ""}`}
                    >
                      {field && (
                        <>
                          {told.includes(column) ? (
                            <span className="flex min-h-7 items-center">{field.draft}</span>
                          ) : (
                            <FieldInput field={field} bare onChange={(value) => onChange(field, value)} />
                          )}
                          {i === 0 && unitOf(index) && (
                            <span className="block font-narrow text-[12px] text-soft">{unitOf(index)}</span>
                          )}
                          {field.differs && (
                            <span className="block pl-0.5 font-medium font-narrow text-[11.5px] text-action">
                              <OnRecorder field={field} short onTake={(value) => onChange(field, value)} />
                            </span>
                          )}
                        </>
                      )}
                    </td>
                  );
                })}
                <td className="py-1 pr-2 text-right align-top">
                  {items.length > list.fewest && (
                    <button
                      type="button"
                      className="min-h-6 min-w-6 px-1 text-act hover:underline"
                      aria-label={`take away ${list.label} ${index + 1}`}
                      title="take away"
                      onClick={() => onRemove(index)}
                    >
                      ×
                    </button>
                  )}
                </td>
              </tr>
              <WhyOff
                field={isOff(index) ? at(index, "off_because") : undefined}
                columns={list.columns.length + 1}
                onChange={onChange}
              />
            </Fragment>
          ))}
        </tbody>
      </table>
    </div>
  );
}

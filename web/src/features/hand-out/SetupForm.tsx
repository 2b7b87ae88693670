import { Fragment, useState } from "react";
import { Button, Refused } from "@/ui/basics";
import { clockOf, type Entry, lengthOf, numberOf } from "@/ui/entry";
import { type Settings, type SetupField, type SetupList, summaryOf, valueAt, withBrought } from "./setup";

/** A number of a setting; lengths in minutes may be typed as hours ("7 h 30"). */
function enteredNumber(text: string, field: SetupField): Entry {
  const { low, high, empty, type } = field.form;
  const wish = { unit: field.unit, low: low ?? undefined, high: high ?? undefined, empty };
  const hours = field.unit === "min" && /[:h]/.test(text) ? lengthOf(text) : null;
  if (hours && "wrong" in hours) return { wrong: "Type minutes, or hours such as 7:30." };
  const entry = numberOf(hours ? String(Math.round(Number(hours.value) / 60)) : text, wish);
  if (!("wrong" in entry) && type === "whole" && entry.value !== null && !Number.isInteger(entry.value))
    return { wrong: "A whole number is needed." };
  return entry;
}

function enteredText(text: string, field: SetupField): { value: string | null } | { wrong: string } {
  const typed = text.trim();
  if (!typed) return field.form.empty ? { value: null } : { wrong: "Something is needed here." };
  if (field.form.type !== "time") return { value: typed };
  const clock = clockOf(typed);
  if ("wrong" in clock) return { wrong: "Not a time of day. Type it like 22:30." };
  const minutes = Math.floor(Number(clock.value) / 60);
  return { value: `${String(Math.floor(minutes / 60)).padStart(2, "0")}:${String(minutes % 60).padStart(2, "0")}` };
}

const isNumber = (field: SetupField) => field.form.type === "number" || field.form.type === "whole";

/** `bare`: in a table, where the unit stands elsewhere and a yes or no is a tick. */
function Editor({
  field,
  bare = false,
  onChange,
}: {
  field: SetupField;
  bare?: boolean;
  onChange: (value: unknown) => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const [wrong, setWrong] = useState<string | null>(null);
  const { form } = field;
  const unit = !bare && field.unit && <span className="text-soft">{field.unit}</span>;
  if (bare && typeof field.value === "boolean")
    return (
      <input
        type="checkbox"
        aria-label={field.label}
        className="my-1.5 size-4 accent-(--act)"
        checked={field.value}
        onChange={(e) => onChange(e.target.checked)}
      />
    );
  if (form.type === "choice")
    return (
      <>
        <select
          aria-label={field.label}
          className={`-ml-1 min-h-7 rounded border border-transparent bg-transparent hover:border-line ${bare ? "max-w-32" : "pr-6"}`}
          value={String(field.value)}
          onChange={(e) => onChange(form.choices.find((c) => String(c.value) === e.target.value)?.value)}
        >
          {form.choices.map(({ value, words }) => (
            <option key={String(value)} value={String(value)}>
              {words}
            </option>
          ))}
        </select>
        {unit}
      </>
    );
  const shown = typed ?? (field.value === null || field.value === undefined ? "" : String(field.value));
  const commit = () => {
    if (typed === null) return;
    const entry = isNumber(field) ? enteredNumber(typed, field) : enteredText(typed, field);
    if ("wrong" in entry) return setWrong(entry.wrong);
    setTyped(null);
    setWrong(null);
    if (entry.value !== field.value) onChange(entry.value);
  };
  return (
    <>
      <input
        aria-label={field.label}
        aria-invalid={wrong !== null}
        className={`min-h-7 rounded border px-1 hover:border-soft ${wrong ? "border-above" : bare ? "border-line" : "-ml-1 border-transparent"} ${bare ? "bg-panel" : "bg-transparent"} ${isNumber(field) ? (bare ? "w-11" : "w-16") : "w-full"}`}
        inputMode={isNumber(field) ? "decimal" : undefined}
        placeholder={form.empty ? (bare ? "–" : "none") : undefined}
        value={shown}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={commit}
        onKeyDown={(e) => e.key === "Enter" && commit()}
      />
      {unit}
      <Refused why={wrong} />
    </>
  );
}

/** What the recorder has in place of the draft; a click takes it over, where the form can hold it. */
function OnRecorder({
  field,
  short = false,
  onTake,
}: {
  field: SetupField;
  short?: boolean;
  onTake: (value: unknown) => void;
}) {
  const { on_recorder, unit_on_recorder, value_on_recorder: value } = field;
  const unit = unit_on_recorder && on_recorder !== "not set" ? ` ${unit_on_recorder}` : "";
  const long = `on recorder ${on_recorder}${unit}`;
  const brief = on_recorder === "not set" ? "not on it" : `has ${on_recorder}${unit === ` ${field.unit}` ? "" : unit}`;
  const words = short ? brief : long;
  if ((value === null || value === undefined) && !field.form.empty) return words;
  return (
    <button
      type="button"
      className="min-h-6 text-left hover:underline"
      title="Take this back"
      aria-label={`${field.label}: take back what is ${long}`}
      onClick={() => onTake(value ?? null)}
    >
      {words}
    </button>
  );
}

function Row({
  field,
  label,
  inner = false,
  onChange,
}: {
  field: SetupField;
  label: string;
  inner?: boolean;
  onChange: (value: unknown) => void;
}) {
  return (
    <div className={`contents ${field.differs ? "[&>*]:bg-warn" : ""}`}>
      <span className={`border-hair border-t py-1.5 pr-2 text-soft ${inner ? "pl-8" : "pl-4"}`}>{label}</span>
      <span className="flex flex-wrap items-center gap-x-1 border-hair border-t px-2 py-0.5">
        <Editor field={field} onChange={onChange} />
      </span>
      <span className="border-hair border-t py-1.5 pr-4 pl-2 font-medium font-narrow text-[12.5px] text-action">
        {field.differs && <OnRecorder field={field} onTake={onChange} />}
      </span>
    </div>
  );
}

/** An item of a list: closed as one line in words, open field by field; what differs on the recorder is always in view. */
function Item({
  at,
  list,
  index,
  count,
  fields,
  summary,
  onChange,
  onRemove,
}: {
  at: string;
  list: SetupList;
  index: number;
  count: number;
  fields: SetupField[];
  summary: string;
  onChange: (path: string, value: unknown) => void;
  onRemove: () => void;
}) {
  const [open, setOpen] = useState(false);
  const name = `${list.label} ${index + 1}`;
  const differing = fields.filter((f) => f.differs);
  return (
    <Fragment key={at}>
      <span className="border-hair border-t py-1.5 pr-2 pl-4 text-soft">{name}</span>
      <span className="border-hair border-t px-2 py-1.5">{summary}</span>
      <span className="flex items-baseline gap-x-3 whitespace-nowrap border-hair border-t py-1.5 pr-4 pl-2">
        <button
          type="button"
          aria-expanded={open}
          className="text-act hover:underline"
          onClick={() => setOpen(!open)}
          aria-label={open ? `close ${name}` : `change ${name}`}
        >
          {open ? "close" : "change"}
        </button>
        {count > list.fewest && (
          <button
            type="button"
            className="text-act hover:underline"
            onClick={onRemove}
            aria-label={`take away ${name}`}
          >
            take away
          </button>
        )}
      </span>
      {(open ? fields : differing).map((field) => (
        <Row
          key={field.path}
          field={field}
          label={field.label.slice(name.length + 2) || field.label}
          inner
          onChange={(value) => onChange(field.path, value)}
        />
      ))}
    </Fragment>
  );
}

/** The items of a list as a table: a row each, what differs on the recorder in amber with what stands there. */
function ItemTable({
  list,
  items,
  fields,
  onChange,
  onRemove,
}: {
  list: SetupList;
  items: unknown[];
  fields: SetupField[];
  onChange: (field: SetupField, value: unknown) => void;
  onRemove: (index: number) => void;
}) {
  const at = (index: number, column: string) => fields.find((f) => f.path === `${list.path}.${index}.${column}`);
  const name = (column: string) => {
    const words = at(0, column)?.label.split(", ").slice(1).join(", ") ?? column;
    return words.charAt(0).toUpperCase() + words.slice(1);
  };
  const unitOf = (index: number) => list.columns.map((c) => at(index, c)?.unit).find((unit) => unit) ?? "";
  /** A unit that is another than the row's stands in the head. */
  const unitIn = (column: string) => {
    const unit = at(0, column)?.unit ?? "";
    return unit && unit !== unitOf(0) ? `, ${unit}` : "";
  };
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
            <tr key={index} className="border-hair border-t">
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
                        <Editor field={field} bare onChange={(value) => onChange(field, value)} />
                        {i === 0 && <span className="block font-narrow text-[12px] text-soft">{unitOf(index)}</span>}
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
                    className="px-1 text-act hover:underline"
                    aria-label={`take away ${list.label} ${index + 1}`}
                    title="take away"
                    onClick={() => onRemove(index)}
                  >
                    ×
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** The settings of a recorder as a form, made from the kind's declaration: values, lists with add and take away, what differs. */
export function SetupForm({
  fields,
  lists,
  settings,
  summary,
  onChange,
}: {
  fields: SetupField[];
  lists: SetupList[];
  settings: Settings;
  /** An item of a list in the words of the kind, when it has its own. */
  summary?: (item: string, settings: Settings) => string;
  onChange: (settings: Settings) => void;
}) {
  const put = (path: string, value: unknown) => onChange(withBrought(settings, fields, path, value));
  const listOf = (part: string) => lists.find((l) => part.startsWith(`${l.path}.`));
  const parts = [...new Set(fields.map((f) => f.form.part_of || f.path))];
  const add = (list: SetupList) => {
    const items = (valueAt(settings, list.path) as unknown[] | undefined) ?? [];
    return items.length < list.most ? (
      <Fragment key={`add to ${list.path}`}>
        <span className="border-hair border-t pl-4" />
        <span className="col-span-2 border-hair border-t px-1 py-0.5">
          <Button look="quiet" size="small" onClick={() => put(list.path, [...items, structuredClone(list.blank)])}>
            add a {list.label.toLowerCase()}
          </Button>
        </span>
      </Fragment>
    ) : null;
  };
  const shown = parts.map((part) => {
    const members = fields.filter((f) => (f.form.part_of || f.path) === part);
    const [first] = members;
    const list = first?.form.part_of ? listOf(part) : undefined;
    if (!first) return null;
    if (!list) return <Row key={part} field={first} label={first.label} onChange={(value) => put(first.path, value)} />;
    const items = valueAt(settings, list.path) as unknown[];
    const without = (gone: number) =>
      put(
        list.path,
        items.filter((_, i) => i !== gone),
      );
    const index = Number(part.split(".").at(-1));
    if (index >= items.length)
      return (
        <div key={part} className="contents [&>*]:bg-warn">
          <span className="border-hair border-t py-1.5 pr-2 pl-4 text-soft">{first.label}</span>
          <span className="border-hair border-t px-2 py-1.5">none</span>
          <span className="border-hair border-t py-1.5 pr-4 pl-2 font-medium font-narrow text-[12.5px] text-action">
            on recorder {first.on_recorder}
          </span>
        </div>
      );
    if (list.columns.length > 0)
      return index > 0 ? null : (
        <Fragment key={list.path}>
          <ItemTable
            list={list}
            items={items}
            fields={fields}
            onChange={(field, value) => put(field.path, value)}
            onRemove={without}
          />
          {fields
            .filter(
              (f) =>
                f.differs && f.path.startsWith(`${list.path}.`) && !list.columns.some((c) => f.path.endsWith(`.${c}`)),
            )
            .map((f) => (
              <Row key={f.path} field={f} label={f.label} onChange={(value) => put(f.path, value)} />
            ))}
          {add(list)}
        </Fragment>
      );
    return (
      <Fragment key={part}>
        <Item
          at={part}
          list={list}
          index={index}
          count={items.length}
          fields={members}
          summary={summary?.(part, settings) || summaryOf(members)}
          onChange={put}
          onRemove={() => without(index)}
        />
        {index === items.length - 1 && add(list)}
      </Fragment>
    );
  });
  const empty = lists.filter((l) => ((valueAt(settings, l.path) as unknown[] | undefined) ?? []).length === 0);
  return (
    <>
      {shown}
      {empty.map(add)}
    </>
  );
}

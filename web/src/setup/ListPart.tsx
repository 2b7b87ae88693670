import { Fragment } from "react";
import { Button } from "@/ui/basics";
import { Item } from "./Item";
import { ItemTable } from "./ItemTable";
import { Row } from "./Row";
import { type Settings, type SetupField, type SetupList, summaryOf, valueAt } from "./settings";

/** A list of settings: as a table where its columns are named, else an item a line; what the recorder has beyond it is said. */
export function ListPart({
  list,
  fields,
  settings,
  summary,
  told,
  put,
}: {
  list: SetupList;
  fields: SetupField[];
  settings: Settings;
  summary?: (item: string, settings: Settings) => string;
  /** Columns of a table that are said and not changed here. */
  told?: readonly string[];
  put: (path: string, value: unknown) => void;
}) {
  const items = (valueAt(settings, list.path) as unknown[] | undefined) ?? [];
  const of = (index: number) => fields.filter((f) => f.form.part_of === `${list.path}.${index}`);
  const without = (gone: number) =>
    put(
      list.path,
      items.filter((_, i) => i !== gone),
    );
  const beyond = fields.filter((f) => Number(f.form.part_of.split(".").at(-1)) >= items.length);
  const isOff = (f: SetupField) => fields.some((o) => o.path === `${f.form.part_of}.on` && o.value === false);
  const inTable = (f: SetupField) =>
    list.columns.some((c) => f.path.endsWith(`.${c}`)) || (f.path.endsWith(".off_because") && isOff(f));
  const besides = fields.filter((f) => f.differs && !inTable(f));
  return (
    <>
      {list.columns.length > 0 && items.length > 0 && (
        <>
          <ItemTable
            list={list}
            items={items}
            fields={fields}
            told={told}
            onChange={(field, value) => put(field.path, value)}
            onRemove={without}
          />
          {besides
            .filter((f) => !beyond.includes(f))
            .map((f) => (
              <Row key={f.path} field={f} label={f.label} onChange={(value) => put(f.path, value)} />
            ))}
        </>
      )}
      {list.columns.length === 0 &&
        items.map((_, index) => {
          const at = `${list.path}.${index}`;
          return (
            <Item
              key={at}
              at={at}
              list={list}
              index={index}
              count={items.length}
              fields={of(index)}
              summary={summary?.(at, settings) || summaryOf(of(index))}
              onChange={put}
              onRemove={() => without(index)}
            />
          );
        })}
      {beyond.map((f) => (
        <div key={f.path} className="contents [&>*]:bg-warn">
          <span className="border-hair border-t py-1.5 pr-2 pl-4 text-soft">{f.label}</span>
          <span className="border-hair border-t px-2 py-1.5">none</span>
          <span className="border-hair border-t py-1.5 pr-4 pl-2 font-medium font-narrow text-[12.5px] text-action">
            on recorder {f.on_recorder}
          </span>
        </div>
      ))}
      {items.length < list.most && (
        <Fragment>
          <span className="border-hair border-t pl-4" />
          <span className="col-span-2 border-hair border-t px-1 py-0.5">
            <Button look="quiet" size="small" onClick={() => put(list.path, [...items, structuredClone(list.blank)])}>
              add a {list.label.toLowerCase()}
            </Button>
          </span>
        </Fragment>
      )}
    </>
  );
}

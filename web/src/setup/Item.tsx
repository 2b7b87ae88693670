import { Fragment, useState } from "react";
import { Row } from "./Row";
import type { SetupField, SetupList } from "./settings";

/** An item of a list: closed as one line in words, open field by field; what differs on the recorder is always in view. */
export function Item({
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

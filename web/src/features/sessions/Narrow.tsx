import { DropdownMenu } from "radix-ui";
import { Button, inputLook } from "@/ui/basics";
import { DateField } from "@/ui/date-field";
import { unitWords } from "@/ui/format";
import { COLUMNS } from "./columns";
import { type SessionList, STANDINGS } from "./useSessionList";

const select = "min-h-[34px] rounded-md border border-line bg-panel px-2";

/** What the list is narrowed to: words, standing, kind, a figure of the kind, days. */
export function Narrow({ list }: { list: SessionList }) {
  const { kinds, narrowed, narrow, sort, setSort, figures } = list;
  return (
    <>
      <input
        className={`${inputLook} max-w-48`}
        placeholder="name, number, recorder, tag"
        aria-label="Find sessions"
        value={narrowed.words}
        onChange={(e) => narrow({ words: e.target.value })}
      />
      <select
        aria-label="Which"
        className={select}
        value={narrowed.standing}
        onChange={(e) => narrow({ standing: e.target.value as "all" })}
      >
        {STANDINGS.map(([key, name]) => (
          <option key={key} value={key}>
            {name}
          </option>
        ))}
      </select>
      {kinds.length > 1 && (
        <select
          aria-label="Kind"
          className={select}
          value={narrowed.kind}
          onChange={(e) => {
            narrow({ kind: e.target.value, figure: "" });
            if (sort.by === "figure") setSort({ by: "started", falling: true });
          }}
        >
          <option value="">every kind</option>
          {kinds.map((k) => (
            <option key={k.key} value={k.key}>
              {k.name}
            </option>
          ))}
        </select>
      )}
      {narrowed.kind && (figures?.length ?? 0) > 0 && (
        <select
          aria-label="Figure"
          className={`${select} max-w-40`}
          value={narrowed.figure}
          onChange={(e) => {
            narrow({ figure: e.target.value });
            setSort(e.target.value ? { by: "figure", falling: true } : { by: "started", falling: true });
          }}
        >
          <option value="">list by figure …</option>
          {figures?.map((f) => (
            <option key={f.key} value={f.key}>
              {f.unit ? `${f.name}, ${unitWords(f.unit)}` : f.name}
            </option>
          ))}
        </select>
      )}
      <span className="flex items-center gap-1.5 text-soft">
        from
        <DateField
          label="From which day"
          look={`${select} w-28`}
          value={narrowed.since}
          onChange={(since) => narrow({ since })}
        />
      </span>
      <span className="flex items-center gap-1.5 text-soft">
        to
        <DateField
          label="To which day"
          look={`${select} w-28`}
          value={narrowed.until}
          onChange={(until) => narrow({ until })}
        />
      </span>
    </>
  );
}

/** Which columns are shown; they stay so in this browser. */
export function ColumnsMenu({ list: { hidden, setHidden } }: { list: SessionList }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button>Columns</Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={6}
          className="z-50 rounded-lg border border-line bg-panel p-1.5 shadow-xl"
        >
          {COLUMNS.slice(1).map((c) => (
            <DropdownMenu.CheckboxItem
              key={c.key}
              checked={!hidden.includes(c.key)}
              onSelect={(e) => e.preventDefault()}
              onCheckedChange={(on) => setHidden(on ? hidden.filter((h) => h !== c.key) : [...hidden, c.key])}
              className="flex cursor-pointer items-center gap-2 rounded px-3 py-1 outline-none data-[highlighted]:bg-act-soft"
            >
              <span className="w-3">{hidden.includes(c.key) ? "" : "✓"}</span>
              {c.name}
            </DropdownMenu.CheckboxItem>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

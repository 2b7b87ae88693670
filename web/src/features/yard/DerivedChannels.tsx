import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { Button, inputLook } from "@/ui/basics";

type Row = Schemas["DerivedChannel"];

const PAUSE_MS = 250;

/** A formula with what is wrong in it, and where. */
function Formula({
  row,
  before,
  sensors,
  number,
  onChange,
}: {
  row: Row;
  before: Row[];
  sensors: Schemas["FurtherSensor"][];
  number: number;
  onChange: (formula: string) => void;
}) {
  const field = useRef<HTMLInputElement>(null);
  const [asked, setAsked] = useState(row.formula);
  useEffect(() => {
    const timer = setTimeout(() => setAsked(row.formula), PAUSE_MS);
    return () => clearTimeout(timer);
  }, [row.formula]);
  const check = useQuery({
    queryKey: ["formula", asked, before, sensors],
    queryFn: () => ask(api.POST("/api/formulas/check", { body: { formula: asked, before, sensors } })),
    enabled: asked.trim() !== "",
    staleTime: Number.POSITIVE_INFINITY,
  });
  const found = asked === row.formula ? check.data : undefined;
  const wrong = found?.error ?? "";
  return (
    <>
      <input
        ref={field}
        aria-label={`Formula ${number}`}
        aria-invalid={wrong !== ""}
        aria-describedby={`formula-${number}`}
        className={`${inputLook} font-mono text-[13px] ${wrong ? "border-above" : ""}`}
        value={row.formula}
        maxLength={1000}
        spellCheck={false}
        placeholder="sqrt(lateral_g^2 + forward_g^2)"
        onChange={(e) => onChange(e.target.value)}
      />
      <span id={`formula-${number}`} role="status" className={`text-[12.5px] ${wrong ? "text-above" : "text-soft"}`}>
        {wrong ? (
          <>
            {wrong}{" "}
            <button
              type="button"
              className="min-h-6 text-act hover:underline"
              onClick={() => {
                field.current?.focus();
                field.current?.setSelectionRange(found?.position ? found.position - 1 : 0, found?.position ?? 0);
              }}
            >
              show where
            </button>
          </>
        ) : found ? (
          `reads ${found.reads.join(", ")}`
        ) : (
          ""
        )}
      </span>
    </>
  );
}

/** What a vehicle's formulas make of its channels; they are offered as lanes and in tables, and no verdict hangs on them. */
export function DerivedChannels({
  rows,
  sensors,
  onChange,
}: {
  rows: Row[];
  sensors: Schemas["FurtherSensor"][];
  onChange: (rows: Row[]) => void;
}) {
  const put = (i: number, change: Partial<Row>) => onChange(rows.map((r, k) => (k === i ? { ...r, ...change } : r)));
  return (
    <fieldset className="grid gap-2 border-hair border-t pt-2">
      <legend className="sr-only">Derived channels</legend>
      <div className="flex items-center justify-between text-[13px] text-soft">
        Derived channels, offered as lanes and in tables
        <Button
          size="small"
          disabled={rows.length >= 12}
          onClick={() => onChange([...rows, { name: "", unit: "", formula: "" }])}
        >
          Add a derived channel
        </Button>
      </div>
      {rows.map((row, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: rows keep their order while they are typed
        <div key={i} className="grid grid-cols-[minmax(0,1fr)_90px_auto] gap-x-2 gap-y-1">
          <input
            aria-label={`Name of derived channel ${i + 1}`}
            className={inputLook}
            value={row.name}
            maxLength={40}
            placeholder="Combined acceleration"
            onChange={(e) => put(i, { name: e.target.value })}
          />
          <input
            aria-label={`Unit of derived channel ${i + 1}`}
            className={inputLook}
            value={row.unit}
            maxLength={12}
            placeholder="unit"
            onChange={(e) => put(i, { unit: e.target.value })}
          />
          <Button look="quiet" size="small" onClick={() => onChange(rows.filter((_, k) => k !== i))}>
            remove
          </Button>
          <div className="col-span-3 grid gap-1">
            <Formula
              row={row}
              number={i + 1}
              sensors={sensors}
              before={rows.slice(0, i).filter((r) => r.name.trim() && r.formula.trim())}
              onChange={(formula) => put(i, { formula })}
            />
          </div>
        </div>
      ))}
    </fieldset>
  );
}

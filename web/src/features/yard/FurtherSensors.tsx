import type { Schemas } from "@/api/client";
import { Button, inputLook } from "@/ui/basics";
import { numberOf } from "@/ui/entry";
import { unitWords } from "@/ui/format";

type Sensor = Schemas["FurtherSensor"];
type Typed = Record<"name" | "quantity" | "unit" | "low" | "high" | "low_v" | "high_v" | "input" | "hz", string> & {
  points: number;
};

const MOST = 8;
const BLANK: Omit<Typed, "input"> = {
  name: "",
  quantity: "",
  unit: "",
  low: "0",
  high: "100",
  low_v: "0.5",
  high_v: "4.5",
  hz: "10",
  points: 2,
};
const QUANTITIES = ["pressure", "temperature", "travel", "angle", "force", "flow", "voltage", "current", "level"];

/** What formulas call the channel of this name. */
export const channelKey = (name: string): string =>
  name
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "_")
    .replace(/^_+|_+$/g, "");

export const typedSensors = (sensors: Sensor[]): Typed[] =>
  sensors.map(({ points = 2, name, quantity = "", unit = "", low, high, low_v, high_v, input, hz }) => {
    const words = (v: number | undefined) => String(v ?? 0);
    return {
      ...{ name, quantity, unit, points, low: words(low), high: words(high) },
      ...{ low_v: words(low_v), high_v: words(high_v), input: words(input), hz: words(hz) },
    };
  });

/** The sensors that were typed, or what is wrong with one. */
export function sensorsOf(rows: Typed[]): Sensor[] | string {
  const found: Sensor[] = [];
  for (const [i, row] of rows.entries()) {
    const name = row.name.trim();
    if (!name) return `Further sensor ${i + 1} needs a name.`;
    const numbers = { low: 0, high: 0, low_v: 0, high_v: 0, input: 0, hz: 0 };
    for (const key of Object.keys(numbers) as (keyof typeof numbers)[]) {
      const entry = numberOf(row[key], { unit: key === "low" || key === "high" ? row.unit : "" });
      if ("wrong" in entry || entry.value === null) return `${name}: “${row[key]}” is not a number.`;
      numbers[key] = entry.value;
    }
    found.push({ name, quantity: row.quantity.trim(), unit: row.unit.trim(), points: row.points, ...numbers });
  }
  return found;
}

/** Analogue sensors beyond those that every logger knows: what they measure, where they are wired, how they are calibrated. */
export function FurtherSensors({ rows, onChange }: { rows: Typed[]; onChange: (rows: Typed[]) => void }) {
  const put = (i: number, change: Partial<Typed>) => onChange(rows.map((r, k) => (k === i ? { ...r, ...change } : r)));
  const free = () => String([1, 2, 3, 4, 5, 6, 7, 8].find((n) => !rows.some((r) => r.input === String(n))) ?? 1);
  return (
    <fieldset className="grid gap-2 border-hair border-t pt-2">
      <legend className="sr-only">Further sensors</legend>
      <div className="flex items-center justify-between text-[13px] text-soft">
        Further sensors on the logger's inputs, 0 to 5 V: logged and calibrated like the others
        <Button
          size="small"
          disabled={rows.length >= MOST}
          onClick={() => onChange([...rows, { ...BLANK, input: free() }])}
        >
          Add a sensor
        </Button>
      </div>
      <datalist id="quantities">
        {QUANTITIES.map((each) => (
          <option key={each} value={each} />
        ))}
      </datalist>
      {rows.map((row, i) => {
        const field = (key: Exclude<keyof Typed, "points">, label: string, most = 8, more = {}) => (
          <label className="min-w-0 text-[12.5px] text-soft">
            {label}
            <input
              aria-label={`${label} of further sensor ${i + 1}`}
              className={`${inputLook} px-2 ${most === 8 ? "text-right" : ""}`}
              value={row[key]}
              maxLength={most}
              inputMode={most === 8 ? "decimal" : undefined}
              onChange={(e) => put(i, { [key]: e.target.value })}
              {...more}
            />
          </label>
        );
        const unit = unitWords(row.unit.trim());
        const range = (words: string) => (unit ? `${words}, ${unit}` : words);
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: rows keep their order while they are typed
          <div key={i} className="grid gap-1.5 border-hair border-t pt-2 first-of-type:border-t-0">
            <div className="grid grid-cols-[minmax(0,1fr)_150px_90px_auto] items-end gap-2">
              {field("name", "Name", 40, { placeholder: "Brake line pressure" })}
              {field("quantity", "Quantity", 40, { placeholder: "pressure", list: "quantities" })}
              {field("unit", "Unit", 12, { placeholder: "bar" })}
              <Button
                look="quiet"
                size="small"
                aria-label={`remove further sensor ${i + 1}`}
                onClick={() => onChange(rows.filter((_, k) => k !== i))}
              >
                remove
              </Button>
            </div>
            <div className="grid grid-cols-[repeat(6,minmax(0,1fr))_minmax(0,1.7fr)] items-end gap-2 max-[640px]:grid-cols-3">
              {field("low", range("From"))}
              {field("high", range("To"))}
              {field("low_v", "V there")}
              {field("high_v", "V at the end")}
              {field("input", "Input")}
              {field("hz", "A second")}
              <label className="min-w-0 text-[12.5px] text-soft">
                Calibrated
                <select
                  aria-label={`Calibration of further sensor ${i + 1}`}
                  className={`${inputLook} px-1.5`}
                  value={row.points}
                  onChange={(e) => put(i, { points: Number(e.target.value) })}
                >
                  <option value={1}>zeroed, one press</option>
                  {[2, 3, 4, 5, 6, 7, 8, 9].map((n) => (
                    <option key={n} value={n}>
                      at {n} points
                    </option>
                  ))}
                </select>
              </label>
            </div>
          </div>
        );
      })}
    </fieldset>
  );
}

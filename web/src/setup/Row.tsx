import { FieldInput } from "./FieldInput";
import { OnRecorder } from "./OnRecorder";
import type { SetupField } from "./settings";

/** A setting: label, value, what the recorder has in its place. */
export function Row({
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
        <FieldInput field={field} onChange={onChange} />
      </span>
      <span className="border-hair border-t py-1.5 pr-4 pl-2 font-medium font-narrow text-[12.5px] text-action">
        {field.differs && <OnRecorder field={field} onTake={onChange} />}
      </span>
    </div>
  );
}

import { FieldInput } from "./FieldInput";
import { OnRecorder } from "./OnRecorder";
import type { SetupField } from "./settings";

/** A setting within a sentence or a picture: words, value, what the recorder has in its place right below. */
export function Boxed({
  before,
  after = "",
  field,
  onChange,
}: {
  before: string;
  after?: string;
  field: SetupField;
  onChange: (value: unknown) => void;
}) {
  return (
    <span className="inline-block align-top">
      <span className={`flex items-center gap-1.5 rounded px-1 ${field.differs ? "bg-warn" : ""}`}>
        {before} <FieldInput field={field} bare onChange={onChange} />
        {after}
      </span>
      <span className="block min-h-6 px-1 font-medium font-narrow text-[12.5px] text-action">
        {field.differs && <OnRecorder field={field} onTake={onChange} />}
      </span>
    </span>
  );
}

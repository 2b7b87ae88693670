import { amount, type SetupField } from "./settings";

/** What the recorder has in place of the draft; a click takes it over, where the form can hold it. */
export function OnRecorder({
  field,
  short = false,
  onTake,
}: {
  field: SetupField;
  short?: boolean;
  onTake: (value: unknown) => void;
}) {
  const { on_recorder, unit_on_recorder, value_on_recorder: value } = field;
  const nothing = value === null || value === undefined;
  const long = `on recorder ${amount(on_recorder, nothing ? "" : unit_on_recorder)}`;
  const brief = nothing
    ? "not on it"
    : `has ${amount(on_recorder, unit_on_recorder === field.unit ? "" : unit_on_recorder)}`;
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

import type { SetupEditorProps } from "@/setup/editor";
import { FieldInput } from "@/setup/FieldInput";
import { OnRecorder } from "@/setup/OnRecorder";
import { Segmented } from "@/ui/segmented";

const CHOICES = [
  ["distance", "distance"],
  ["time", "time"],
] as const;
const USUAL_S = 300;

/** Splits that the watch makes by itself: by distance or by time. */
export default function SplitEditor({ settings, fields, put }: SetupEditorProps) {
  const byTime = settings.split_s !== null && settings.split_s !== undefined;
  const own = fields.find((f) => f.path === (byTime ? "split_s" : "split_m"));
  const time = fields.find((f) => f.path === "split_s");
  if (!own || !time) return null;
  const differs = own.differs || time.differs;
  const was = time.value_on_recorder ? time : fields.find((f) => f.path === "split_m");
  return (
    <div
      className={`flex flex-wrap items-center gap-2 border-hair border-t py-1 pr-4 pl-4 ${differs ? "bg-warn" : ""}`}
    >
      <span className="w-[152px] text-soft">Splits by itself</span>
      <Segmented
        label="Splits by"
        value={byTime ? "time" : "distance"}
        choices={CHOICES}
        onChange={(by) => put("split_s", by === "time" ? USUAL_S : null)}
      />
      <span className="flex items-center gap-1">
        every <FieldInput field={own} bare onChange={(value) => put(own.path, value)} /> {own.unit}
      </span>
      {differs && was && (
        <span className="ml-auto font-medium font-narrow text-[12.5px] text-action">
          {own.differs && byTime === Boolean(time.value_on_recorder) ? (
            <OnRecorder field={own} onTake={(value) => put(own.path, value)} />
          ) : (
            <button
              type="button"
              className="min-h-6 hover:underline"
              title="Take this back"
              onClick={() => put("split_s", time.value_on_recorder ?? null)}
            >
              on recorder every {was.on_recorder} {was.unit}
            </button>
          )}
        </span>
      )}
    </div>
  );
}

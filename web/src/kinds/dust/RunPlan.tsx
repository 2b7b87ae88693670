import { Boxed } from "@/setup/Boxed";
import type { SetupEditorProps } from "@/setup/editor";
import { OnRecorder } from "@/setup/OnRecorder";
import { PlanFacts } from "@/setup/PlanFacts";
import { Segmented } from "@/ui/segmented";

const MODES = [
  ["logged", "logged"],
  ["spot", "spot, nothing stored"],
] as const;

/** The runs of a dust monitor as one sentence and one bar: when they start, how long, how many, how often a value. */
export default function RunPlan({ settings, fields, draft, put }: SetupEditorProps) {
  const field = (path: string) => fields.find((f) => f.path === path);
  const mode = field("mode");
  const logged = settings.mode !== "spot";
  const { length_min: length, marks_min: marks } = draft.plan;
  const run = marks[1] ?? length;
  const boxed = (path: string, before: string, after = "") => {
    const own = field(path);
    return own && <Boxed key={path} before={before} after={after} field={own} onChange={(v) => put(path, v)} />;
  };
  return (
    <div className="border-hair border-t px-4 pt-2.5 pb-0">
      <div className={`flex items-center gap-3 ${mode?.differs ? "bg-warn" : ""}`}>
        <b className="w-[140px] font-medium">Runs</b>
        <Segmented
          label="Mode"
          value={logged ? "logged" : "spot"}
          choices={MODES}
          onChange={(chosen) => put("mode", chosen)}
        />
        <span className="ml-auto font-medium font-narrow text-[12.5px] text-action">
          {mode?.differs && <OnRecorder field={mode} onTake={(value) => put("mode", value)} />}
        </span>
      </div>
      {logged && (
        <>
          <div className="mt-2 flex flex-wrap gap-x-3">
            {boxed("start_at", "starts at")}
            {boxed("runs", "", settings.runs === 1 ? "run" : "runs")}
            {boxed("run_length_min", "of", "")}
            {boxed("interval_s", "a value every", "s")}
          </div>
          {length > 0 && (
            <div aria-hidden="true" className="relative my-1 h-5 overflow-hidden rounded bg-hair">
              {marks.map((at) => (
                <span
                  key={at}
                  className="absolute inset-y-0 border-panel border-r-2 bg-brass-soft"
                  style={{ left: `${(100 * at) / length}%`, width: `${(100 * run) / length}%` }}
                />
              ))}
            </div>
          )}
        </>
      )}
      <div className="-mx-4 mt-1">
        <PlanFacts plan={draft.plan} />
      </div>
    </div>
  );
}

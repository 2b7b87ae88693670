import type { Schemas } from "@/api/client";
import { Outline } from "@/charts/Outline";
import type { SetupEditorProps } from "@/setup/editor";
import { Row } from "@/setup/Row";

type OnIt = Schemas["CourseOnIt"];

function stands(course: OnIt, wished: boolean): string {
  if (wished && !course.on_it) return "will be sent";
  if (!wished && course.on_it) return "will be removed";
  if (wished && course.here && !course.same) return "on recorder: another line";
  return course.on_it && !course.here ? "only on the recorder" : "";
}

/** The courses that the logger is to know: ticked ones are sent, ones that are not are removed from it. */
export default function CoursesEditor({ fields, draft, recorder, put, courses, onCourses }: SetupEditorProps) {
  const [own] = fields;
  const names = courses ?? draft.courses.filter((c) => c.on_it).map((c) => c.name);
  const toggle = (name: string) =>
    onCourses(names.includes(name) ? names.filter((each) => each !== name) : [...names, name]);
  const there = draft.courses.filter((c) => c.on_it).length;
  return (
    <>
      {own && (
        <div className="grid grid-cols-[168px_minmax(0,1fr)_150px]">
          <Row field={own} label={own.label} onChange={(value) => put(own.path, value)} />
        </div>
      )}
      {recorder.can.includes("courses") && (
        <div className="border-hair border-t px-4 py-2">
          <span className="text-soft">Courses on it</span>{" "}
          <span className="text-[12.5px] text-soft">
            {draft.courses.filter((c) => c.here).length} known here, {there} on the recorder
          </span>
          <div className="mt-1.5 flex flex-wrap gap-2">
            {draft.courses.map((course) => {
              const wished = names.includes(course.name);
              const words = stands(course, wished);
              return (
                <label
                  key={course.name}
                  className={`w-[96px] cursor-pointer rounded-md border p-1.5 ${words ? "border-action bg-warn" : wished ? "border-act" : "border-line text-soft"}`}
                >
                  <span className="flex items-start justify-between">
                    <Outline points={course.outline} />
                    <input
                      type="checkbox"
                      className="size-4 accent-(--act)"
                      checked={wished}
                      onChange={() => toggle(course.name)}
                    />
                  </span>
                  <span className="block truncate text-[12.5px]" title={course.name}>
                    {course.name}
                  </span>
                  <span className="block min-h-[15px] font-medium font-narrow text-[11.5px] text-action">{words}</span>
                </label>
              );
            })}
            {draft.courses.length === 0 && <p className="text-soft">No course is known here or there.</p>}
          </div>
        </div>
      )}
    </>
  );
}

import { Boxed } from "@/setup/Boxed";
import { StartPicture } from "@/setup/display/StartPicture";
import type { SetupEditorProps } from "@/setup/editor";

const WORDS: Record<string, string> = {
  brightness: "brightness, day",
  night_brightness: "night",
  night_from: "night look from",
  night_to: "to",
};

/** The logger's display: how bright by day and by night, and the picture at switching on. */
export default function DisplayEditor({ fields, recorder, put, picture, onPicture }: SetupEditorProps) {
  return (
    <div className={`border-hair border-t px-4 py-2 ${picture ? "bg-warn" : ""}`}>
      <div className="flex flex-wrap gap-x-2">
        <span className="w-[152px] pt-1 text-soft">Its display</span>
        {fields.map((field) => (
          <Boxed
            key={field.path}
            before={WORDS[field.path] ?? field.label}
            after={field.unit}
            field={field}
            onChange={(value) => put(field.path, value)}
          />
        ))}
      </div>
      <StartPicture recorder={recorder} picture={picture} onPicture={onPicture} />
    </div>
  );
}

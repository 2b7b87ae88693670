import { StartPicture } from "@/setup/display/StartPicture";
import type { SetupEditorProps } from "@/setup/editor";
import { Row } from "@/setup/Row";

/** What the watch shows at switching on: words, and a picture. */
export default function GreetingEditor({ fields, recorder, put, picture, onPicture }: SetupEditorProps) {
  const [own] = fields;
  return (
    <>
      {own && (
        <div className="grid grid-cols-[168px_minmax(0,1fr)_150px]">
          <Row field={own} label={own.label} onChange={(value) => put(own.path, value)} />
        </div>
      )}
      {recorder.can.includes("picture") && (
        <div className={`border-hair border-t px-4 py-2 ${picture ? "bg-warn" : ""}`}>
          <StartPicture recorder={recorder} picture={picture} onPicture={onPicture} />
        </div>
      )}
    </>
  );
}

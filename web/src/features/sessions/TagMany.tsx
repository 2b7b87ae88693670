import { useState } from "react";
import { useKindWords } from "@/kinds/kinds";
import { Button, inputLook } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";

/** Says the same of several sessions: where, what, under which circumstances. */
export function TagMany({
  count,
  onTag,
  onClose,
}: {
  count: number;
  onTag: (key: string, value: string) => void;
  onClose: () => void;
}) {
  const kinds = useKindWords();
  const words = new Map((kinds.data ?? []).flatMap((kind) => kind.tags.map((tag) => [tag.key, tag] as const)));
  const [key, setKey] = useState("place");
  const [value, setValue] = useState("");
  const offered = [...new Set((kinds.data ?? []).flatMap((k) => k.tags.find((t) => t.key === key)?.suggestions ?? []))];
  return (
    <Dialog title={`Tag ${count} session${count === 1 ? "" : "s"}`} open onClose={onClose}>
      <form
        className="grid gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          onTag(key, value.trim());
        }}
      >
        <div className="grid grid-cols-[130px_1fr] gap-2">
          <select
            aria-label="Which tag"
            className="min-h-[34px] rounded-md border border-line bg-panel px-2"
            value={key}
            onChange={(event) => setKey(event.target.value)}
          >
            {[...words.values()].map((word) => (
              <option key={word.key} value={word.key}>
                {word.label}
              </option>
            ))}
          </select>
          <input
            className={inputLook}
            aria-label="What it says"
            list="tag-many"
            placeholder={words.get(key)?.hint || "empty takes the tag away"}
            value={value}
            maxLength={200}
            onChange={(event) => setValue(event.target.value)}
          />
          <datalist id="tag-many">
            {offered.map((each) => (
              <option key={each} value={each} />
            ))}
          </datalist>
        </div>
        <p className="text-[13px] text-soft">What is signed off keeps its tags.</p>
        <div>
          <Button look="primary" type="submit">
            {value.trim() ? "Tag them" : "Take the tag away"}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

import { useEffect, useRef } from "react";
import type { Schemas } from "@/api/client";
import { Tag } from "@/ui/basics";

const IN_THE_ROW = 2;

/** A tag by itself; with its label where its words say nothing alone: "patch test: yes". */
export function tagWords(words: Schemas["TagWord"][], key: string, said: string): string {
  if (!/^(yes|no|none|true|false|[\d.,]+)$/i.test(said.trim())) return said;
  const label = words.find((w) => w.key === key)?.label ?? key;
  return `${label.toLowerCase()}: ${said}`;
}

/** The tags that a row has room for, those that no setting says first. */
export const rowTags = (words: Schemas["TagWord"][]) =>
  [...words].sort((a, b) => Number(Boolean(a.setting)) - Number(Boolean(b.setting))).slice(0, IN_THE_ROW);

/** Tags in the row: a click or Enter opens them in place; Tab goes to the next, Enter to the same tag one row down. */
export function TagCell({
  row,
  words,
  tags,
  editing,
  onEdit,
  onTag,
  onDown,
}: {
  /** What the row is called. */
  row: string;
  words: Schemas["TagWord"][];
  tags: Record<string, string>;
  /** The tag that is being typed; null when none is. */
  editing: string | null;
  /** Nothing when the tags of this row cannot be changed. */
  onEdit?: (tag: string | null) => void;
  onTag: (tag: string, words: string) => void;
  onDown: (tag: string) => void;
}) {
  const shown = Object.entries(tags).filter(([, said]) => said);
  const open = rowTags(words);
  const button = useRef<HTMLButtonElement>(null);
  const was = useRef(editing);
  // Typed to the end with the keyboard: the place in the list is not lost.
  useEffect(() => {
    const here = document.activeElement;
    if (was.current !== null && editing === null && (here === document.body || here?.id === "screen"))
      button.current?.focus();
    was.current = editing;
  }, [editing]);
  if (editing !== null && onEdit)
    return (
      // biome-ignore lint/a11y/noStaticElementInteractions: it only hears that the cursor left both of its fields
      <span
        className="flex gap-1"
        onBlur={(e) => {
          if (!e.currentTarget.contains(e.relatedTarget)) onEdit(null);
        }}
      >
        {open.map((word) => (
          <input
            key={word.key}
            // biome-ignore lint/a11y/noAutofocus: it was just opened by a click or by Enter
            autoFocus={word.key === editing}
            className="min-h-6 w-full min-w-0 rounded border border-line bg-panel px-1"
            aria-label={`${word.label} of ${row}`}
            placeholder={word.label.toLowerCase()}
            list={`said ${word.key}`}
            maxLength={200}
            defaultValue={tags[word.key] ?? ""}
            onBlur={(e) => {
              if (e.target.value.trim() !== (tags[word.key] ?? "")) onTag(word.key, e.target.value.trim());
            }}
            onKeyDown={(e) => {
              if (e.key === "Enter") {
                e.currentTarget.blur();
                onDown(word.key);
              } else if (e.key === "Escape") {
                e.currentTarget.value = tags[word.key] ?? "";
                onEdit(null);
              } else return;
              e.preventDefault();
              e.stopPropagation();
            }}
          />
        ))}
        {open.map((word) => (
          <datalist key={word.key} id={`said ${word.key}`}>
            {word.suggestions.map((each) => (
              <option key={each} value={each} />
            ))}
          </datalist>
        ))}
      </span>
    );
  const words_ = shown.slice(0, IN_THE_ROW).map(([key, said], i) => (
    <span key={key} className={i > 0 ? "hidden min-[1180px]:inline" : ""}>
      <Tag>{tagWords(words, key, said)}</Tag>
    </span>
  ));
  if (!onEdit) return <span className="flex gap-1 overflow-hidden">{words_}</span>;
  return (
    <button
      ref={button}
      type="button"
      className="flex min-h-6 w-full items-center gap-1 overflow-hidden rounded text-left text-none hover:bg-hair hover:text-act"
      onClick={() => onEdit(open[0]?.key ?? null)}
    >
      <span className="sr-only">tags of {row}:</span>
      {words_.length > 0 ? words_ : "…"}
    </button>
  );
}

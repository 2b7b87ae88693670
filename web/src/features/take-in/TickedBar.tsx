import { useState } from "react";
import type { Schemas } from "@/api/client";
import { useKindWords } from "@/kinds/kinds";
import { Button } from "@/ui/basics";
import { PersonPicker } from "@/ui/person-picker";
import type { Draft, Line } from "./dock";

/** Writes what was said here, and nothing else, into all ticked sessions: one row's care for many. */
export function TickedBar({
  lines,
  drafts,
  onSet,
  onClose,
}: {
  lines: Line[];
  drafts: Record<string, Draft>;
  onSet: (change: { tags: Record<string, string>; person: Schemas["Person"] | null; unclaimed: boolean }) => void;
  onClose: () => void;
}) {
  const words = useKindWords().data ?? [];
  const [tags, setTags] = useState<Record<string, string>>({});
  const [person, setPerson] = useState<Schemas["Person"] | null>(null);
  const kinds = new Set(lines.map((l) => l.found.kind));
  // Only what every ticked kind can be said to have.
  const shared = words
    .filter((k) => kinds.has(k.key))
    .map((k) => k.tags)
    .reduce(
      (all, own) => all.filter((a) => own.some((b) => b.key === a.key)),
      words.find((k) => kinds.has(k.key))?.tags ?? [],
    );
  const touched = Object.keys(tags).length > 0 || person !== null;
  const now = (key: string) => {
    const found = new Set(lines.map((l) => (drafts[l.key]?.tags ?? l.found.tags)[key] ?? ""));
    if (found.size > 1) return `${found.size} different`;
    return [...found][0] || "";
  };
  return (
    <section
      aria-label="Ticked sessions"
      className="sticky bottom-0 flex flex-wrap items-center gap-2 rounded-b-lg bg-slate px-3 py-2 text-[13px] text-white"
    >
      <b className="font-semibold">{lines.length} ticked</b>
      <span className="[&_button]:min-h-[28px] [&_button]:border-[#58707b] [&_button]:bg-transparent [&_button]:px-2.5 [&_button]:text-white">
        <PersonPicker label={person ? person.name : "person as handed out"} onPick={setPerson} />
      </span>
      {shared.slice(0, 4).map((w) => (
        <label
          key={w.key}
          className="flex h-[28px] items-center gap-1.5 rounded-md border border-[#58707b] pl-2.5 text-[#b9c4c8]"
        >
          {w.label.toLowerCase()}
          <input
            className="w-24 bg-transparent pr-2 text-white placeholder:text-[#8fa2aa]"
            aria-label={`${w.label} of the ticked`}
            placeholder={now(w.key) || w.hint}
            value={tags[w.key] ?? ""}
            onChange={(e) => setTags({ ...tags, [w.key]: e.target.value })}
          />
        </label>
      ))}
      <Button
        className="min-h-[28px] border-white"
        disabled={!touched}
        onClick={() => {
          onSet({ tags, person, unclaimed: false });
          setTags({});
          setPerson(null);
        }}
      >
        Set for the {lines.length}
      </Button>
      <button type="button" className="ml-auto px-2 text-[#b9c4c8] hover:text-white" onClick={onClose}>
        not now
      </button>
    </section>
  );
}

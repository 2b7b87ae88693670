import { useState } from "react";
import { useKindWords } from "@/kinds/kinds";
import { type Draft, type Group, isStored, isWaiting, type Line, type LinkRules, noDraft, takesTags } from "./dock";
import { SessionRow } from "./SessionRow";
import { rowTags } from "./TagCell";
import { TeamRow } from "./TeamRow";
import { usePutTags } from "./useLateTags";

const NOTHING: never[] = [];
const HEADS = [
  ["", "w-[36px]"],
  ["", "w-[58px]", "Recorder"],
  ["Whose", "w-[132px]"],
  ["Kind", "hidden w-[104px] min-[1180px]:table-cell"],
  ["Start", "w-[154px]"],
  ["Length", "w-[84px]"],
  ["Setup", "hidden w-[150px] min-[1440px]:table-cell"],
  ["Tags", "w-[96px] min-[1180px]:w-[160px]"],
  ["State", ""],
  ["", "w-[58px]", "Review"],
] as const;

/** Sessions on the recorders, a row each; tags are written in the row, before it is taken in as after. */
export function SessionTable({
  groups,
  opened,
  lines,
  fresh,
  ticked,
  drafts,
  selected,
  rules,
  onTickAll,
  onTickTeam,
  onTick,
  onFold,
  onOpen,
  onDraft,
}: {
  groups: Group[];
  /** The teams whose rows are shown. */
  opened: ReadonlySet<string>;
  /** The rows that are shown, in their order. */
  lines: Line[];
  fresh: Line[];
  ticked: Set<string>;
  drafts: Record<string, Draft>;
  selected: string | null;
  rules: LinkRules;
  onTickAll: (on: boolean) => void;
  onTickTeam: (lines: Line[], on: boolean) => void;
  onTick: (line: Line, span: boolean) => void;
  onFold: (team: string) => void;
  onOpen: (line: Line, byKey: boolean) => void;
  onDraft: (key: string, draft: Draft) => void;
}) {
  const kinds = useKindWords().data ?? [];
  const wordsOf = (kind: string) => kinds.find((k) => k.key === kind)?.tags ?? NOTHING;
  const [editing, setEditing] = useState<{ key: string; tag: string } | null>(null);
  const put = usePutTags();
  const say = ({ found, key }: Line, tag: string, words: string) => {
    if (isStored(found)) return put.mutate({ id: found.session_id ?? 0, tags: { [tag]: words } });
    const own = drafts[key] ?? noDraft(found);
    onDraft(key, { ...own, tags: { ...own.tags, [tag]: words } });
  };
  /** The same tag in the next row that has it. */
  const down = (line: Line, tag: string) => {
    const next = lines
      .slice(lines.indexOf(line) + 1)
      .find((l) => takesTags(l.found) && rowTags(wordsOf(l.found.kind)).some((w) => w.key === tag));
    setEditing(next ? { key: next.key, tag } : null);
  };
  const row = (line: Line) => (
    <SessionRow
      key={line.key}
      bay={line.bay}
      found={line.found}
      draft={drafts[line.key]}
      ticked={ticked.has(line.key)}
      open={selected === line.key}
      longS={rules.longS(line.bay.recorder.kind)}
      words={wordsOf(line.found.kind)}
      editing={editing?.key === line.key ? editing.tag : null}
      onEdit={(tag) =>
        setEditing((old) => (tag === null ? (old?.key === line.key ? null : old) : { key: line.key, tag }))
      }
      onTag={(tag, words) => say(line, tag, words)}
      onDown={(tag) => down(line, tag)}
      onTick={(span) => onTick(line, span)}
      onOpen={(byKey) => onOpen(line, byKey)}
    />
  );
  return (
    <table className="w-full table-fixed border-collapse text-[13.5px]">
      <thead className="text-left font-narrow text-[12.5px] text-soft">
        <tr className="h-8">
          {HEADS.map(([name, look, unseen], i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: columns never change places
            <th key={i} className={`px-1.5 font-medium ${look}`}>
              {i === 0 ? (
                <input
                  type="checkbox"
                  aria-label="Tick all that wait"
                  className="ml-1.5 size-4 align-middle accent-(--act)"
                  disabled={fresh.length === 0}
                  checked={fresh.length > 0 && fresh.every((l) => ticked.has(l.key))}
                  onChange={(e) => onTickAll(e.target.checked)}
                />
              ) : (
                name || <span className="sr-only">{unseen}</span>
              )}
            </th>
          ))}
        </tr>
      </thead>
      {groups.map(({ team, lines: mine }) => (
        <tbody key={team}>
          {team !== null && (
            <TeamRow
              team={team}
              columns={HEADS.length}
              lines={mine}
              open={opened.has(team)}
              ticked={ticked}
              onTick={(on) =>
                onTickTeam(
                  mine.filter(({ found }) => isWaiting(found)),
                  on,
                )
              }
              onFold={() => onFold(team)}
            />
          )}
          {(team === null || opened.has(team)) && mine.map(row)}
        </tbody>
      ))}
    </table>
  );
}

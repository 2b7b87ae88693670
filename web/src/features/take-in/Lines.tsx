import type { Draft, LinkRules } from "./dock";
import { asideWords, Fold } from "./Fold";
import { SessionTable } from "./SessionTable";
import { changedMany, type Looking, type Sight } from "./sight";
import { TickedBar } from "./TickedBar";
import { toggled, type useTicks } from "./useTicks";

/** The lines of the dock: those to take in, folds of what is aside or stored, and what is done with many at once. */
export function Lines({
  sight,
  looking,
  onLook,
  ticks: { ticked, tick, setTicked },
  drafts,
  onDrafts,
  selected,
  onOpen,
  rules,
}: {
  sight: Sight;
  looking: Looking;
  onLook: (change: Partial<Pick<Looking, "opened" | "showAside" | "showStored">>) => void;
  ticks: ReturnType<typeof useTicks>;
  drafts: Record<string, Draft>;
  onDrafts: (next: (old: Record<string, Draft>) => Record<string, Draft>) => void;
  selected: string | null;
  onOpen: (key: string, byKey: boolean) => void;
  rules: LinkRules;
}) {
  const { all, fresh, groups, shown, aside, hiddenStored } = sight;
  const { opened, showAside, showStored, only } = looking;
  const chosen = all.filter((l) => ticked.has(l.key));
  return (
    <div className="rounded-lg border border-line bg-panel">
      {groups.length > 0 ? (
        <SessionTable
          groups={groups}
          opened={opened}
          lines={shown}
          fresh={fresh}
          ticked={ticked}
          drafts={drafts}
          selected={selected}
          rules={rules}
          onTickAll={(on) => setTicked(on ? new Set(fresh.map((l) => l.key)) : new Set())}
          onTickTeam={(lines, on) => {
            const keys = lines.map((l) => l.key);
            setTicked(on ? new Set([...ticked, ...keys]) : new Set([...ticked].filter((k) => !keys.includes(k))));
          }}
          onTick={(line, span) => tick(line, span ? shown : [])}
          onFold={(team) => onLook({ opened: toggled(opened, team) })}
          onOpen={(line, byKey) => onOpen(line.key, byKey)}
          onDraft={(key, draft) => onDrafts((old) => ({ ...old, [key]: draft }))}
        />
      ) : (
        <p className="px-3.5 py-3 text-soft">
          {only === null ? "Nothing new on the recorders in reach." : "Nothing on it."}
        </p>
      )}
      <Fold
        count={aside.length}
        open={showAside}
        onToggle={() => onLook({ showAside: !showAside })}
        title={`${aside.length} kept aside`}
        about={asideWords(aside)}
      />
      <Fold
        count={hiddenStored}
        open={showStored}
        onToggle={() => onLook({ showStored: !showStored })}
        title={showStored ? `Hide ${hiddenStored} stored` : `Show ${hiddenStored} stored`}
        about="taken in earlier and still on the recorders"
      />
      {ticked.size > 0 && (
        <TickedBar
          lines={chosen}
          drafts={drafts}
          onSet={(change) => onDrafts((old) => changedMany(old, chosen, change))}
          onClose={() => setTicked(new Set())}
        />
      )}
    </div>
  );
}

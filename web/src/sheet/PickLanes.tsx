import { Popover } from "radix-ui";

/** Which channels are shown, in which order. */
export function PickLanes({
  channels,
  shown,
  changed,
  words = "pick, order",
  onPick,
}: {
  channels: { key: string; name: string }[];
  shown: string[];
  changed: boolean;
  /** What opens it. */
  words?: string;
  onPick: (keys: string[] | null) => void;
}) {
  const ordered = [...shown, ...channels.map((c) => c.key).filter((k) => !shown.includes(k))];
  const move = (key: string, by: number) => {
    const at = shown.indexOf(key);
    const to = at + by;
    if (at < 0 || to < 0 || to >= shown.length) return;
    const next = [...shown];
    next.splice(at, 1);
    next.splice(to, 0, key);
    onPick(next);
  };
  return (
    <Popover.Root>
      <Popover.Trigger className="min-h-6 text-act hover:underline">{words}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={6}
          aria-label="Channels shown"
          className="z-40 max-h-[60vh] w-72 overflow-auto rounded-lg border border-line bg-panel p-3 text-[13px] shadow-xl"
        >
          {ordered.map((key) => {
            const channel = channels.find((c) => c.key === key);
            const on = shown.includes(key);
            return (
              <div key={key} className="flex min-h-7 items-center gap-2">
                <label className="flex min-w-0 flex-1 items-center gap-2">
                  <input
                    type="checkbox"
                    checked={on}
                    onChange={() => onPick(on ? shown.filter((k) => k !== key) : [...shown, key])}
                  />
                  <span className="truncate">{channel?.name ?? key}</span>
                </label>
                {on && (
                  <>
                    <button
                      type="button"
                      aria-label={`${channel?.name ?? key} up`}
                      className="min-h-6 min-w-6 hover:text-act"
                      onClick={() => move(key, -1)}
                    >
                      ↑
                    </button>
                    <button
                      type="button"
                      aria-label={`${channel?.name ?? key} down`}
                      className="min-h-6 min-w-6 hover:text-act"
                      onClick={() => move(key, 1)}
                    >
                      ↓
                    </button>
                  </>
                )}
              </div>
            );
          })}
          {changed && (
            <button type="button" className="pt-1 text-act hover:underline" onClick={() => onPick(null)}>
              as usual
            </button>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

import { kindName } from "@/kinds/kinds";
import { dayWords } from "@/ui/days";
import { dayMonth } from "@/ui/format";
import { type Plan, short } from "./usePlan";

const LEFT = 128;
const ROW = 42;
const HEAD = 22;
const WIDE = 760;
const TALL = 26;

const weekend = (day: string) => [0, 6].includes(new Date(`${day}T00:00Z`).getUTCDay());
const monday = (day: string) => new Date(`${day}T00:00Z`).getUTCDay() === 1;

/** Recorders wanted each day against those there to give, a kind a row; a day is opened by a press on its column. */
export function Calendar({
  plan,
  kind: openKind,
  day: openDay,
  onOpen,
}: {
  plan: Plan;
  kind: string | null;
  day: string | null;
  onOpen: (kind: string, day: string) => void;
}) {
  const rows = plan.kinds.filter((each) => each.recorders > 0 || each.wanted.some((n) => n > 0));
  const wide = (WIDE - LEFT) / plan.days.length;
  const x = (at: number) => LEFT + at * wide;
  const bottom = HEAD + rows.length * ROW;
  return (
    <div className="overflow-x-auto">
      <svg viewBox={`0 0 ${WIDE} ${bottom + 4}`} className="block min-w-[600px]">
        <title>Recorders wanted each day, by kind</title>
        {plan.days.map((day, at) => (
          <g key={day}>
            {weekend(day) && <rect x={x(at)} y={HEAD} width={wide} height={bottom - HEAD} className="fill-hair" />}
            {(at === 0 || (monday(day) && plan.days.length - at > 3)) && (
              <text x={x(at)} y={13} className="fill-soft font-narrow text-[11.5px]">
                {dayMonth(day)}
              </text>
            )}
          </g>
        ))}
        {rows.map((kind, row) => {
          const top = HEAD + row * ROW;
          const most = Math.max(...kind.there, ...kind.wanted, 1);
          const y = (count: number) => top + ROW - 6 - (count / most) * TALL;
          return (
            <g key={kind.kind}>
              <line x1={0} x2={WIDE} y1={top + ROW} y2={top + ROW} className="stroke-line" />
              <text x={0} y={top + 18} className="fill-ink font-narrow font-semibold text-[13px]">
                {kindName(kind.kind)}
              </text>
              <text x={0} y={top + 32} className="fill-soft text-[11.5px]">
                {kind.recorders} recorder{kind.recorders === 1 ? "" : "s"}
              </text>
              {plan.days.map((day, at) => {
                const wanted = kind.wanted[at] ?? 0;
                const there = kind.there[at] ?? 0;
                const over = short(kind, at);
                const words = `${kindName(kind.kind)}, ${dayWords(day)}: ${wanted} wanted, ${there} there${over ? `, ${over} short` : ""}`;
                const open = openKind === kind.kind && openDay === day;
                return (
                  <g key={day}>
                    {wanted > 0 && (
                      <rect
                        x={x(at) + 1.5}
                        y={y(Math.min(wanted, there))}
                        width={wide - 3}
                        height={top + ROW - 6 - y(Math.min(wanted, there))}
                        className="fill-brass"
                      />
                    )}
                    {over > 0 && (
                      <>
                        <rect
                          x={x(at) + 1.5}
                          y={y(wanted)}
                          width={wide - 3}
                          height={y(there) - y(wanted)}
                          className="fill-[color-mix(in_srgb,var(--action)_30%,transparent)] stroke-action"
                        />
                        <text
                          x={x(at) + wide / 2}
                          y={y(wanted) - 2}
                          textAnchor="middle"
                          className="fill-action font-narrow text-[10.5px]"
                        >
                          −{over}
                        </text>
                      </>
                    )}
                    <path
                      d={`M${x(at)} ${y(there)}h${wide}`}
                      className="fill-transparent stroke-ink"
                      strokeWidth={1.3}
                    />
                    {/* biome-ignore lint/a11y/useSemanticElements: a button cannot stand in a drawing */}
                    <rect
                      role="button"
                      tabIndex={wanted > 0 ? 0 : -1}
                      aria-label={words}
                      aria-pressed={open}
                      x={x(at)}
                      y={top}
                      width={wide}
                      height={ROW}
                      className={`cursor-pointer fill-transparent hover:stroke-act ${open ? "stroke-act" : ""}`}
                      strokeWidth={open ? 2 : 1}
                      onClick={() => onOpen(kind.kind, day)}
                      onKeyDown={(event) => {
                        if (event.key !== "Enter" && event.key !== " ") return;
                        event.preventDefault();
                        onOpen(kind.kind, day);
                      }}
                    >
                      <title>{words}</title>
                    </rect>
                  </g>
                );
              })}
            </g>
          );
        })}
        <line x1={LEFT} x2={LEFT} y1={HEAD - 4} y2={bottom} className="stroke-brass" strokeWidth={2} />
      </svg>
    </div>
  );
}

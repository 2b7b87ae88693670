import { type PointerEvent, useRef } from "react";
import { Boxed } from "@/setup/Boxed";
import type { SetupEditorProps } from "@/setup/editor";
import { FieldInput } from "@/setup/FieldInput";
import { PlanFacts } from "@/setup/PlanFacts";
import { type SetupField, valueAt } from "@/setup/settings";
import { Button } from "@/ui/basics";
import { clockMin, clockText, DAY_MIN, momentsOf, STEP_MIN, stretchesOf } from "./day";

const MOST_QUIET = 3;
const HOURS_BETWEEN_LABELS = 3;
const FEW_WORDS = 0.31;
/** Where a grip can be touched: that of an hour's window reaches outwards, so that none covers the other. */
const GRIPS = {
  middle: "-translate-x-1/2 -top-1.5 h-[30px] justify-items-center",
  begins: "-translate-x-[81%] top-[22px] h-[32px] justify-items-end",
  ends: "-translate-x-[19%] top-[22px] h-[32px] justify-items-start",
};

interface Grip {
  path: string;
  label: string;
  atMin: number;
}

/** The wearer's own day: when they are up, asleep and want quiet; each edge is dragged, typed, or moved with the arrow keys. */
export default function DayBar({ settings, fields, draft, person, put }: SetupEditorProps) {
  const bar = useRef<HTMLDivElement>(null);
  const field = (path: string): SetupField | undefined => fields.find((f) => f.path === path);
  const { starts_min: starts, length_min: length, marks_min: marks } = draft.plan;
  if (!length) return null;
  const share = (minutes: number) => `${(100 * minutes) / length}%`;
  const wall = (path: string) => clockMin(valueAt(settings, path));
  const asleep = stretchesOf(wall("asleep_from"), wall("awake_from"), starts, length);
  const quiet = (settings.quiet as { start: string; end: string; why?: string }[] | undefined) ?? [];
  const quietStretches = quiet.flatMap((w) =>
    stretchesOf(clockMin(w.start), clockMin(w.end), starts, length).map(([a, b]) => [w, a, b] as const),
  );
  const grips: Grip[] = [
    ["asleep_from", "goes to bed"] as const,
    ["awake_from", "gets up"] as const,
    ...quiet.flatMap((_, i) => [
      [`quiet.${i}.start`, `quiet window ${i + 1} begins`] as const,
      [`quiet.${i}.end`, `quiet window ${i + 1} ends`] as const,
    ]),
  ].flatMap(([path, label]) => momentsOf(wall(path), starts, length).map((atMin) => ({ path, label, atMin })));

  const move = (path: string, atMin: number) => {
    const snapped = clockText(Math.round((starts + atMin) / STEP_MIN) * STEP_MIN);
    if (snapped !== valueAt(settings, path)) put(path, snapped);
  };
  const drag = (path: string) => (event: PointerEvent<HTMLElement>) => {
    if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
    const place = bar.current?.getBoundingClientRect();
    if (!place?.width) return;
    const atMin = ((event.clientX - place.left) / place.width) * length;
    move(path, Math.min(Math.max(atMin, 0), length));
  };
  const roomiest = (stretches: [number, number][]) =>
    stretches.reduce((best, each) => (each[1] - each[0] > best[1] - best[0] ? each : best), [0, 0]);
  const taken = [...asleep, ...quietStretches.map(([, a, b]) => [a, b] as [number, number])].sort(
    (a, b) => a[0] - b[0],
  );
  const awake = taken.map(([, b], i): [number, number] => [b, taken[i + 1]?.[0] ?? length]);
  const widest = { awake: roomiest([[0, taken[0]?.[0] ?? length], ...awake]), asleep: roomiest(asleep) };
  const awakeField = field("interval_awake_min");
  const asleepField = field("interval_asleep_min");
  const times = [
    ["asleep_from", "goes to bed"],
    ["awake_from", "gets up"],
  ] as const;
  const first = person.name.split(" ")[0];
  /** Hours at which a label stands: three apart on a day, more on longer ones. */
  const every = HOURS_BETWEEN_LABELS * 60 * Math.ceil(length / DAY_MIN);
  const labels: number[] = [];
  for (let at = (every - (starts % every)) % every; at < length; at += every) labels.push(at);

  return (
    <div className="border-hair border-t px-4 pt-2.5 pb-1">
      <div className="flex flex-wrap items-start gap-x-5">
        <span className="mr-auto">
          <b className="font-medium">
            {first}'s {Math.round(length / 60)} hours
          </b>
          <span className="block text-[12.5px] text-soft">drag an edge or type a time</span>
        </span>
        {times.map(([path, words]) => {
          const own = field(path);
          return (
            own && (
              <span key={path}>
                <Boxed before={words} field={own} onChange={(value) => put(path, value)} />
                {!own.differs && !(path in draft.known) && (
                  <span className="-mt-6 block px-1 text-[12px] text-soft">usual; not asked yet</span>
                )}
              </span>
            )
          );
        })}
      </div>
      <div
        ref={bar}
        className="@container relative mt-2 h-[52px] touch-none rounded-md border border-line bg-brass-soft"
      >
        {asleep.map(([a, b]) => (
          <span
            key={`asleep ${a}`}
            className="absolute inset-y-0"
            style={{
              left: share(a),
              width: share(b - a),
              background: "color-mix(in srgb, var(--lane-5) 28%, var(--panel))",
            }}
          />
        ))}
        {quietStretches.map(([w, a, b]) => (
          <span
            key={`${w.start} ${w.end} ${a}`}
            title={`quiet ${w.start} to ${w.end}`}
            className="absolute inset-y-0 border-act border-x"
            style={{
              left: share(a),
              width: share(b - a),
              background: "repeating-linear-gradient(135deg, var(--panel) 0 5px, var(--line) 5px 7px)",
            }}
          />
        ))}
        {marks.map((at) => (
          <i key={at} className="absolute bottom-0 h-3.5 w-px bg-ink" style={{ left: share(at) }} />
        ))}
        {(["awake", "asleep"] as const).map((when) => {
          const own = when === "awake" ? awakeField : asleepField;
          const [from, to] = widest[when];
          // Where the stretch is short its words are few: they must not run over its edges.
          const few = to - from < length * FEW_WORDS;
          return (
            own &&
            to > from && (
              <span
                key={when}
                className="-translate-x-1/2 absolute top-0.5 flex items-center gap-1 whitespace-nowrap text-[12.5px]"
                style={{ left: share((from + to) / 2) }}
              >
                <span>
                  {when}
                  <span className={few ? "hidden" : "@max-[460px]:hidden"}>, every</span>
                </span>
                <FieldInput field={own} bare onChange={(v) => put(own.path, v)} />
                <span className={few ? "hidden" : "@max-[460px]:hidden"}>min</span>
              </span>
            )
          );
        })}
        {grips.map(({ path, label, atMin }) => (
          <span
            key={`${path} ${atMin >= DAY_MIN ? Math.floor(atMin / DAY_MIN) : 0}`}
            role="slider"
            tabIndex={0}
            aria-label={label}
            aria-valuemin={0}
            aria-valuemax={DAY_MIN}
            aria-valuenow={wall(path)}
            aria-valuetext={String(valueAt(settings, path))}
            className={`absolute grid w-6 cursor-ew-resize touch-none items-center ${GRIPS[path.startsWith("quiet") ? (path.endsWith("start") ? "begins" : "ends") : "middle"]}`}
            style={{ left: share(atMin) }}
            onPointerDown={(e) => {
              e.currentTarget.setPointerCapture(e.pointerId);
              e.currentTarget.focus();
              e.preventDefault();
            }}
            onPointerMove={drag(path)}
            onKeyDown={(e) => {
              const by = { ArrowLeft: -STEP_MIN, ArrowRight: STEP_MIN, PageDown: -60, PageUp: 60 }[e.key];
              if (by === undefined) return;
              e.preventDefault();
              put(path, clockText(wall(path) + by));
            }}
          >
            <i className="h-[20px] w-[9px] rounded-[3px] bg-act" />
          </span>
        ))}
      </div>
      <div className="relative h-[18px] font-narrow text-[12px] text-soft">
        <span className="absolute left-0">{clockText(starts)}</span>
        {labels
          .filter((at) => at > length * 0.07 && at < length * 0.89)
          .map((at) => (
            <span key={at} className="-translate-x-1/2 absolute" style={{ left: share(at) }}>
              {clockText(starts + at)}
            </span>
          ))}
        <span className="absolute right-0">{clockText(starts + length)}</span>
      </div>
      <div className="flex flex-wrap items-start gap-x-4 pt-1">
        {[awakeField, asleepField].map(
          (f) =>
            f?.differs && (
              <span key={f.path} className="pt-1 font-medium font-narrow text-[12.5px] text-action">
                {f.path === "interval_awake_min" ? "awake" : "asleep"} on recorder: every {f.on_recorder} min
              </span>
            ),
        )}
        {quiet.map((window, i) => {
          const [start, end, why] = ["start", "end", "why"].map((name) => field(`quiet.${i}.${name}`));
          return (
            // biome-ignore lint/suspicious/noArrayIndexKey: a window has no name but its place
            <span key={i} className="flex items-start gap-x-1">
              {start && <Boxed before="quiet" field={start} onChange={(v) => put(start.path, v)} />}
              {end && <Boxed before="to" field={end} onChange={(v) => put(end.path, v)} />}
              {why && (
                <input
                  aria-label={`what quiet window ${i + 1} is for`}
                  placeholder="because of"
                  className="min-h-7 w-24 rounded border border-line bg-panel px-1.5"
                  maxLength={24}
                  value={window.why ?? ""}
                  onChange={(e) => put(why.path, e.target.value)}
                />
              )}
              <button
                type="button"
                className="min-h-7 min-w-6 px-1 text-act hover:underline"
                aria-label={`take away quiet window ${i + 1}`}
                onClick={() =>
                  put(
                    "quiet",
                    quiet.filter((_, other) => other !== i),
                  )
                }
              >
                ×
              </button>
            </span>
          );
        })}
        {fields
          .filter((f) => f.path.startsWith("quiet.") && Number(f.path.split(".")[1]) >= quiet.length)
          .map((f) => (
            <span key={f.path} className="pt-1 font-medium font-narrow text-[12.5px] text-action">
              on recorder: {f.on_recorder} quiet
            </span>
          ))}
        {quiet.length < MOST_QUIET && (
          <Button
            look="quiet"
            size="small"
            className="ml-auto"
            onClick={() => put("quiet", [...quiet, { start: "19:00", end: "20:00", why: "" }])}
          >
            add a quiet window
          </Button>
        )}
      </div>
      <div className="-mx-4">
        <PlanFacts plan={draft.plan} />
      </div>
    </div>
  );
}

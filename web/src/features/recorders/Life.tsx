import { Link } from "react-router";
import { Button, Token, Trouble } from "@/ui/basics";
import { clockError, dayMonth, moment, percent } from "@/ui/format";
import { type OnBoard, useLife, useSetRight } from "./useBoard";

const WIDE = 318;
const LEFT = 92;
const [ROW, CLOCK, BARS] = [16, 54, 30];
const MOST_HOLDERS = 6;
const WEEK_MS = 7 * 86_400_000;

interface Drawn {
  from: number;
  to: number;
  x: (iso: string | number) => number;
}

function drawn(since: string): Drawn {
  const [from, to] = [Date.parse(since), Date.now()];
  const x = (at: string | number) =>
    LEFT +
    (Math.min(Math.max((typeof at === "string" ? Date.parse(at) : at) - from, 0), to - from) / (to - from)) *
      (WIDE - LEFT - 4);
  return { from, to, x };
}

/** The first of each month between two moments. */
function months(from: number, to: number): Date[] {
  const found: Date[] = [];
  const at = new Date(from);
  at.setDate(1);
  at.setHours(0, 0, 0, 0);
  for (;;) {
    at.setMonth(at.getMonth() + 1);
    if (at.getTime() > to) return found;
    found.push(new Date(at));
  }
}

/** One recorder: who had it, how wrong its clock was, its checks and sessions on one axis, and how it stands. */
export function Life({
  of,
  chosen,
  onChoose,
  onClose,
}: {
  of: OnBoard;
  chosen: boolean;
  onChoose: () => void;
  onClose: () => void;
}) {
  const life = useLife(of.recorder_id);
  const right = useSetRight();
  const data = life.data;
  return (
    <aside
      aria-label={of.name}
      className="overflow-auto border-line px-4 py-[18px] border-l max-[1099px]:fixed max-[1099px]:top-16 max-[1099px]:right-0 max-[1099px]:bottom-0 max-[1099px]:z-20 max-[1099px]:w-[352px] max-[1099px]:bg-salt max-[1099px]:shadow-xl"
    >
      <div className="mb-2 flex items-center gap-3">
        <Token name={of.token} away={of.cell === "away"} />
        <div className="min-w-0 flex-1">
          <h2 className="truncate text-[19px]">{of.name}</h2>
          <p className="text-[13px] text-soft">
            {of.cell === "out"
              ? `with ${of.holder}${of.since ? ` since ${moment(of.since)}` : ""}`
              : of.place || of.words}
            {of.battery === null ? "" : `; battery ${percent(of.battery)}`}
          </p>
        </div>
        <Button look="quiet" size="small" aria-label="Close this recorder" onClick={onClose}>
          ×
        </Button>
      </div>
      {(of.cell === "hand" || of.cell === "press") && (
        <p className="mb-2 rounded-md border border-line bg-panel px-3 py-1.5 text-[13.5px]">
          <b className="font-semibold">{of.words}</b>
          {of.cell === "hand" && of.deed ? `; ${of.deed}` : ""}
        </p>
      )}
      {of.mark && <p className="mb-2 text-[13px] text-action">{of.mark}</p>}
      {life.isError && !data && <Trouble error={life.error} again={() => life.refetch()} />}
      {data && (
        <>
          <p className="mb-1 flex items-baseline gap-2">
            <b className="flex-1 font-semibold">Its life since {dayMonth(data.since)}</b>
            <span className="text-[13px] text-soft">
              {data.sessions_ever} session{data.sessions_ever === 1 ? "" : "s"} of {data.people_ever}{" "}
              {data.people_ever === 1 ? "person" : "people"} ever
            </span>
          </p>
          <Picture data={data} />
          <Standing of={of} data={data} />
        </>
      )}
      <div className="mt-3 flex flex-wrap gap-2">
        {of.cell === "press" && (
          <Button look="primary" disabled={right.isPending} onClick={() => right.mutate([of.recorder_id])}>
            {of.deed === "take in" ? "Take in what is new" : "Set its clock"}
          </Button>
        )}
        {of.cell === "go" && (
          <Link
            to={`/hand-out?recorder=${of.recorder_id}`}
            className="inline-flex min-h-[34px] items-center rounded-md border border-line bg-panel px-3.5 font-medium hover:bg-hair"
          >
            Hand it out
          </Link>
        )}
        <Button look="quiet" aria-pressed={chosen} onClick={onChoose}>
          {chosen ? "Chosen" : "Choose it"}
        </Button>
        <Link
          to={`/recorders/${of.recorder_id}/sensors`}
          className="inline-flex min-h-[34px] items-center px-1 text-act hover:underline"
        >
          Checks and sensors
        </Link>
        <Link
          to={`/recorders/${of.recorder_id}/look`}
          className="inline-flex min-h-[34px] items-center px-1 text-act hover:underline"
        >
          Look now
        </Link>
      </div>
    </aside>
  );
}

type Data = NonNullable<ReturnType<typeof useLife>["data"]>;

function Picture({ data }: { data: Data }) {
  const { from, to, x } = drawn(data.since);
  const names = [...new Map(data.held.map((h) => [h.person_id, h.name])).entries()].slice(-MOST_HOLDERS).reverse();
  const errors = data.recorded.filter((r) => r.clock_error_s !== null);
  const most = Math.max(1, ...errors.map((r) => Math.abs(r.clock_error_s ?? 0)));
  const weeks = Array.from({ length: Math.ceil((to - from) / WEEK_MS) }, (_, i) => from + i * WEEK_MS);
  const perWeek = weeks.map(
    (w) => data.recorded.filter((r) => Date.parse(r.started_at) >= w && Date.parse(r.started_at) < w + WEEK_MS).length,
  );
  const busiest = Math.max(1, ...perWeek);
  const clockTop = 6 + Math.max(names.length, 1) * ROW + 8;
  const middle = clockTop + CLOCK / 2;
  const checksAt = clockTop + CLOCK + 14;
  const bottom = checksAt + 14 + BARS;
  const clockY = (seconds: number) => middle - (seconds / most) * (CLOCK / 2 - 4);
  return (
    <svg viewBox={`0 0 ${WIDE} ${bottom + 20}`} className="block w-full">
      <title>Holders, clock, checks and sessions over time</title>
      {months(from, to).map((month) => (
        <g key={month.getTime()}>
          <line x1={x(month.getTime())} x2={x(month.getTime())} y1={4} y2={bottom} className="stroke-hair" />
          <text x={x(month.getTime()) + 2} y={bottom + 13} className="fill-soft font-narrow text-[11px]">
            {month.toLocaleDateString("en-GB", { month: "short" })}
          </text>
        </g>
      ))}
      {names.length === 0 && (
        <text x={LEFT} y={18} className="fill-soft text-[12px]">
          nobody had it
        </text>
      )}
      {names.map(([id, name], row) => (
        <g key={id}>
          <text x={0} y={6 + row * ROW + 12} className="fill-ink text-[12px]">
            {name.length > 15 ? `${name.slice(0, 14)}…` : name}
          </text>
          {data.held
            .filter((h) => h.person_id === id)
            .map((h) => (
              <HeldBar key={h.since} held={h} y={6 + row * ROW + 3} x={x} now={new Date(to).toISOString()} />
            ))}
        </g>
      ))}
      <text x={0} y={middle + 4} className="fill-ink font-semibold text-[12px]">
        Clock off by
      </text>
      <line x1={LEFT} x2={WIDE - 4} y1={middle} y2={middle} className="stroke-soft" />
      {errors.length === 0 ? (
        <text x={LEFT} y={middle - 5} className="fill-soft text-[12px]">
          not known of any session
        </text>
      ) : (
        <text x={LEFT - 6} y={clockTop + 9} textAnchor="end" className="fill-soft font-narrow text-[11px]">
          {Math.round(most)} s
        </text>
      )}
      {errors.map((r) => (
        <circle key={r.session_id} cx={x(r.started_at)} cy={clockY(r.clock_error_s ?? 0)} r={3} className="fill-act">
          <title>{`${moment(r.started_at)}: ${clockError(r.clock_error_s)}${r.shifted ? ", moved since" : ""}`}</title>
        </circle>
      ))}
      {data.clock_set.map((at) => (
        <text key={at} x={x(at)} y={clockTop + CLOCK} textAnchor="middle" className="fill-soft font-narrow text-[11px]">
          set
        </text>
      ))}
      <text x={0} y={checksAt + 4} className="fill-ink font-semibold text-[12px]">
        Checks
      </text>
      {data.checked.length === 0 && (
        <text x={LEFT} y={checksAt + 4} className="fill-soft text-[12px]">
          none in this time
        </text>
      )}
      {data.checked.map((each) => (
        <g key={`${each.at} ${each.label}`}>
          <circle
            cx={x(each.at)}
            cy={checksAt}
            r={5}
            strokeWidth={2}
            className={each.passed ? "fill-panel stroke-within" : "fill-above stroke-above"}
          >
            <title>{`${each.label}, ${moment(each.at)}: ${each.passed ? "passed" : "failed"}`}</title>
          </circle>
        </g>
      ))}
      <text x={0} y={bottom - 6} className="fill-ink font-semibold text-[12px]">
        Sessions
      </text>
      {perWeek.map(
        (count, i) =>
          count > 0 && (
            <rect
              key={weeks[i]}
              x={x(weeks[i] ?? from)}
              y={bottom - (count / busiest) * BARS}
              width={Math.max(x((weeks[i] ?? from) + WEEK_MS) - x(weeks[i] ?? from) - 1, 2)}
              height={(count / busiest) * BARS}
              className="fill-soft"
              opacity={0.6}
            >
              <title>{`week of ${dayMonth(new Date(weeks[i] ?? from).toISOString())}: ${count}`}</title>
            </rect>
          ),
      )}
      <line x1={LEFT} x2={WIDE - 4} y1={bottom} y2={bottom} className="stroke-ink" />
    </svg>
  );
}

/** A time with somebody; it opens the first session of that time. */
function HeldBar({ held, x, y, now }: { held: Data["held"][number]; x: Drawn["x"]; y: number; now: string }) {
  const words = `${held.name}, ${moment(held.since)} to ${held.until ? moment(held.until) : "now"}`;
  const bar = (
    <rect
      x={x(held.since)}
      y={y}
      width={Math.max(x(held.until ?? now) - x(held.since), 3)}
      height={10}
      className="fill-brass"
    >
      <title>{words}</title>
    </rect>
  );
  if (!held.session_id) return bar;
  return (
    <Link to={`/review/${held.session_id}`} aria-label={words}>
      {bar}
    </Link>
  );
}

function Standing({ of, data }: { of: OnBoard; data: Data }) {
  const last = data.held.at(-1);
  const rows: [string, string][] = [
    ["Held last", last ? `${last.name}, ${moment(last.since)}` : "nobody"],
    ["On it", data.not_taken_in ? `${data.not_taken_in} not taken in` : "nothing that is not here"],
    ["Next check", data.next_check ? dayMonth(data.next_check) : "none is due"],
    ["Where", of.place || of.words],
  ];
  return (
    <table className="mt-2 w-full text-[13.5px]">
      <tbody>
        {rows.map(([what, words]) => (
          <tr key={what} className="border-hair border-t align-baseline">
            <th scope="row" className="py-1 pr-3 text-left font-normal text-soft">
              {what}
            </th>
            <td className="py-1 text-right">{words}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

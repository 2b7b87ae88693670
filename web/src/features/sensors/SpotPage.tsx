import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useParams } from "react-router";
import { api, ask, type Schemas } from "@/api/client";
import { Button, Empty, Field, inputLook, Loading, Trouble } from "@/ui/basics";
import { length, moment, number, unitWords } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { Segmented } from "@/ui/segmented";
import { useTitle } from "@/ui/title";
import { type LiveValues, useLiveValues, useLost, useNow } from "./live";

type Look = Schemas["SpotLook"];
const EVERY: [string, string][] = [
  ["1", "1 min"],
  ["5", "5 min"],
  ["15", "15 min"],
  ["60", "60 min"],
];
const [WIDE, TALL, LEFT, FOOT] = [720, 180, 46, 18];

/** What was seen since the start: each value stands until the next one. */
interface Seen {
  startedAt: number | null;
  at: number;
  lowest: number;
  highest: number;
  sum: number;
  seconds: number;
  /** Sum and seconds of each whole minute since the start. */
  minutes: [number, number][];
}

const NOTHING: Seen = { startedAt: null, at: 0, lowest: Infinity, highest: -Infinity, sum: 0, seconds: 0, minutes: [] };
/** A value stands for so long at the most: after that nothing is known. */
const STANDS_S = 5;

function taken(seen: Seen, at: number, value: number): Seen {
  const started = seen.startedAt ?? at;
  const passed = seen.startedAt === null ? 0 : Math.min(Math.max(at - seen.at, 0), STANDS_S);
  const minutes = [...seen.minutes];
  const minute = Math.floor((at - started) / 60);
  const [sum, seconds] = minutes[minute] ?? [0, 0];
  minutes[minute] = [sum + value * passed, seconds + passed];
  return {
    startedAt: started,
    at,
    lowest: Math.min(seen.lowest, value),
    highest: Math.max(seen.highest, value),
    sum: seen.sum + value * passed,
    seconds: seen.seconds + passed,
    minutes,
  };
}

/** Everything since the start, of one channel. */
function useSeen(live: LiveValues, channel: string, factor: number): [Seen, () => void] {
  const [seen, setSeen] = useState(NOTHING);
  const now = useNow(live);
  const last = useRef(0);
  useEffect(() => {
    const value = now?.values[channel];
    if (!now || now.at === last.current || value === null || value === undefined) return;
    last.current = now.at;
    setSeen((before) => taken(before, now.at, value * factor));
  }, [now, channel, factor]);
  return [seen, () => setSeen(NOTHING)];
}

/** A point for every so many minutes since the start, the last one as far as it has come. */
function points(seen: Seen, every: number): { atMin: number; value: number }[] {
  const found: { atMin: number; value: number }[] = [];
  for (let i = 0; i < seen.minutes.length; i += every) {
    let [sum, seconds] = [0, 0];
    for (const each of seen.minutes.slice(i, i + every)) {
      sum += each?.[0] ?? 0;
      seconds += each?.[1] ?? 0;
    }
    if (seconds > 0) found.push({ atMin: Math.min(i + every, seen.minutes.length), value: sum / seconds });
  }
  return found;
}

function Curve({ seen, every, decimals }: { seen: Seen; every: number; decimals: number }) {
  const found = points(seen, every);
  if (found.length === 0)
    return <p className="py-8 text-soft">The first point comes when the first values have come.</p>;
  const top = Math.max(...found.map((p) => p.value), 1e-9) * 1.15;
  const last = Math.max(found.at(-1)?.atMin ?? 1, every);
  const x = (min: number) => LEFT + (min / last) * (WIDE - LEFT - 6);
  const y = (value: number) => TALL - FOOT - (value / top) * (TALL - FOOT - 8);
  return (
    <svg
      viewBox={`0 0 ${WIDE} ${TALL}`}
      className="block w-full"
      role="img"
      aria-label={`${found.length} points since the start`}
    >
      {[0, 0.5, 1].map((share) => (
        <g key={share}>
          <line x1={LEFT} x2={WIDE} y1={y(share * top)} y2={y(share * top)} className="stroke-hair" />
          <text x={LEFT - 5} y={y(share * top) + 4} textAnchor="end" className="fill-soft font-narrow text-[11.5px]">
            {number(share * top, decimals)}
          </text>
        </g>
      ))}
      <polyline
        points={found.map((p) => `${x(p.atMin)},${y(p.value)}`).join(" ")}
        className="fill-transparent stroke-act"
        strokeWidth={1.8}
      />
      {found.map((p) => (
        <circle key={p.atMin} cx={x(p.atMin)} cy={y(p.value)} r={2.6} className="fill-act" />
      ))}
      <text x={LEFT} y={TALL - 4} className="fill-soft font-narrow text-[11.5px]">
        start
      </text>
      <text x={WIDE} y={TALL - 4} textAnchor="end" className="fill-soft font-narrow text-[11.5px]">
        {number(last, 0)} min
      </text>
    </svg>
  );
}

/** A recorder looked at on the spot: running lowest, mean, highest and the curve since the start; nothing of it is stored. */
export default function SpotPage() {
  const id = Number(useParams().id);
  const look = useQuery({
    queryKey: ["look", id],
    queryFn: () => ask(api.GET("/api/recorders/{recorder_id}/look", { params: { path: { recorder_id: id } } })),
  });
  useTitle("Look", look.data?.token);
  if (look.isError) return <Trouble view="Look" error={look.error} again={() => look.refetch()} />;
  if (!look.data) return <Loading view="Look" what="the recorder" />;
  if (look.data.figures.length === 0)
    return (
      <Empty heading={look.data.name} title="This recorder shows nothing of the moment">
        <Link to="/recorders">Back to the recorders</Link>
      </Empty>
    );
  return <Looking id={id} look={look.data} />;
}

function Looking({ id, look }: { id: number; look: Look }) {
  const [channel, setChannel] = useState(look.figures[0]?.channel ?? "");
  const figure = look.figures.find((f) => f.channel === channel) ?? look.figures[0];
  const live = useLiveValues(id, [channel], []);
  const lost = useLost(live);
  // A reading that has a factor is shown with it, and says so.
  const [seen, again] = useSeen(live, channel, look.factor);
  const [every, setEvery] = useState("1");
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const [place, setPlace] = useState("");
  const [text, setText] = useState("");
  const mean = seen.seconds > 0 ? seen.sum / seen.seconds : null;
  const keep = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/recorders/{recorder_id}/look/notes", {
          params: { path: { recorder_id: id } },
          body: {
            what: figure?.label ?? channel,
            unit: figure?.unit ?? "",
            lowest: seen.lowest,
            mean: Math.min(Math.max(mean ?? 0, seen.lowest), seen.highest),
            highest: seen.highest,
            length_s: seen.seconds,
            place,
            text,
          },
        }),
      ),
    onSuccess: (found) => {
      queries.setQueryData(["look", id], found);
      setText("");
      say("Kept as a note; nothing was recorded.");
    },
    onError: fail,
  });
  if (!figure) return null;
  const shown = (value: number | null) =>
    value === null || !Number.isFinite(value) ? "–" : number(value, figure.decimals);
  const cards: [string, number | null][] = [
    ["Lowest", seen.startedAt === null ? null : seen.lowest],
    ["Mean since the start", mean],
    ["Highest", seen.startedAt === null ? null : seen.highest],
  ];
  return (
    <main className="mx-auto grid h-full max-w-[980px] content-start gap-3 overflow-auto px-5 py-[18px]">
      <header className="flex flex-wrap items-baseline gap-x-3">
        <h1>
          {look.token}, {look.name}
        </h1>
        <span className="text-soft">
          {figure.label}
          {look.factor === 1 ? "" : `, factor ${number(look.factor, 2)} applied`}
        </span>
        <Link to="/recorders" className="ml-auto text-act hover:underline">
          Back to the recorders
        </Link>
      </header>
      <p className="rounded-md bg-act-soft px-3 py-1.5" role="status">
        {lost ||
          (look.stores_nothing
            ? "Nothing is stored while you look. What is read is the mean since the start, not the moment."
            : "It is recording by itself; of what is seen here nothing is stored.")}
      </p>
      {look.figures.length > 1 && (
        <label className="flex items-center gap-2">
          Look at
          <select
            className="min-h-8 rounded border border-line bg-panel px-2"
            value={channel}
            onChange={(e) => {
              setChannel(e.target.value);
              again();
            }}
          >
            {look.figures.map((f) => (
              <option key={f.channel} value={f.channel}>
                {f.label}
              </option>
            ))}
          </select>
        </label>
      )}
      <div className="grid grid-cols-3 gap-px overflow-hidden rounded-lg border border-line bg-line">
        {cards.map(([words, value], i) => (
          <div key={words} className="bg-panel px-4 py-2.5">
            <span className="block font-narrow text-[13px] text-soft">{words}</span>
            <span className={`font-narrow font-semibold leading-tight ${i === 1 ? "text-[46px]" : "text-[34px]"}`}>
              {shown(value)}
            </span>{" "}
            <span className="text-soft">{unitWords(figure.unit)}</span>
          </div>
        ))}
      </div>
      <section aria-label="Since the start" className="rounded-lg border border-line bg-panel px-4 py-3">
        <div className="mb-1 flex flex-wrap items-center gap-3">
          <h2>Since the start, {length(seen.seconds)}</h2>
          <span className="ml-auto flex gap-2">
            <Segmented label="One point every" value={every} choices={EVERY} onChange={setEvery} />
            <Button size="small" onClick={again}>
              Start again
            </Button>
          </span>
        </div>
        <Curve seen={seen} every={Number(every)} decimals={figure.decimals} />
      </section>
      <form
        className="grid grid-cols-[minmax(0,1fr)_minmax(0,2fr)_auto] items-end gap-3 rounded-lg border border-line bg-panel px-4 py-3 max-[700px]:grid-cols-1"
        onSubmit={(e) => {
          e.preventDefault();
          keep.mutate();
        }}
      >
        <Field label="Place">
          <input className={inputLook} value={place} maxLength={120} onChange={(e) => setPlace(e.target.value)} />
        </Field>
        <Field label="Note">
          <input className={inputLook} value={text} maxLength={400} onChange={(e) => setText(e.target.value)} />
        </Field>
        <Button look="primary" type="submit" disabled={mean === null || keep.isPending}>
          Keep a note
        </Button>
      </form>
      {look.notes.length > 0 && (
        <section aria-label="Notes" className="rounded-lg border border-line bg-panel px-4 py-3">
          <h2 className="pb-1">Notes, as they were typed</h2>
          <ul className="text-[13.5px]">
            {look.notes.map((n) => (
              <li key={n.id} className="flex flex-wrap gap-x-3 border-hair border-t py-1">
                <span className="text-soft">{moment(n.at)}</span>
                <b className="font-semibold">
                  {number(n.mean, figure.decimals)} {unitWords(n.unit)}
                </b>
                <span>
                  {number(n.lowest, figure.decimals)} to {number(n.highest, figure.decimals)} in {length(n.length_s)},{" "}
                  {n.what}
                </span>
                <span>{[n.place, n.text].filter(Boolean).join(": ")}</span>
                <span className="ml-auto text-soft">{n.by}</span>
              </li>
            ))}
          </ul>
        </section>
      )}
    </main>
  );
}

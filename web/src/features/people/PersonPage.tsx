import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, ask } from "@/api/client";
import { kindName } from "@/kinds/kinds";
import { Empty, Loading, Trouble, Verdict, type VerdictWord } from "@/ui/basics";
import { day, moment, unitWords } from "@/ui/format";
import { useTitle } from "@/ui/title";
import { AwayDays, Courses, DueNext, Efforts, HandOvers, OutHere, Reports, Weeks } from "./Beside";
import { PersonAbout } from "./PersonAbout";
import { Changes } from "./years/Changes";
import { type Event, type Mark, secondsOf } from "./years/draw";
import { Pair } from "./years/Pair";
import { useYears, type Years } from "./years/useYears";
import { endsOf, YearsPicture } from "./years/YearsPicture";

const NOON = "T12:00";

/** What was changed, and medicines from the day they were taken, as marks through all lanes. */
function eventsOf(years: Years | undefined): Event[] {
  const changed = (years?.changed ?? []).map((each) => ({
    key: `c${each.id}`,
    atS: secondsOf(each.day + NOON),
    words: each.words,
    medicine: false,
  }));
  const taken = (years?.taken ?? []).flatMap((each) => {
    const words = [each.name, each.dose].filter(Boolean).join(" ");
    const begun = each.since ? [{ key: `m${each.id}`, atS: secondsOf(each.since + NOON), words, medicine: true }] : [];
    const ended = each.until
      ? [{ key: `e${each.id}`, atS: secondsOf(each.until + NOON), words: `${words} ended`, medicine: true }]
      : [];
    return [...begun, ...ended];
  });
  return [...changed, ...taken];
}

/** The newest of every kind, as it stands. */
function Latest({ years }: { years: Years }) {
  return (
    <div className="mb-2.5 flex flex-wrap rounded-lg border border-line bg-panel">
      {years.lanes.slice(0, 4).map((lane, i) => {
        const last = lane.marks.findLast((mark) => mark.value !== null);
        return (
          <Link
            key={lane.kind}
            to={last ? `/review/${last.session_id}` : "#"}
            className={`min-w-36 flex-1 px-3 py-2 hover:bg-act-soft ${i ? "border-line border-l" : ""}`}
          >
            <span className="block truncate text-[13px] text-soft">
              {kindName(lane.kind)}, {lane.label}
            </span>
            <span className="block whitespace-nowrap">
              <b className="font-narrow font-semibold text-[25px]">{last ? endsOf(lane, last) : "–"}</b>{" "}
              <span className="text-soft">{unitWords(lane.unit)}</span>
            </span>
            {last && (
              <span className="flex flex-wrap items-center gap-x-2 text-[13px]">
                <Verdict verdict={last.verdict as VerdictWord} />
                <span className="text-soft">{day(last.started_at, last.utc_offset_min, true)}</span>
              </span>
            )}
          </Link>
        );
      })}
    </div>
  );
}

/** Which way each figure goes, with what is known of it. */
function Ways({ years }: { years: Years }) {
  return (
    <section aria-label="Which way it goes">
      <h2 className="mb-1">Which way it goes</h2>
      <ul className="text-[13px]">
        {years.lanes.map((lane) => (
          <li key={lane.kind} className="border-hair border-t py-1">
            <b className="font-semibold">{kindName(lane.kind)}</b>, {lane.label}:{" "}
            <span className={lane.trend.shows ? "" : "text-soft"}>{lane.trend.words}</span>
            {lane.load && <span className="block">Load: {lane.load}</span>}
          </li>
        ))}
      </ul>
    </section>
  );
}

/** The newest sessions, to open: what the picture shows, for whoever does not see it. */
function Newest({ person, name }: { person: number; name: string }) {
  const sessions = useQuery({
    queryKey: ["sessions", "of", person],
    queryFn: () => ask(api.GET("/api/sessions", { params: { query: { person_id: person, limit: 60 } } })),
  });
  const waiting = sessions.data?.sessions.filter((s) => s.signed_at === null).length ?? 0;
  const signed = sessions.data?.sessions.filter((s) => s.signed_at !== null) ?? [];
  return (
    <section aria-label="Sessions" className="mt-4">
      <h2 className="mb-1 flex items-baseline gap-2">
        Sessions <span className="font-normal text-[13px] text-soft">{sessions.data?.total}</span>
        {waiting > 0 && (
          <span className="ml-auto font-normal text-[13px] text-soft">
            {waiting} wait{waiting === 1 ? "s" : ""} for a look
          </span>
        )}
      </h2>
      {sessions.data?.total === 0 && <p className="text-soft">None yet.</p>}
      {signed.length > 1 && (
        <Link
          className="mb-1 block text-[13px] text-act hover:underline"
          to={`/report/many?name=${encodeURIComponent(name)}&sessions=${signed.map((s) => s.id).join(",")}`}
        >
          several of them in one report
        </Link>
      )}
      <ul>
        {sessions.data?.sessions.map((s) => (
          <li key={s.id}>
            <Link to={`/review/${s.id}`} className="block border-hair border-t py-1 text-[13px] hover:bg-act-soft">
              <span className="flex items-center gap-2">
                <span className="min-w-0 flex-1 truncate">{moment(s.started_at, s.utc_offset_min)}</span>
                {s.report && <span className="text-soft">{s.report}</span>}
                <Verdict verdict={s.verdict} words={s.verdict_step || undefined} bare />
              </span>
              <span className="block truncate text-[12.5px] text-soft">
                {kindName(s.kind)}, {s.key_figure}
              </span>
            </Link>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** Somebody: pictures first, over the years; what is out, what changed, what is known of them beside it. */
export function PersonPage({ id }: { id: number }) {
  const navigate = useNavigate();
  const person = useQuery({
    queryKey: ["people", "one", id],
    queryFn: () => ask(api.GET("/api/people/{person_id}", { params: { path: { person_id: id } } })),
  });
  const { found, choose } = useYears(id);
  const years = found.data;
  const events = useMemo(() => eventsOf(years), [years]);
  const [chosen, setChosen] = useState<number[]>([]);
  useTitle("People", person.data?.name);
  if (person.isError) return <Trouble error={person.error} again={() => person.refetch()} />;
  if (!person.data || (!years && !found.isError)) return <Loading what="the person" />;
  const data = person.data;
  const laneOf = (session: number) => years?.lanes.find((lane) => lane.marks.some((m) => m.session_id === session));
  const lane = chosen[0] === undefined ? undefined : laneOf(chosen[0]);
  const marks = chosen.flatMap((session) => lane?.marks.filter((mark) => mark.session_id === session) ?? []);
  const pick = (mark: Mark) => {
    const [a, b] = chosen;
    if (chosen.includes(mark.session_id)) setChosen(chosen.filter((each) => each !== mark.session_id));
    else if (a === undefined || b !== undefined || laneOf(mark.session_id) !== lane) setChosen([mark.session_id]);
    else setChosen([a, mark.session_id]);
  };
  return (
    <>
      <section aria-label="Over the years of somebody" className="min-w-0 overflow-auto px-4 py-[18px]">
        <div className="mb-2.5 flex flex-wrap items-center gap-x-3 gap-y-1">
          <h1 className="min-w-0 truncate">{data.name}</h1>
          <span className="text-soft">
            {[data.is_place ? "place" : "", data.number, data.team, data.born ? `born ${data.born.slice(0, 4)}` : ""]
              .filter(Boolean)
              .join(", ")}
          </span>
          <Link
            className="ml-auto inline-flex min-h-[34px] items-center rounded-md border border-line bg-panel px-3.5 font-medium"
            to={`/hand-out?person=${id}`}
          >
            {data.is_place ? "Put a recorder up" : "Hand a recorder out"}
          </Link>
        </div>
        {found.isError && !years && <Trouble error={found.error} again={() => found.refetch()} />}
        {years && years.lanes.length > 0 && <Latest years={years} />}
        {years && years.lanes.length > 0 && (
          <YearsPicture
            key={id}
            lanes={years.lanes}
            events={events}
            chosen={chosen}
            onChoose={pick}
            onOpen={(mark) => navigate(`/review/${mark.session_id}`)}
            onFigure={choose}
          />
        )}
        {years && years.lanes.length === 0 && (
          <Empty title="Nothing was measured yet">
            Hand a recorder out: what comes back stands here, every kind in a lane of its own.
          </Empty>
        )}
      </section>
      <aside aria-label="Person" className="overflow-auto border-line border-l bg-panel px-4 py-[18px]">
        {lane && marks.length > 0 && <Pair lane={lane} marks={marks} onClear={() => setChosen([])} />}
        {years && years.lanes.length > 0 && <Ways years={years} />}
        {years && <Weeks years={years} />}
        {years && <Efforts years={years} />}
        {years && <Courses years={years} />}
        <DueNext person={id} />
        <OutHere person={id} />
        {!data.is_place && <AwayDays person={id} />}
        {years && <Changes person={data} years={years} />}
        <div className="mt-4">
          <PersonAbout person={data} isNew={years !== undefined && years.lanes.length === 0} />
        </div>
        <Reports person={id} />
        <HandOvers person={id} />
        <Newest person={id} name={data.name} />
      </aside>
    </>
  );
}

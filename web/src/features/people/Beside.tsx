import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask, type Schemas } from "@/api/client";
import { kindName } from "@/kinds/kinds";
import { Button, Token, Verdict } from "@/ui/basics";
import { DateField } from "@/ui/date-field";
import { today } from "@/ui/days";
import { day, dayMonth, moment, unitWords } from "@/ui/format";
import { useNotices } from "@/ui/notices";

type Years = Schemas["Years"];

/** Best and theoretical best lap by course and day. */
export function Courses({ years }: { years: Years }) {
  const rows = years.lanes.flatMap((lane) => lane.courses);
  if (rows.length === 0) return null;
  const names = [...new Set(rows.map((row) => row.course))];
  const lap = (value: number | null | undefined) => (value == null ? "–" : `${value.toFixed(2)} s`);
  return (
    <section aria-label="Laps by course" className="mt-4">
      <h2 className="mb-1">Laps by course</h2>
      {names.map((name) => (
        <table key={name} className="mb-2 w-full text-[13px]">
          <caption className="text-left font-semibold">{name}</caption>
          <thead>
            <tr className="text-right text-soft">
              <th className="text-left font-normal">Day</th>
              <th className="font-normal">Best</th>
              <th className="font-normal">Possible</th>
            </tr>
          </thead>
          <tbody>
            {rows
              .filter((row) => row.course === name)
              .slice(0, 12)
              .map((row) => (
                <tr key={row.session_id} className="border-hair border-t text-right">
                  <td className="py-1 text-left">
                    <Link className="hover:underline" to={`/review/${row.session_id}`}>
                      {dayMonth(row.day)}
                    </Link>
                  </td>
                  <td>{lap(row.values[0])}</td>
                  <td>{lap(row.values[1])}</td>
                </tr>
              ))}
          </tbody>
        </table>
      ))}
    </section>
  );
}

/** What is with somebody now. */
export function OutHere({ person }: { person: number }) {
  const out = useQuery({ queryKey: ["hand-overs"], queryFn: () => ask(api.GET("/api/hand-overs")) });
  const own = (out.data ?? []).filter((slip) => slip.person_id === person);
  if (own.length === 0) return null;
  return (
    <section aria-label="Out now" className="mt-4">
      <h2 className="mb-1">Out now</h2>
      <ul className="text-[13px]">
        {own.map((slip) => (
          <li key={slip.id} className="flex items-center gap-2 border-hair border-t py-1">
            <Token name={slip.token} size="small" />
            <span className="min-w-0 flex-1 truncate">{slip.recorder_name}</span>
            <span className="whitespace-nowrap text-soft">
              {slip.expected_at ? `due ${moment(slip.expected_at)}` : `since ${day(slip.given_at)}`}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** What is due next under the plan. */
export function DueNext({ person }: { person: number }) {
  const due = useQuery({
    queryKey: ["due", person],
    queryFn: () => ask(api.GET("/api/people/{person_id}/due", { params: { path: { person_id: person } } })),
  });
  if (!due.data?.length) return null;
  return (
    <section aria-label="Due next" className="mt-4">
      <h2 className="mb-1 flex items-baseline">
        Due next
        <Link className="ml-auto font-normal text-[13px] text-act hover:underline" to="/plan">
          plan
        </Link>
      </h2>
      <ul className="text-[13px]">
        {due.data.map((each) => (
          <li key={each.rule_id} className="flex items-baseline gap-2 border-hair border-t py-1">
            <span className="min-w-0 flex-1">
              <b className="font-semibold">{kindName(each.kind)}</b>
              <span className="block text-soft">{each.words}</span>
            </span>
            {each.state === "overdue" ? (
              <Verdict verdict="action level reached" words={`since ${dayMonth(each.deadline)}`} />
            ) : (
              <span className="text-soft">
                {each.state === "done" ? "done until" : "by"} {dayMonth(each.deadline)}
              </span>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}

/** Weeks with a figure of their own, and how far the others were measured. */
export function Weeks({ years }: { years: Years }) {
  const lane = years.lanes.find((each) => each.weekly && each.weeks.length > 0);
  if (!lane) return null;
  const whole = lane.weeks.filter((week) => week.value !== null).reverse();
  const parts = lane.weeks.filter((week) => week.value === null);
  const most = Math.max(0, ...parts.map((week) => week.measured));
  const of = lane.weeks[0]?.of ?? 5;
  return (
    <section aria-label={`Weeks, ${lane.weekly}`} className="mt-4">
      <h2 className="mb-1">Weeks, {lane.weekly}</h2>
      <ul className="text-[13px]">
        {whole.slice(0, 8).map((week) => (
          <li key={week.monday} className="flex border-hair border-t py-1">
            week of {dayMonth(week.monday)}, {week.measured} of {week.of} days
            <b className="ml-auto font-semibold">
              {week.value} {unitWords(lane.unit)}
            </b>
          </li>
        ))}
        {parts.length > 0 && (
          <li className="flex border-hair border-t py-1 text-soft">
            {parts.length} other week{parts.length === 1 ? "" : "s"}, at most {most} of {of} days
            <span className="ml-auto">not known</span>
          </li>
        )}
      </ul>
    </section>
  );
}

/** "1:41.2" of 101.2 s, "21:05" of longer ones. */
export function effortTime(seconds: number): string {
  const tenths = Math.round(seconds * 10) / 10;
  const minutes = Math.floor(tenths / 60);
  const rest = tenths - 60 * minutes;
  if (minutes < 5) return `${minutes}:${rest.toFixed(1).padStart(4, "0")}`;
  const whole = Math.round(seconds);
  const [hours, left] = [Math.floor(whole / 3600), whole % 3600];
  const clock = `${Math.floor(left / 60)
    .toString()
    .padStart(hours ? 2 : 1, "0")}:${(left % 60).toString().padStart(2, "0")}`;
  return hours ? `${hours}:${clock}` : clock;
}

/** The fastest over each distance, ever and in the last six weeks; each opens the session it was in. */
export function Efforts({ years }: { years: Years }) {
  const lane = years.lanes.find((each) => each.efforts.length > 0);
  const rows = lane?.efforts ?? [];
  const most = Math.max(0, ...rows.map((row) => row.of));
  const without = (lane?.marks.length ?? 0) - most;
  if (rows.length === 0) return null;
  return (
    <section aria-label="Best efforts" className="mt-4">
      <h2 className="mb-1">Best efforts</h2>
      <table className="w-full text-[13px]">
        <thead>
          <tr className="text-right text-soft">
            <th className="text-left font-normal">Over</th>
            <th className="font-normal">Ever</th>
            <th className="font-normal">When</th>
            <th className="font-normal">Last 42 days</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row.figure} className="border-hair border-t text-right">
              <th scope="row" className="py-1 text-left font-normal">
                {row.label}
              </th>
              <td>
                <Link className="font-semibold hover:underline" to={`/review/${row.session_id}`}>
                  {effortTime(row.value)}
                </Link>
              </td>
              <td className="text-soft">{dayMonth(row.day)}</td>
              <td>
                {row.lately === null || row.lately_id === null ? (
                  <span className="text-soft">none</span>
                ) : row.lately_id === row.session_id ? (
                  <span className="text-soft">this one</span>
                ) : (
                  <Link className="hover:underline" to={`/review/${row.lately_id}`}>
                    {effortTime(row.lately)}
                  </Link>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {without > 0 && (
        <p className="mt-1 text-[12.5px] text-soft">
          From {most} of {lane?.marks.length} sessions: {without} {without === 1 ? "has" : "have"} no such figure,
          signed before there was one or too short.
        </p>
      )}
    </section>
  );
}

/** Days on which somebody is away: nothing is planned for them. */
export function AwayDays({ person }: { person: number }) {
  const queries = useQueryClient();
  const { fail, say } = useNotices();
  const [adding, setAdding] = useState(false);
  const [since, setSince] = useState(today);
  const [until, setUntil] = useState(today);
  const path = { path: { person_id: person } };
  const found = useQuery({
    queryKey: ["plan", "away", person],
    queryFn: () => ask(api.GET("/api/people/{person_id}/away", { params: path })),
  });
  const anew = () => {
    void queries.invalidateQueries({ queryKey: ["plan"] });
    void queries.invalidateQueries({ queryKey: ["years"] });
  };
  const note = useMutation({
    mutationFn: () => ask(api.POST("/api/people/{person_id}/away", { params: path, body: { since, until, why: "" } })),
    onSuccess: () => {
      setAdding(false);
      anew();
    },
    onError: fail,
  });
  const remove = useMutation({
    mutationFn: (id: number) => ask(api.DELETE("/api/away/{away_id}", { params: { path: { away_id: id } } })),
    onSuccess: () => {
      say("They are there on these days.");
      anew();
    },
    onError: fail,
  });
  const rows = (found.data ?? []).filter((each) => each.until >= today() || each === found.data?.[0]);
  const box = "min-h-[30px] w-28 rounded-md border border-line bg-panel px-2";
  return (
    <section aria-label="Away" className="mt-4">
      <h2 className="mb-1">Away</h2>
      <ul className="text-[13px]">
        {rows.map((each) => (
          <li key={each.id} className="flex items-baseline gap-2 border-hair border-t py-1">
            <span className="min-w-0 flex-1">
              {dayMonth(each.since)} to {dayMonth(each.until)}
              {each.why ? `, ${each.why}` : ""}
            </span>
            <Button
              look="quiet"
              size="small"
              aria-label={`there on ${dayMonth(each.since)} after all`}
              onClick={() => remove.mutate(each.id)}
            >
              ✕
            </Button>
          </li>
        ))}
      </ul>
      {adding ? (
        <form
          aria-label="Note days away"
          className="mt-1 flex flex-wrap items-center gap-2 text-[13px]"
          onSubmit={(event) => {
            event.preventDefault();
            note.mutate();
          }}
        >
          <DateField label="First day away" look={box} value={since} required onChange={setSince} />
          to
          <DateField label="Last day away" look={box} value={until} required earliest={since} onChange={setUntil} />
          <Button size="small" type="submit" disabled={note.isPending}>
            Note
          </Button>
          <Button look="quiet" size="small" onClick={() => setAdding(false)}>
            Cancel
          </Button>
        </form>
      ) : (
        <Button look="quiet" size="small" onClick={() => setAdding(true)}>
          note days away
        </Button>
      )}
    </section>
  );
}

const FEW = 5;

/** The recorders that somebody had, the newest first. */
export function HandOvers({ person }: { person: number }) {
  const [all, setAll] = useState(false);
  const found = useQuery({
    queryKey: ["hand-overs", "of", person],
    queryFn: () => ask(api.GET("/api/people/{person_id}/hand-overs", { params: { path: { person_id: person } } })),
  });
  const back = (found.data ?? []).filter((slip) => slip.returned_at !== null);
  if (back.length === 0) return null;
  return (
    <section aria-label="Recorders before" className="mt-4">
      <h2 className="mb-1">
        Recorders before <span className="font-normal text-[13px] text-soft">{back.length}</span>
      </h2>
      <ul className="text-[13px]">
        {(all ? back : back.slice(0, FEW)).map((slip) => (
          <li key={slip.id} className="flex items-baseline gap-2 border-hair border-t py-1">
            <b className="w-12 font-narrow font-semibold">{slip.token}</b>
            <span className="min-w-0 flex-1 truncate text-soft">{kindName(slip.kind)}</span>
            <span className="whitespace-nowrap">
              {day(slip.given_at)} to {slip.returned_at ? day(slip.returned_at) : ""}
            </span>
          </li>
        ))}
      </ul>
      {back.length > FEW && !all && (
        <button type="button" className="min-h-6 text-[13px] text-act hover:underline" onClick={() => setAll(true)}>
          all {back.length}
        </button>
      )}
    </section>
  );
}

/** What was printed of somebody: frozen and numbered, the newest first. */
export function Reports({ person }: { person: number }) {
  const [all, setAll] = useState(false);
  const found = useQuery({
    queryKey: ["reports", "of person", person],
    queryFn: () => ask(api.GET("/api/reports", { params: { query: { person_id: person, limit: 100 } } })),
  });
  const rows = found.data?.reports ?? [];
  if (rows.length === 0) return null;
  return (
    <section aria-label="Reports" className="mt-4">
      <h2 className="mb-1">
        Reports <span className="font-normal text-[13px] text-soft">{found.data?.total}</span>
      </h2>
      <ul className="text-[13px]">
        {(all ? rows : rows.slice(0, FEW)).map((report) => (
          <li key={report.id} className="border-hair border-t py-1">
            <a
              className="flex gap-2 hover:underline"
              href={`/api/reports/${report.id}/pdf`}
              target="_blank"
              rel="noreferrer"
            >
              <b className="font-narrow font-semibold">{report.number}</b>
              <span className="ml-auto whitespace-nowrap text-soft">
                {day(report.issued_at)}, {report.pages} page{report.pages === 1 ? "" : "s"}
              </span>
            </a>
          </li>
        ))}
      </ul>
      {rows.length > FEW && !all && (
        <button type="button" className="min-h-6 text-[13px] text-act hover:underline" onClick={() => setAll(true)}>
          all {rows.length}
        </button>
      )}
    </section>
  );
}

import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { Button, inputLook } from "@/ui/basics";
import { DateField } from "@/ui/date-field";
import { today } from "@/ui/days";
import { dayMonth } from "@/ui/format";
import { useNotices } from "@/ui/notices";

const select = "min-h-[30px] w-full rounded-md border border-line bg-panel px-2";

/** What was changed, each with what followed; something more is noted once, for one, for a team or for a place. */
export function Changes({ person, years }: { person: Schemas["Person"]; years: Schemas["Years"] }) {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const [noting, setNoting] = useState(false);
  const anew = () => queries.invalidateQueries({ queryKey: ["years"] });
  const restore = (id: number) =>
    ask(api.POST("/api/interventions/{intervention_id}/restore", { params: { path: { intervention_id: id } } })).then(
      anew,
      fail,
    );
  const remove = useMutation({
    mutationFn: (id: number) =>
      ask(api.DELETE("/api/interventions/{intervention_id}", { params: { path: { intervention_id: id } } })),
    onSuccess: (_, id) => {
      anew();
      say("Taken away; nothing else changes.", () => restore(id));
    },
    onError: fail,
  });
  const followed = (id: number) =>
    years.lanes.flatMap((lane) =>
      lane.since.filter((each) => each.intervention_id === id).map((each) => `${lane.label}: ${each.told.words}`),
    );
  return (
    <section aria-label="What changed" className="mt-4">
      <h2 className="mb-1">What changed</h2>
      <ul className="text-[13px]">
        {years.changed.map((each) => (
          <li key={each.id} className="border-hair border-t py-1">
            <span className="flex items-baseline gap-2">
              <b className="min-w-0 flex-1 font-semibold">{each.words}</b>
              <span className="whitespace-nowrap text-soft">
                {dayMonth(each.day)} {each.day.slice(0, 4)}
              </span>
              <Button
                look="quiet"
                size="small"
                aria-label={`take ${each.words} away`}
                disabled={remove.isPending}
                onClick={() => remove.mutate(each.id)}
              >
                ✕
              </Button>
            </span>
            <span className="block text-[12.5px] text-soft">
              {each.of === "person" ? "" : `${each.of === "team" ? "everybody of" : "at"} ${each.whom}; `}
              {followed(each.id).join("; ") || "nothing measured on both sides of it yet"}
            </span>
          </li>
        ))}
        {years.taken.map((each) => (
          <li key={`medicine ${each.id}`} className="flex items-baseline gap-2 border-hair border-t py-1">
            <span className="min-w-0 flex-1">
              <b className="font-semibold">{each.name}</b> {each.dose}
            </span>
            <span className="text-right text-soft">
              {each.since ? `since ${dayMonth(each.since)}` : "not known since when"}
              {each.until ? `, until ${dayMonth(each.until)}` : ""}
            </span>
          </li>
        ))}
      </ul>
      {noting ? (
        <NoteForm person={person} onDone={() => setNoting(false)} onNoted={anew} />
      ) : (
        <Button look="quiet" size="small" onClick={() => setNoting(true)}>
          note something that changed
        </Button>
      )}
    </section>
  );
}

function NoteForm({ person, onDone, onNoted }: { person: Schemas["Person"]; onDone: () => void; onNoted: () => void }) {
  const [day, setDay] = useState(today);
  const [words, setWords] = useState("");
  const [whom, setWhom] = useState<"person" | "team" | "place">("person");
  const [place, setPlace] = useState("");
  const note = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/interventions", {
          body: {
            day,
            words,
            person_id: whom === "person" ? person.id : null,
            team: whom === "team" ? person.team : "",
            place: whom === "place" ? place : "",
          },
        }),
      ),
    onSuccess: () => {
      onNoted();
      onDone();
    },
  });
  return (
    <form
      aria-label="Note something that changed"
      className="mt-1 grid gap-1.5 rounded-md border border-line p-2"
      onSubmit={(event) => {
        event.preventDefault();
        note.mutate();
      }}
    >
      <input
        className={inputLook}
        aria-label="What was changed"
        placeholder="new liner at the crusher"
        maxLength={120}
        value={words}
        onChange={(event) => setWords(event.target.value)}
        required
      />
      <DateField label="On which day" look={select} value={day} onChange={setDay} required />
      <select
        aria-label="For whom"
        className={select}
        value={whom}
        onChange={(event) => setWhom(event.target.value as "person")}
      >
        <option value="person">for {person.name}</option>
        {person.team && <option value="team">for everybody of {person.team}</option>}
        <option value="place">for a place</option>
      </select>
      {whom === "place" && (
        <input
          className={inputLook}
          aria-label="Which place"
          placeholder="crusher hall, as sessions are tagged"
          maxLength={200}
          value={place}
          onChange={(event) => setPlace(event.target.value)}
          required
        />
      )}
      {note.error && (
        <p role="alert" className="text-[13px] text-above">
          {note.error.message}
        </p>
      )}
      <span className="flex gap-2">
        <Button look="primary" size="small" type="submit" disabled={!words.trim() || note.isPending}>
          Note it
        </Button>
        <Button look="quiet" size="small" onClick={onDone}>
          not now
        </Button>
      </span>
    </form>
  );
}

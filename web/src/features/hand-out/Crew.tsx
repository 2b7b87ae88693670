import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { Button, Token } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { PasscodeDialog } from "@/ui/passcode";
import { PersonPicker } from "@/ui/person-picker";
import { ReasonDialog } from "@/ui/reason";
import { type Common, type Pair, type Step, useCrew } from "./useCrew";

function StepWords({ step }: { step: Step | undefined }) {
  if (!step) return null;
  if (step.is === "waiting") return <span className="text-soft">waiting</span>;
  if (step.is === "writing") return <span>writing and reading back …</span>;
  if (step.is === "done") return <span className="text-within">{step.words}</span>;
  return (
    <span role="alert" className="text-above">
      {step.why}
    </span>
  );
}

function alsoWords({ picture, courses }: Common): string {
  const many = courses?.length === 1 ? "its course" : `its ${courses?.length} courses`;
  const also = [picture ? "its picture" : "", courses?.length ? many : "", courses?.length === 0 ? "no course" : ""];
  return also
    .filter(Boolean)
    .map((words) => ` and ${words}`)
    .join("");
}

/** The settings of this slip for several recorders of its kind, each with its person, in one go. */
export function Crew({ slip, common, onClose }: { slip: Pair; common: Common; onClose: () => void }) {
  const recorders = useQuery({ queryKey: ["recorders"], queryFn: () => ask(api.GET("/api/recorders")) });
  const team = useQuery({
    queryKey: ["people", "of the team", slip.person.team],
    queryFn: () => ask(api.GET("/api/people", { params: { query: { search: slip.person.team, limit: 100 } } })),
    enabled: Boolean(slip.person.team),
  });
  const [chosen, setChosen] = useState<Record<number, Schemas["Person"]>>({ [slip.recorder.id]: slip.person });
  const [asking, setAsking] = useState<"passcode" | "reason" | null>(null);
  const crew = useCrew(common);
  const ready = (recorders.data ?? []).filter(
    (r) =>
      r.sets_up &&
      r.kind === slip.recorder.kind &&
      r.in_reach &&
      !r.trouble &&
      (!r.holder || crew.steps[r.id]?.is === "done"),
  );
  const taken = new Set(Object.values(chosen).map((p) => p.id));
  const free = (team.data?.people ?? []).filter(
    (p) => p.team === slip.person.team && !p.has_recorder && !taken.has(p.id),
  );
  const isDone = (r: Schemas["Recorder"]) => crew.steps[r.id]?.is === "done";
  const pairs = ready.flatMap((recorder): Pair[] => {
    const person = chosen[recorder.id];
    return person && !isDone(recorder) ? [{ recorder, person }] : [];
  });
  const refused = (code: string) =>
    pairs.filter(({ recorder }) => {
      const step = crew.steps[recorder.id];
      return step?.is === "refused" && step.code === code;
    });
  const rest = () => {
    const people = [...free];
    const next = { ...chosen };
    for (const r of ready) {
      const person = next[r.id] ? undefined : people.shift();
      if (person) next[r.id] = person;
    }
    setChosen(next);
  };
  const put = (recorder: number, person: Schemas["Person"]) =>
    setChosen((old) => {
      // A person has one of them: whoever stood at another row trades places.
      const elsewhere = Object.entries(old).find(([id, p]) => p.id === person.id && Number(id) !== recorder)?.[0];
      const next = { ...old, [recorder]: person };
      if (elsewhere) {
        const mine = old[recorder];
        if (mine) next[Number(elsewhere)] = mine;
        else delete next[Number(elsewhere)];
      }
      return next;
    });
  return (
    <Dialog title="The same setup for several" open wide onClose={onClose}>
      <p className="text-soft">
        Each gets the settings of this slip{alsoWords(common)}; times, weight and codes are each person's own.
      </p>
      <ul className="mt-3">
        {ready.map((recorder) => {
          const person = chosen[recorder.id];
          return (
            <li key={recorder.id} className="flex items-center gap-3 border-hair border-t py-1.5">
              <Token name={recorder.token} size="small" />
              <span className="w-56">
                {isDone(recorder) ? (
                  person?.name
                ) : (
                  <PersonPicker
                    label={person?.name ?? "nobody yet"}
                    look={person ? "plain" : "quiet"}
                    onPick={(picked) => put(recorder.id, picked)}
                  />
                )}
              </span>
              <span className="min-w-0 flex-1 text-[13px]">
                <StepWords step={crew.steps[recorder.id]} />
                {!crew.steps[recorder.id] && recorder.new_sessions > 0 && (
                  <span className="text-action">{recorder.new_sessions} not taken in</span>
                )}
                {!crew.steps[recorder.id] && recorder.press && <span className="text-action">{recorder.press}</span>}
              </span>
              {person && !isDone(recorder) && !crew.running && (
                <button
                  type="button"
                  className="min-h-6 min-w-6 px-1 text-act"
                  aria-label={`leave ${recorder.token} out`}
                  onClick={() => setChosen(({ [recorder.id]: _, ...others }) => others)}
                >
                  ×
                </button>
              )}
            </li>
          );
        })}
      </ul>
      <div className="mt-4 flex flex-wrap items-center gap-2.5">
        <Button look="primary" disabled={pairs.length === 0 || crew.running} onClick={() => crew.run(pairs)}>
          {crew.running ? "Writing …" : `Write and hand out ${pairs.length}`}
        </Button>
        {free.length > 0 && !crew.running && <Button onClick={rest}>Fill up from {slip.person.team}</Button>}
        {refused("passcode").length > 0 && !crew.running && (
          <Button onClick={() => setAsking("passcode")}>Give the passcode for {refused("passcode").length}</Button>
        )}
        {refused("not-taken-in").length > 0 && !crew.running && (
          <Button onClick={() => setAsking("reason")}>Hand {refused("not-taken-in").length} out all the same</Button>
        )}
        <Button look="quiet" className="ml-auto" disabled={crew.running} onClick={onClose}>
          Close
        </Button>
      </div>
      {asking === "passcode" && (
        <PasscodeDialog
          token={refused("passcode")
            .map(({ recorder }) => recorder.token)
            .join(", ")}
          onClose={() => setAsking(null)}
          onGiven={(entered) => {
            setAsking(null);
            crew.run(refused("passcode"), entered);
          }}
        />
      )}
      {asking === "reason" && (
        <ReasonDialog
          title="Not empty"
          text={refused("not-taken-in")
            .map(({ recorder }) => {
              const step = crew.steps[recorder.id];
              return step?.is === "refused" ? step.why : "";
            })
            .join(" ")}
          hint="why they go out all the same"
          action="Hand out all the same"
          reasons={["taken in later today", "not needed", "a test"]}
          onClose={() => setAsking(null)}
          onReason={(reason) => {
            setAsking(null);
            crew.run(refused("not-taken-in"), "", reason);
          }}
        />
      )}
    </Dialog>
  );
}

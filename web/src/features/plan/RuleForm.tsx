import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { useKindWords } from "@/kinds/kinds";
import { Button, Field, inputLook } from "@/ui/basics";
import { DateField } from "@/ui/date-field";
import { Dialog } from "@/ui/dialog";
import { PersonPicker } from "@/ui/person-picker";

const select = "min-h-[34px] w-full rounded-md border border-line bg-panel px-2";
const SPANS = { days: 1, weeks: 7, months: 30.4375 } as const;

/** A rule in one sentence: who, what, how often or after what. */
export function RuleForm({ onMade, onClose }: { onMade: () => void; onClose: () => void }) {
  const kinds = useKindWords();
  const teams = useQuery({ queryKey: ["people", "teams"], queryFn: () => ask(api.GET("/api/teams")) });
  const [wished, setKind] = useState<string | null>(null);
  const [team, setTeam] = useState("");
  const [person, setPerson] = useState<Schemas["Person"] | null>(null);
  const [count, setCount] = useState("1");
  const [number, setNumber] = useState("12");
  const [span, setSpan] = useState<keyof typeof SPANS>("months");
  const [after, setAfter] = useState(false);
  const [starts, setStarts] = useState("");
  const kind = wished ?? kinds.data?.find((each) => each.groups.length > 0)?.key ?? kinds.data?.[0]?.key ?? "";
  const patient = kinds.data?.find((each) => each.key === kind)?.patient ?? false;
  const days =
    span === "months" && Number(number) % 12 === 0
      ? (Number(number) / 12) * 365
      : Math.round(Number(number) * SPANS[span]);
  const wrong = !(days >= 1 && days <= 4000) || !(Number(count) >= 1 && Number(count) <= 100) || (!team && !person);
  const make = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/plan/rules", {
          body: {
            kind,
            team: person ? "" : team,
            person_id: person?.id ?? null,
            count: after ? 1 : Number(count),
            every_days: days,
            after: after && patient ? "medicine" : "",
            starts: starts || null,
          },
        }),
      ),
    onSuccess: onMade,
  });
  return (
    <Dialog title="A rule of the plan" open wide onClose={onClose}>
      <form
        aria-label="Rule"
        className="grid gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!wrong) make.mutate();
        }}
      >
        <div className="grid grid-cols-2 gap-3">
          <Field label="Each of the team">
            <select
              className={select}
              value={team}
              disabled={person !== null}
              onChange={(event) => setTeam(event.target.value)}
            >
              <option value="">choose a team</option>
              {teams.data?.map((each) => (
                <option key={each.name} value={each.name}>
                  {each.name}
                </option>
              ))}
            </select>
          </Field>
          <span className="grid content-end">
            {person ? (
              <span className="flex items-center gap-2">
                or {person.name}
                <Button look="quiet" size="small" onClick={() => setPerson(null)}>
                  ✕
                </Button>
              </span>
            ) : (
              <span>
                <PersonPicker label="or one person or place" look="quiet" onPick={setPerson} />
              </span>
            )}
          </span>
          <Field label="What">
            <select
              className={select}
              value={kind}
              onChange={(event) => {
                setKind(event.target.value);
                setAfter(false);
              }}
            >
              {kinds.data?.map((each) => (
                <option key={each.key} value={each.key}>
                  {each.name}
                </option>
              ))}
            </select>
          </Field>
          {!after && (
            <Field label="How many each">
              <input
                className={inputLook}
                inputMode="numeric"
                value={count}
                onChange={(event) => setCount(event.target.value)}
              />
            </Field>
          )}
        </div>
        <div className="flex flex-wrap items-end gap-2">
          <span className="pb-2">{after ? "so long after a change of medicine:" : "every"}</span>
          <input
            className={`${inputLook} max-w-20`}
            aria-label="How long"
            inputMode="numeric"
            value={number}
            onChange={(event) => setNumber(event.target.value)}
          />
          <select
            aria-label="Days, weeks or months"
            className={`${select} max-w-32`}
            value={span}
            onChange={(event) => setSpan(event.target.value as "days")}
          >
            {Object.keys(SPANS).map((each) => (
              <option key={each}>{each}</option>
            ))}
          </select>
          {patient && (
            <label className="flex min-h-[34px] items-center gap-2">
              <input
                type="checkbox"
                className="size-4 accent-(--act)"
                checked={after}
                onChange={(event) => {
                  setAfter(event.target.checked);
                  if (event.target.checked) {
                    setNumber("6");
                    setSpan("weeks");
                  }
                }}
              />
              after a change of medicine
            </label>
          )}
        </div>
        <span className="grid gap-1 text-[13px] text-soft">
          Holds from (nobody is late before that and once the span)
          <DateField label="Holds from" value={starts} onChange={setStarts} />
        </span>
        {make.error && (
          <p role="alert" className="text-above">
            {make.error.message}
          </p>
        )}
        <div className="flex gap-2">
          <Button look="primary" type="submit" disabled={wrong || make.isPending}>
            Make the rule
          </Button>
          <Button onClick={onClose}>Cancel</Button>
        </div>
      </form>
    </Dialog>
  );
}

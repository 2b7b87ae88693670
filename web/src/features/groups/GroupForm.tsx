import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { useKindWords } from "@/kinds/kinds";
import { Button, Field, inputLook } from "@/ui/basics";
import { DateField } from "@/ui/date-field";
import { Dialog } from "@/ui/dialog";
import { PersonPicker } from "@/ui/person-picker";
import type { Wish } from "./useGroup";

const select = "min-h-[34px] w-full rounded-md border border-line bg-panel px-2";

export interface GroupDraft {
  name: string;
  kind: string;
  wish: Wish;
}

export type Named = { id: number; name: string };

/** Who is in a group, which of their measurements count, and against what. */
export function GroupForm({
  draft,
  people: known,
  steps,
  isNew,
  error,
  onKeep,
  onClose,
}: {
  draft: GroupDraft;
  people: Named[];
  steps: Schemas["GroupStep"][];
  isNew: boolean;
  error: Error | null;
  onKeep: (draft: GroupDraft) => void;
  onClose: () => void;
}) {
  const kinds = useKindWords();
  const teams = useQuery({ queryKey: ["people", "teams"], queryFn: () => ask(api.GET("/api/teams")) });
  const [name, setName] = useState(draft.name);
  const [kind, setKind] = useState(draft.kind);
  const [wish, setWish] = useState(draft.wish);
  const [people, setPeople] = useState<Named[]>(known);
  const [floor, setFloor] = useState(draft.wish.floor ? String(draft.wish.floor) : "");
  const put = (change: Partial<Wish>) => setWish({ ...wish, ...change });
  const grouped = kinds.data?.filter((each) => each.groups.length > 0) ?? [];
  const figures = grouped.find((each) => each.key === kind)?.groups ?? [];
  const least = floor.trim() === "" ? null : Number(floor.replace(",", "."));
  const wrong = least !== null && !(least > 0);
  return (
    <Dialog title={isNew ? "A group of people" : "Who is in it, what counts"} open wide onClose={onClose}>
      <form
        aria-label="Group"
        className="grid gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!wrong) onKeep({ name, kind, wish: { ...wish, floor: least, people: people.map((p) => p.id) } });
        }}
      >
        <div className="grid grid-cols-2 gap-3 max-[560px]:grid-cols-1">
          <Field label="Name">
            <input
              className={inputLook}
              value={name}
              maxLength={120}
              placeholder="Crusher hall operators"
              required
              onChange={(event) => setName(event.target.value)}
            />
          </Field>
          <Field label="What is measured">
            <select
              className={select}
              value={kind}
              disabled={!isNew}
              onChange={(event) => {
                setKind(event.target.value);
                put({ figure: "", step: "" });
              }}
            >
              {grouped.map((each) => (
                <option key={each.key} value={each.key}>
                  {each.name}
                </option>
              ))}
            </select>
          </Field>
          {figures.length > 1 && (
            <Field label="Figure">
              <select className={select} value={wish.figure} onChange={(event) => put({ figure: event.target.value })}>
                {figures.map((each) => (
                  <option key={each.figure} value={each.figure}>
                    {each.label}
                  </option>
                ))}
              </select>
            </Field>
          )}
          {steps.length > 1 && (
            <Field label="Held against">
              <select className={select} value={wish.step} onChange={(event) => put({ step: event.target.value })}>
                <option value="">the limit value, else the highest level</option>
                {steps.map((step) => (
                  <option key={step.name} value={step.name}>
                    {step.value} {step.name}
                  </option>
                ))}
              </select>
            </Field>
          )}
        </div>
        <fieldset className="grid gap-2 rounded-md border border-line p-3">
          <legend className="px-1 font-medium">Who</legend>
          <div className="grid grid-cols-3 gap-3 max-[560px]:grid-cols-1">
            <Field label="Everybody of the team">
              <select
                className={select}
                value={wish.team}
                disabled={people.length > 0}
                onChange={(event) => put({ team: event.target.value })}
              >
                <option value="">any team</option>
                {teams.data?.map((team) => (
                  <option key={team.name} value={team.name}>
                    {team.name}
                  </option>
                ))}
              </select>
            </Field>
            <Field label="who did">
              <input
                className={inputLook}
                placeholder="any task"
                value={wish.task}
                maxLength={200}
                onChange={(event) => put({ task: event.target.value })}
              />
            </Field>
            <Field label="at">
              <input
                className={inputLook}
                placeholder="any place"
                value={wish.place}
                maxLength={200}
                onChange={(event) => put({ place: event.target.value })}
              />
            </Field>
          </div>
          <div className="flex flex-wrap items-center gap-2">
            <span className="text-[13px] text-soft">or by name:</span>
            {people.map((person) => (
              <span key={person.id} className="inline-flex items-center rounded-md border border-line pl-2">
                {person.name}
                <Button
                  look="quiet"
                  size="small"
                  aria-label={`without ${person.name}`}
                  onClick={() => setPeople(people.filter((p) => p.id !== person.id))}
                >
                  ✕
                </Button>
              </span>
            ))}
            <PersonPicker
              label="add somebody"
              look="quiet"
              onPick={(person) => setPeople([...people.filter((p) => p.id !== person.id), person])}
            />
          </div>
        </fieldset>
        <div className="grid grid-cols-3 gap-3 max-[560px]:grid-cols-1">
          <span className="grid gap-1 text-[13px] text-soft">
            From
            <DateField
              label="From which day"
              value={wish.since ?? ""}
              onChange={(day) => put({ since: day || null })}
            />
          </span>
          <span className="grid gap-1 text-[13px] text-soft">
            To
            <DateField label="To which day" value={wish.until ?? ""} onChange={(day) => put({ until: day || null })} />
          </span>
          <Field label="Least that can be measured" hint={wrong ? "a number above 0" : "empty: everything can"}>
            <input
              className={inputLook}
              inputMode="decimal"
              value={floor}
              aria-invalid={wrong}
              onChange={(event) => setFloor(event.target.value)}
            />
          </Field>
        </div>
        <label className="flex min-h-7 items-center gap-2">
          <input
            type="checkbox"
            className="size-4 accent-(--act)"
            checked={wish.unsigned}
            onChange={(event) => put({ unsigned: event.target.checked })}
          />
          count what is not signed off yet, too
        </label>
        {error && (
          <p role="alert" className="text-above">
            {error.message}
          </p>
        )}
        <div className="flex gap-2">
          <Button look="primary" type="submit" disabled={!name.trim()}>
            {isNew ? "Make the group" : "Keep"}
          </Button>
          <Button onClick={onClose}>Cancel</Button>
        </div>
      </form>
    </Dialog>
  );
}

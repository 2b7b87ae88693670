import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "@/api/client";
import { kindName } from "@/kinds/kinds";
import { Button, Empty, Loading, Token, Trouble, Verdict } from "@/ui/basics";
import { DateField } from "@/ui/date-field";
import { dayWords } from "@/ui/days";
import { dayMonth } from "@/ui/format";
import { useTitle } from "@/ui/title";
import { Calendar } from "./Calendar";
import { Checks } from "./Checks";
import { Feeds } from "./Feeds";
import { RuleForm } from "./RuleForm";
import { Unprinted } from "./Unprinted";
import { type Item, type Plan, short, usePlan } from "./usePlan";

/** A rule in one sentence, with how far it is; a press shows its people alone. */
function Rule({
  rule,
  here,
  onPress,
  onRemove,
}: {
  rule: Schemas["PlanRule"];
  here: boolean;
  onPress: () => void;
  onRemove: () => void;
}) {
  const share = rule.wanted ? rule.measured / rule.wanted : 0;
  return (
    <li className={`border-line border-b border-l-[3px] ${here ? "border-l-brass bg-panel" : "border-l-transparent"}`}>
      <button
        type="button"
        aria-pressed={here}
        className="block w-full px-4 pt-2.5 pb-1 text-left hover:bg-hair"
        onClick={onPress}
      >
        <span className="block truncate font-medium">
          {kindName(rule.kind)}, {rule.who}
        </span>
        <span className="block text-[13px] text-soft">{rule.words}</span>
        <span className="my-1 flex h-2 overflow-hidden rounded-sm bg-hair">
          <i className="block bg-within" style={{ width: `${share * 100}%` }} />
        </span>
        <span className="flex flex-wrap gap-x-3 font-narrow text-[12.5px]">
          <span>
            {rule.measured} of {rule.wanted}
          </span>
          {rule.due > 0 && <span>{rule.due} due</span>}
          {rule.overdue > 0 && <Verdict verdict="action level reached" words={`${rule.overdue} overdue`} />}
        </span>
      </button>
      {here && (
        <>
          <Unprinted rule={rule} />
          <Button look="quiet" size="small" className="mb-1 ml-2" onClick={onRemove}>
            take this rule away
          </Button>
        </>
      )}
    </li>
  );
}

/** Those who are planned for a day, each with the days that are possible; another day is typed or taken as proposed. */
function OfDay({
  plan,
  kind,
  day,
  items,
  onMove,
  isMoving,
}: {
  plan: Plan;
  kind: string;
  day: string;
  items: Item[];
  onMove: (items: Item[], dayOf: (item: Item) => string) => void;
  isMoving: boolean;
}) {
  const row = plan.kinds.find((each) => each.kind === kind);
  const at = plan.days.indexOf(day);
  const lacking = row ? short(row, at) : 0;
  const proposed = items.filter((item) => item.moved_to);
  return (
    <section aria-label="Who is planned for this day" className="mt-2.5 rounded-lg border border-line bg-panel p-3">
      <div className="flex flex-wrap items-center gap-3">
        <h2>
          {dayWords(day)}: {items.length} {items.length === 1 ? "person" : "people"}, {row?.there[at] ?? 0} there
        </h2>
        {lacking > 0 && <Verdict verdict="action level reached" words={`${lacking} short`} />}
        {proposed.length > 0 && (
          <Button
            className="ml-auto"
            disabled={isMoving}
            onClick={() => onMove(proposed, (item) => item.moved_to ?? item.day)}
          >
            Move {proposed.length} as proposed
          </Button>
        )}
      </div>
      <table className="mt-1 w-full text-[13.5px]">
        <tbody>
          {items.map((item) => (
            <tr key={`${item.rule_id} ${item.person_id}`} className="border-hair border-t">
              <td className="max-w-44 truncate py-1">
                <Link className="font-medium hover:underline" to={`/people/${item.person_id}`}>
                  {item.name}
                </Link>
              </td>
              <td className="px-2 text-soft">
                {item.missing} missing, {item.state === "overdue" ? "since" : "by"} {dayMonth(item.deadline)}
              </td>
              <td className="px-2">
                {item.state === "overdue" && <Verdict verdict="action level reached" words="overdue" />}
                {item.moved_to && <span className="ml-2 text-act">better {dayMonth(item.moved_to)}</span>}
              </td>
              <td className="w-36 py-1 text-right">
                <DateField
                  label={`Day of ${item.name}`}
                  look="min-h-[30px] w-32 rounded-md border border-line bg-panel px-2 text-right"
                  value={item.day}
                  required
                  earliest={plan.today}
                  onChange={(to) => onMove([item], () => to)}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {items.length === 0 && <p className="text-soft">Nobody is planned for this day.</p>}
    </section>
  );
}

/** What goes out today: who, with which recorder; each by one press on the slip that is filled in. */
function Today({ items, today, give }: { items: Item[]; today: string; give: ReturnType<typeof usePlan>["give"] }) {
  const now = items.filter((item) => item.day <= today);
  const ready = now.filter((item) => item.recorder_id !== null);
  return (
    <section aria-label="To hand out today">
      <h2 className="mb-1 flex items-baseline">
        To hand out today{" "}
        <span className="ml-auto font-normal text-[13px] text-soft">
          {now.length ? `${now.length}, ${ready.length} ready` : ""}
        </span>
      </h2>
      {now.length === 0 && <p className="text-soft">Nobody today.</p>}
      {ready.length > 0 && (
        <>
          <Button look="primary" disabled={give.isPending} onClick={() => give.mutate(ready)}>
            {give.isPending
              ? "Handing out …"
              : `Hand out ${ready.length === 1 ? "the one" : `the ${ready.length}`} that ${ready.length === 1 ? "is" : "are"} ready`}
          </Button>
          <p className="mt-1 mb-1.5 text-[12.5px] text-soft">
            Each with the settings that their slip begins with: what they had last, else the usual ones.
          </p>
        </>
      )}
      <ul className="text-[13px]">
        {now.map((item) => (
          <li key={`${item.rule_id} ${item.person_id}`} className="flex items-center gap-2 border-hair border-t py-1">
            {item.token || item.out ? (
              <Token name={item.token || item.out} size="small" away={!item.token} />
            ) : (
              <span className="size-[30px]" />
            )}
            <span className="min-w-0 flex-1">
              <span className="block truncate font-medium">{item.name}</span>
              <span className="block truncate text-soft">
                {kindName(item.kind)}
                {item.state === "overdue" ? ", overdue" : ""}
              </span>
            </span>
            {item.out ? (
              <span className="text-soft">has it</span>
            ) : item.recorder_id !== null ? (
              <Link
                className="text-act hover:underline"
                to={`/hand-out?person=${item.person_id}&recorder=${item.recorder_id}`}
              >
                hand out
              </Link>
            ) : (
              <span className="text-soft">none is free</span>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}

/** Who, when, with what: rules at the left, six weeks in the middle, today at the right. */
export default function PlanPage() {
  const { found, anew, move, isMoving, removeRule, give } = usePlan();
  const [rule, setRule] = useState<number | null>(null);
  const [open, setOpen] = useState<{ kind: string; day: string } | null>(null);
  const [making, setMaking] = useState(false);
  useTitle("Plan");
  if (found.isError && !found.data) return <Trouble view="Plan" error={found.error} again={() => found.refetch()} />;
  if (!found.data) return <Loading view="Plan" what="the plan" />;
  const plan = found.data;
  const items = plan.items.filter((item) => rule === null || item.rule_id === rule);
  // What needs a look first is open by itself.
  const clash = plan.kinds
    .flatMap((kind) => plan.days.flatMap((day, at) => (short(kind, at) > 0 ? [{ kind: kind.kind, day, at }] : [])))
    .sort((a, b) => a.at - b.at)[0];
  const first = plan.items[0];
  const shown = open ?? clash ?? (first && { kind: first.kind, day: first.day });
  const late = plan.items.filter((item) => item.state === "overdue");
  return (
    <main className="grid h-full grid-cols-[200px_minmax(0,1fr)] max-[1099px]:grid-rows-[minmax(0,3fr)_minmax(0,2fr)] min-[1100px]:grid-cols-[250px_minmax(0,1fr)_290px]">
      <section aria-label="Rules" className="overflow-auto border-line border-r">
        <div className="flex items-center px-4 pt-[18px] pb-2">
          <h1>Plan</h1>
          <Button look="quiet" size="small" className="ml-auto" onClick={() => setMaking(true)}>
            New rule
          </Button>
        </div>
        <ul>
          {plan.rules.map((each) => (
            <Rule
              key={each.id}
              rule={each}
              here={each.id === rule}
              onPress={() => setRule(each.id === rule ? null : each.id)}
              onRemove={() => {
                setRule(null);
                removeRule(each.id);
              }}
            />
          ))}
        </ul>
      </section>
      <section aria-label="Six weeks" className="overflow-auto px-4 py-[18px]">
        {plan.rules.length === 0 ? (
          <Empty
            title="No rule yet"
            action={
              <Button look="primary" onClick={() => setMaking(true)}>
                New rule
              </Button>
            }
          >
            Say who is to be measured how often: each of the crusher hall, noise, 3 shifts every 12 months. Checks of
            recorders come in by themselves.
          </Empty>
        ) : null}
        <div className="rounded-lg border border-line bg-panel p-3">
          <h2 className="mb-1 flex flex-wrap items-baseline gap-3">
            Recorders wanted each day
            <span className="font-normal text-[13px] text-soft">
              bars: wanted; line: there to give; hatched: too many
            </span>
          </h2>
          <Calendar
            plan={plan}
            kind={shown?.kind ?? null}
            day={shown?.day ?? null}
            onOpen={(kind, day) => setOpen({ kind, day })}
          />
        </div>
        {shown && (
          <OfDay
            plan={plan}
            kind={shown.kind}
            day={shown.day}
            items={items.filter((item) => item.kind === shown.kind && item.day === shown.day)}
            onMove={move}
            isMoving={isMoving}
          />
        )}
        {rule !== null && (
          <section aria-label="Everybody of this rule" className="mt-2.5 rounded-lg border border-line bg-panel p-3">
            <h2 className="mb-1">Everybody who is due under this rule</h2>
            {items.length === 0 && <p className="text-soft">Nobody within six weeks.</p>}
            <ul className="text-[13.5px]">
              {items.map((item) => (
                <li key={item.person_id} className="flex gap-3 border-hair border-t py-1">
                  <Link
                    className="min-w-0 flex-1 truncate font-medium hover:underline"
                    to={`/people/${item.person_id}`}
                  >
                    {item.name}
                  </Link>
                  <span className="text-soft">
                    {item.missing} missing, {item.state === "overdue" ? "since" : "by"} {dayMonth(item.deadline)},
                    planned {dayMonth(item.day)}
                  </span>
                </li>
              ))}
            </ul>
          </section>
        )}
      </section>
      <aside
        aria-label="Today"
        className="overflow-auto border-line border-l bg-panel px-4 py-[18px] max-[1099px]:col-span-2 max-[1099px]:border-t max-[1099px]:border-l-0"
      >
        <Today items={plan.items} today={plan.today} give={give} />
        {late.length > 0 && (
          <section aria-label="Overdue" className="mt-4">
            <h2 className="mb-1">Overdue {new Set(late.map((item) => item.person_id)).size}</h2>
            <ul className="text-[13px]">
              {late.map((item) => (
                <li key={`${item.rule_id} ${item.person_id}`} className="flex gap-2 border-hair border-t py-1">
                  <Link
                    className="min-w-0 flex-1 truncate font-medium hover:underline"
                    to={`/people/${item.person_id}`}
                  >
                    {item.name}
                  </Link>
                  <span className="text-soft">
                    {kindName(item.kind).toLowerCase()}, since {dayMonth(item.deadline)}
                  </span>
                </li>
              ))}
            </ul>
          </section>
        )}
        <Checks checks={plan.checks} />
        <Feeds />
      </aside>
      {making && (
        <RuleForm
          onClose={() => setMaking(false)}
          onMade={() => {
            setMaking(false);
            void anew();
          }}
        />
      )}
    </main>
  );
}

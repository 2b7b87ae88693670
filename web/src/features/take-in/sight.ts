import type { Schemas } from "@/api/client";
import { clearable } from "./ClearDialog";
import {
  type Bay,
  type Draft,
  groupsOf,
  isAside,
  isAtWork,
  isCut,
  isStored,
  isWaiting,
  type Line,
  type LinkRules,
  linesOf,
  needOf,
  noDraft,
  standOf,
} from "./dock";

/** What of the dock is looked at: which recorder or stand alone, which folds are open, what was begun here. */
export interface Looking {
  mine: ReadonlySet<string>;
  ticked: ReadonlySet<string>;
  opened: ReadonlySet<string>;
  only: string | null;
  showStored: boolean;
  showAside: boolean;
  rules: LinkRules;
}

/** Everything in the dock, sorted by what is to be done with it, and what of it is in sight. */
export function sightOf(bays: Bay[], looking: Looking) {
  const { mine, ticked, opened, only, showStored, showAside, rules } = looking;
  const all = linesOf(bays);
  const fresh = all.filter(({ found }) => isWaiting(found));
  const cut = all.filter(({ found }) => isCut(found));
  const chosen = all.filter(({ key, found }) => ticked.has(key) && (isWaiting(found) || found.standing === "deleted"));
  const isShown = ({ bay, found, key }: Line) => {
    if (only !== null && bay.recorder.token !== only && standOf(bay, mine, rules) !== only) return false;
    if (only === bay.recorder.token || mine.has(key)) return true;
    if (isAside(found)) return showAside;
    return !isStored(found) || showStored;
  };
  const groups = groupsOf(all.filter(isShown));
  const isChosen = (bay: Bay) => bay.recorder.token === only;
  const inView = bays.filter((bay) => only === null || isChosen(bay) || standOf(bay, mine, rules) === only);
  const needs = bays.flatMap((bay) => {
    const need = needOf(bay, rules);
    return need ? [{ bay, need }] : [];
  });
  needs.sort((a, b) => Number(b.bay.recorder.keeps_one) - Number(a.bay.recorder.keeps_one));
  return {
    all,
    fresh,
    cut,
    chosen,
    wanted: chosen.length > 0 ? chosen : [...fresh, ...cut],
    atWork: all.filter(({ found }) => isAtWork(found)),
    done: all.filter(({ key, found }) => mine.has(key) && isStored(found)),
    groups,
    shown: groups.flatMap((g) => (g.team === null || opened.has(g.team) ? g.lines : [])),
    hiddenStored: all.filter(({ found, key }) => found.standing === "stored" && !mine.has(key)).length,
    aside: all.filter(({ found, key }) => isAside(found) && !mine.has(key)),
    toClear: clearable(inView, isChosen),
    needs,
  };
}
export type Sight = ReturnType<typeof sightOf>;

/** What the main step of the screen says. */
export function stepWords({ wanted, chosen, fresh, cut }: Sight): string {
  if (wanted.length === 0) return "Nothing to take in";
  if (chosen.length > 0) return `Take in ${chosen.length} of ${fresh.length}`;
  return fresh.length === 0 ? `Go on with ${cut.length}` : `Take in all ${wanted.length}`;
}

export function wishOf({ bay, found }: Line, draft: Draft | undefined, clearAfter: boolean): Schemas["TakeInWish"] {
  return {
    recorder_id: bay.recorder.id,
    recorder_session: found.recorder_session,
    tags: draft?.tags ?? {},
    note: draft?.note ?? "",
    person_id: draft?.person?.id ?? null,
    unclaimed: draft?.unclaimed ?? false,
    shift_clock: draft?.shiftClock ?? false,
    clear_after: clearAfter,
  };
}

/** Drafts with a change for many lines; a person that is given takes the place of nobody. */
export function changedMany(
  drafts: Record<string, Draft>,
  lines: Line[],
  change: { tags: Record<string, string>; person?: Draft["person"] },
): Record<string, Draft> {
  const next = { ...drafts };
  for (const { key, found } of lines) {
    const own = next[key] ?? noDraft(found);
    next[key] = {
      ...own,
      tags: { ...own.tags, ...change.tags },
      person: change.person ?? own.person,
      unclaimed: change.person ? false : own.unclaimed,
    };
  }
  return next;
}

"""When somebody is due again, and on which days measurements are to be made with the recorders that there are."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Literal

State = Literal["done", "due", "overdue"]
DAY = timedelta(days=1)
SATURDAY = 5
LATE_ROOM = 14 * DAY
"""Who is late already can wait so long for a recorder, if there is none."""


@dataclass(frozen=True)
class Due:
    """How somebody stands under a rule: by when (`deadline`), how many are `missing` for it, how many of the wanted are `done`; the days
    from `first` to `last` on which it may be made."""

    state: State
    deadline: date
    missing: int
    done: int
    first: date
    last: date


def every(days: Sequence[date], count: int, every_days: int, starts: date, today: date, horizon_days: int) -> Due:
    """`count` measurements in every span of `every_days`; `days` are those on which some were made, in any order.

    With at least `count`, the deadline is the day on which the last but `count - 1` of them grows too old; with fewer, the end of the
    first span after `starts`. On the day itself it is not yet overdue.

    >>> every([date(2026, 3, 2), date(2026, 5, 4)], 2, 365, date(2026, 1, 1), date(2026, 12, 1), 42).deadline
    datetime.date(2027, 3, 2)
    """
    span = timedelta(days=every_days)
    known = sorted(day for day in days if day <= today)
    deadline = (known[-count] if len(known) >= count else starts) + span
    # What is too old by then, or by now where that is later, counts no more.
    oldest = max(deadline, today) - span
    counted = len(known) - bisect_right(known, oldest)
    if len(known) < count:
        counted = sum(starts <= day for day in known) if deadline >= today else counted
    done = min(counted, count)
    if deadline < today:
        return Due("overdue", deadline, max(count - done, 1), done, today, today + LATE_ROOM)
    if deadline <= today + timedelta(days=horizon_days):
        return Due("due", deadline, max(count - done, 1), done, today, deadline)
    return Due("done", deadline, 0, count if len(known) >= count else done, today, deadline)


def after(changes: Sequence[date], days: Sequence[date], after_days: int, today: date, horizon_days: int) -> Due | None:
    """Once, `after_days` after the last of some changes; a measurement from a third of that before on is it. None without a change.

    >>> after([date(2026, 10, 20)], [], 42, date(2026, 11, 20), 42).deadline
    datetime.date(2026, 12, 1)
    """
    past = [day for day in changes if day <= today]
    if not past:
        return None
    deadline, room = max(past) + timedelta(days=after_days), timedelta(days=after_days // 3)
    if any(day >= deadline - room for day in days):
        return Due("done", deadline, 0, 1, deadline - room, deadline + room)
    if deadline < today:
        state: State = "overdue"
    elif deadline <= today + timedelta(days=horizon_days):
        state = "due"
    else:
        return Due("done", deadline, 0, 0, deadline - room, deadline + room)
    last = today + LATE_ROOM if state == "overdue" else deadline + room
    return Due(state, deadline, 1, 0, max(deadline - room, today), last)


def working_day(day: date, closed: frozenset[date] = frozenset(), step: int = 1) -> date:
    """The day itself, else the next one (or the one before, `step` -1) on which somebody works.

    >>> working_day(date(2026, 11, 28)), working_day(date(2026, 11, 28), step=-1)
    (datetime.date(2026, 11, 30), datetime.date(2026, 11, 27))
    """
    while day.weekday() >= SATURDAY or day in closed:
        day += step * DAY
    return day


def proposed_day(due: Due, today: date, closed: frozenset[date] = frozenset()) -> date:
    """A week before it is too late where there is time, at once where there is none; always a day on which they work (`closed`: on which
    nobody does, or they are away)."""
    wished = working_day(max(min(due.deadline - 7 * DAY, due.last), due.first, today), closed, step=-1)
    return wished if wished >= max(due.first, today) else working_day(max(due.first, today), closed)


@dataclass(frozen=True)
class Wanted:
    """Something that wants a recorder of a kind on a day, and may have it from `first` to `last`, but for the `closed` days. `key` tells it
    from others."""

    key: tuple[int, int]
    kind: str
    day: date
    first: date
    last: date
    closed: frozenset[date] = frozenset()


@dataclass(frozen=True)
class Move:
    """A day in place of the one that was proposed."""

    key: tuple[int, int]
    day: date


def moves(wanted: Sequence[Wanted], there: Mapping[str, Mapping[date, int]], today: date) -> list[Move]:
    """The fewest days to change so that no day wants more recorders than are there, as far as the spans allow.

    Day by day; of those on a day that wants too many, whoever has the longest time left goes to the next working day that has one free.
    Who finds none stays, and the clash with them.
    """
    load: dict[tuple[str, date], int] = {}
    for each in wanted:
        load[each.kind, each.day] = load.get((each.kind, each.day), 0) + 1
    found: list[Move] = []
    moved = {each.key: each for each in wanted}
    for kind, day in sorted(load, key=lambda at: (at[1], at[0])):
        here = [each for each in moved.values() if (each.kind, each.day) == (kind, day)]
        here.sort(key=lambda each: (each.last, each.key), reverse=True)
        while load[kind, day] > there.get(kind, {}).get(day, 0) and here:
            each = here.pop(0)
            other = _free(each, load, there.get(kind, {}), today)
            if other is None:
                continue
            load[kind, day] -= 1
            load[kind, other] = load.get((kind, other), 0) + 1
            moved[each.key] = replace(each, day=other)
            found.append(Move(each.key, other))
    return found


def _free(each: Wanted, load: Mapping[tuple[str, date], int], there: Mapping[date, int], today: date) -> date | None:
    day = each.day + DAY
    while day <= each.last:
        day = working_day(day, each.closed)
        if day <= each.last and load.get((each.kind, day), 0) < there.get(day, 0):
            return day
        day += DAY
    day = each.day - DAY
    while day >= max(each.first, today):
        day = working_day(day, each.closed, step=-1)
        if day >= max(each.first, today) and load.get((each.kind, day), 0) < there.get(day, 0):
            return day
        day -= DAY
    return None

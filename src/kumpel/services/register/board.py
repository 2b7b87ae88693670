"""The recorders on one board: which can go out, which need one press, which a hand, which are out and away.

Every recorder is in exactly one cell, so the heads of the board add up to all of them.
"""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, Literal

import sqlalchemy
from sqlalchemy import Engine
from sqlmodel import Session as Db
from sqlmodel import col, func, select

from kumpel.core.names import clean_line
from kumpel.services.ground import deeds, sensor_checks, settings
from kumpel.services.ground.carriers import carriers
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ProblemError
from kumpel.services.recorders import bays, checks, clock
from kumpel.services.recorders.reaching import is_folder
from kumpel.services.recorders.recorders import recorder_of
from kumpel.services.take_in import take_in
from kumpel.services.take_in.take_in import Starter, Wish
from kumpel.store.database import among
from kumpel.store.tables import HandOver, Person, Recorder, Session, now

ONE_SLOT = "keeps one recording: the next start overwrites what is not taken in"
Cell = Literal["go", "press", "hand", "out", "away"]
SOON = timedelta(days=14)
AT_ONCE = 8
"""Clocks that are set side by side."""


@dataclass(frozen=True)
class OnBoard:
    """A recorder in its cell: why it is there, in a word (`words`), and what somebody does about it (`deed`).

    `mark` says what is late or will soon be due, in words; empty when nothing is.
    """

    recorder_id: int
    token: str
    kind: str
    name: str
    cell: Cell
    words: str
    deed: str
    mark: str
    battery: float | None
    place: str
    person_id: int | None
    holder: str
    since: datetime | None
    until: datetime | None
    late: bool


@dataclass(frozen=True)
class _Seen:
    """What tells the cell of a recorder."""

    recorder: Recorder
    slip: HandOver | None
    holder: Person | None
    new: int
    overdue: Sequence[str]
    soon: str
    wrong_from_s: float
    low_below: float
    at: datetime


def board(db: Db, at: datetime | None = None) -> list[OnBoard]:
    """Every recorder that is on record, by its token."""
    recorders = list(db.exec(select(Recorder).order_by(col(Recorder.token))).all())
    return [_on_board(each) for each in _seen(db, recorders, at or now())]


def _seen(db: Db, recorders: Sequence[Recorder], at: datetime) -> list[_Seen]:
    deeds.ask(db, "looked at", Whom("recorders", None))
    ids = [each.id for each in recorders]
    slips = {
        slip.recorder_id: (slip, person)
        for slip, person in db.exec(
            select(HandOver, Person)
            .join(Person, col(Person.id) == HandOver.person_id)
            .where(among(col(HandOver.recorder_id), ids), col(HandOver.returned_at).is_(None))
        ).all()
    }
    new = bays.not_taken_in(db, [each for each in recorders if each.in_reach])
    overdue = sensor_checks.overdue(db, recorders, at)
    soon = sensor_checks.overdue(db, recorders, at + SOON)
    found = settings.chosen(db)
    wrong = {k: float(settings.value_in(found, settings.CLOCK, kind=k)) for k in {each.kind for each in recorders}}
    low = {k: float(settings.value_in(found, settings.BATTERY, kind=k)) / 100 for k in wrong}
    nobody: tuple[HandOver | None, Person | None] = (None, None)
    given = {each.id: slips.get(each.id or 0, nobody) for each in recorders}
    return [
        _Seen(
            each,
            given[each.id][0],
            given[each.id][1],
            new.get(each.serial, 0),
            overdue.get(each.id or 0, []),
            "; ".join(words for words in soon.get(each.id or 0, []) if words not in overdue.get(each.id or 0, [])),
            wrong[each.kind],
            low[each.kind],
            at,
        )
        for each in recorders
    ]


def _on_board(seen: _Seen) -> OnBoard:
    each, slip = seen.recorder, seen.slip
    cell, words, deed = _cell(seen)
    until = slip.expected_at if slip else None
    late = cell == "out" and until is not None and until < seen.at
    return OnBoard(
        each.id or 0,
        each.token,
        each.kind,
        each.name,
        cell,
        words,
        deed,
        _mark(seen, late),
        None if is_folder(each) else each.status.get("battery"),
        str(each.status.get("place", "")) if each.in_reach else "",
        seen.holder.id if seen.holder else None,
        seen.holder.name if seen.holder else "",
        slip.given_at if slip else None,
        until,
        late,
    )


def _mark(seen: _Seen, late: bool) -> str:
    """What is late, at stake or soon due; what presses most."""
    if late:
        return "should be back"
    if seen.new and seen.recorder.keeps_one:
        return ONE_SLOT
    return f"due within 14 days: {seen.soon}" if seen.soon else ""


def _cell(seen: _Seen) -> tuple[Cell, str, str]:
    """The cell of a recorder, why it is there, and what to do: what only a person can do comes before what one press does."""
    each, mode = seen.recorder, str(seen.recorder.status.get("mode", ""))
    battery = each.status.get("battery")
    if each.in_reach and each.trouble:
        return "hand", each.trouble, "look again"
    if seen.new and each.in_reach and mode == "ready":
        return "press", f"take in {seen.new}, not safe yet" if each.keeps_one else f"take in {seen.new}", "take in"
    if seen.slip is not None:
        return "out", seen.holder.name if seen.holder else "", ""
    if not each.in_reach:
        return "away", "not seen" if each.seen_at is None else "out of reach", "put it in the dock or plug it in"
    if is_folder(each):
        return "away", "a folder of files", ""
    if mode != "ready":
        return "hand", mode.replace("-", " ") or "does not say what it does", str(each.status.get("press", ""))
    if seen.overdue:
        more = f", and {len(seen.overdue) - 1} more" if len(seen.overdue) > 1 else ""
        return "hand", f"{seen.overdue[0]}{more}", "check it"
    if battery is not None and battery < seen.low_below:
        return "hand", f"battery {100 * battery:.0f} %", "charge it"
    if abs(each.clock_error_s or 0.0) >= seen.wrong_from_s:
        return "press", "clock", "set the clock"
    return "go", str(each.status.get("place", "")), ""


# ---------------------------------------------------------------- one press


@dataclass(frozen=True)
class Righted:
    """What one press did to a recorder, or why it did nothing."""

    recorder_id: int
    token: str
    done: str
    why: str


def set_right(db: Db, store: Engine, ids: Sequence[int], start: Starter, who: int | None) -> list[Righted]:
    """Do on each recorder what it needs and needs no hand for: take in what is new, else set its clock. Nothing is cleared.

    One that fails stops none of the others; one that needs a hand, or nothing, is named with the reason.
    """
    recorders = [recorder_of(db, each) for each in dict.fromkeys(ids)]
    seen = {each.recorder.id: _on_board(each) for each in _seen(db, recorders, now())}
    mine = [(each, seen[each.id]) for each in recorders]
    to_take = [each for each, on in mine if on.deed == "take in"]
    found = {
        on.recorder_id: Righted(on.recorder_id, on.token, "", _why_not(on)) for _, on in mine if on.cell != "press"
    }
    wishes = [Wish(each.id or 0, name) for each in to_take for name in bays.worth_taking_in(db, each)]
    taken = take_in.begin(db, wishes, who, start) if wishes else []
    for each in to_take:
        count = sum(wish.recorder_id == each.id for wish in wishes)
        found[each.id or 0] = Righted(each.id or 0, each.token, f"{count} on the way in" if taken else "", "")
    clocks = [each.id or 0 for each, on in mine if on.deed == "set the clock"]
    db.commit()  # nothing is held while recorders are asked
    with ThreadPoolExecutor(AT_ONCE) as pool:
        for done in pool.map(lambda each: _clock_set(store, each, who), clocks):
            found[done.recorder_id] = done
    return [found[each.id or 0] for each in recorders]


def _clock_set(store: Engine, recorder_id: int, who: int | None) -> Righted:
    with Db(store) as db:
        deeds.work_for(db, who)
        token = recorder_of(db, recorder_id).token
        try:
            clock.set_clock(db, recorder_id)
        except ProblemError as error:
            return Righted(recorder_id, token, "", error.detail)
        return Righted(recorder_id, token, "clock set", "")


def _why_not(on: OnBoard) -> str:
    match on.cell:
        case "out":
            return f"it is with {on.holder}"
        case "hand":
            return clean_line(f"it needs a hand: {on.words}")
        case "away":
            return on.words
    return "nothing needs to be set right"


# ---------------------------------------------------------------- its life

MOST_SESSIONS = 500
RECORDED: list[Any] = [
    Session.id,
    Session.started_at,
    Session.clock_error_s,
    Session.clock_shift_s,
    Session.hand_over_id,
]


@dataclass(frozen=True)
class Held:
    """Who had it, from when to when (None: still), and the first session of that time that is here."""

    person_id: int
    name: str
    since: datetime
    until: datetime | None
    session_id: int | None


@dataclass(frozen=True)
class Recorded:
    """A session that came from it, and how wrong its clock was then (s; None where nobody asked)."""

    session_id: int
    started_at: datetime
    clock_error_s: float | None
    shifted: bool


@dataclass(frozen=True)
class Checked:
    """A check that was made on it."""

    at: datetime
    label: str
    passed: bool
    due_at: datetime | None


@dataclass(frozen=True)
class Life:
    """What happened to a recorder since a day: holders, sessions, checks, clocks set; and over all its time, how many of each."""

    since: datetime
    sessions_ever: int
    people_ever: int
    held: tuple[Held, ...]
    recorded: tuple[Recorded, ...]
    checked: tuple[Checked, ...]
    clock_set: tuple[datetime, ...]
    not_taken_in: int
    next_check: datetime | None


def life(db: Db, recorder_id: int, since: datetime) -> Life:
    """The life of a recorder since a moment. NotFoundError when it is not on record."""
    recorder = recorder_of(db, recorder_id)
    deeds.ask(db, "looked at", Whom("recorder", recorder_id))
    mine: list[Any] = [Session.serial == recorder.serial, Session.state == "stored", col(Session.deleted_at).is_(None)]
    rows = db.execute(
        sqlalchemy.select(*RECORDED)
        .where(*mine, col(Session.started_at) >= since)
        .order_by(col(Session.started_at).desc())
        .limit(MOST_SESSIONS)
    ).all()
    first = {row.hand_over_id: row.id for row in rows if row.hand_over_id is not None}
    slips = db.exec(
        select(HandOver, Person)
        .join(Person, col(Person.id) == HandOver.person_id)
        .where(HandOver.recorder_id == recorder_id)
        .order_by(col(HandOver.given_at))
    ).all()
    made = checks.of_recorder(db, recorder_id)
    days = carriers().check_days(db, [recorder]).get(recorder_id)
    standings = sensor_checks.standings(recorder, made, days=days)
    return Life(
        since,
        db.exec(select(func.count()).select_from(Session).where(*mine)).one(),
        len({slip.person_id for slip, _ in slips}),
        tuple(
            Held(person.id or 0, person.name, slip.given_at, slip.returned_at, first.get(slip.id))
            for slip, person in slips
            if slip.returned_at is None or slip.returned_at >= since
        ),
        tuple(Recorded(row.id, row.started_at, row.clock_error_s, bool(row.clock_shift_s)) for row in reversed(rows)),
        tuple(
            Checked(row.at, f"{row.sensor} {row.what}".strip(), row.passed, row.due_at)
            for row in reversed(made)
            if row.at >= since
        ),
        tuple(
            deed.at
            for deed in deeds.of(db, Whom("recorder", recorder_id))
            if deed.what == "clock set" and deed.at >= since
        ),
        bays.not_taken_in(db, [recorder])[recorder.serial],
        min((each.due_at for each in standings if each.due_at is not None), default=None),
    )

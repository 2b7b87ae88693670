"""Taking decisions: each typed and bounded by the kind's declaration, several in one step, everything can be undone."""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
from typing import Any

from sqlmodel import Session as Db
from sqlmodel import col, delete, select

from kumpel.core.assessment import BothWays, LimitSet
from kumpel.core.names import clean_line
from kumpel.core.review import EventName
from kumpel.core.vehicle.courses import course_data, course_from
from kumpel.kinds.kind import DecisionWord, Kind
from kumpel.kinds.registry import kind_of
from kumpel.services.ground import decisions, deeds, figures
from kumpel.services.ground.as_json import for_screen
from kumpel.services.ground.decisions import (
    ACCEPTED,
    ASLEEP,
    BEGINS,
    COMPARED,
    DROPPED,
    EDGE,
    GOES_ON,
    KEPT,
    LEFT_OUT,
    LIMIT_SET,
    OPPOSITE,
    SETTING,
    STRETCHES,
    TASK,
    TYPE,
    Wish,
    is_finite,
)
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.limits import limits_of
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.ground.recordings import locked_session
from kumpel.services.review import comparison
from kumpel.store.database import tell
from kumpel.store.tables import Change, Course, Decision, Session, now

MOST_AT_ONCE = 2_000
"""Decisions in one step."""


def checked(db: Db, session: Session, wish: Wish) -> Wish:
    """The wish, cleaned and typed by the kind's declaration. InvalidError names the field that is wrong."""
    kind = kind_of(session.kind)
    reason = clean_line(wish.reason)
    if len(reason) > 400:
        raise InvalidError("reason: at most 400 characters.", field="reason")
    if wish.what in STRETCHES:
        return _stretch(kind, session, wish, reason)
    if wish.what in OPPOSITE:
        return _event(kind, wish, reason)
    if wish.what in (EDGE, TYPE):
        return _regrouped(kind, session, wish, reason)
    if wish.what == ACCEPTED:
        if not wish.key or len(wish.key) > 120 or not reason:
            raise InvalidError("Accepting this needs a reason.", field="reason")
        return Wish(ACCEPTED, clean_line(wish.key), reason=reason)
    if wish.what == SETTING:
        if wish.key == LIMIT_SET:
            return Wish(SETTING, LIMIT_SET, value=_limit_set(db, session, wish.value))
        if wish.key == COMPARED:
            return Wish(SETTING, COMPARED, value=_other(db, session, wish.value))
        word = kind.decision(wish.key)
        if word is None:
            raise InvalidError(f"“{wish.key}” cannot be set for a recording of this kind.", field="key")
        if word.type == "course" and wish.value is not None:
            return Wish(SETTING, wish.key, value=_course(db, word, wish.value), reason=reason)
        value = None if wish.value is None else _value(word, wish.value)
        if value is not None and word.needs_reason and not reason:
            raise InvalidError(f"{word.label}: changing it needs a reason.", field="reason")
        return Wish(SETTING, wish.key, value=value, reason=reason)
    raise InvalidError(f"what: “{wish.what}” is nothing that a review decides.", field="what")


def _stretch(kind: Kind, session: Session, wish: Wish, reason: str) -> Wish:
    if all(word.what != wish.what for word in kind.stretches):
        raise InvalidError(f"what: nothing can be marked as “{wish.what}” in a recording of this kind.", field="what")
    if not is_finite(wish.start_s) or not is_finite(wish.end_s):
        raise InvalidError("start_s, end_s: a stretch needs a beginning and an end, in seconds.", field="start_s")
    assert wish.start_s is not None and wish.end_s is not None
    start, end = max(float(wish.start_s), 0.0), min(float(wish.end_s), session.length_s)
    if not end > start:
        raise InvalidError("The stretch must end after it begins, and lie within the session.", field="end_s")
    if not reason and wish.what != ASLEEP:
        raise InvalidError("Say why this is left out." if wish.what == LEFT_OUT else "Name the task.", field="reason")
    return Wish(wish.what, "", start, end, None, reason[:200])


def _event(kind: Kind, wish: Wish, reason: str) -> Wish:
    name = EventName.of(wish.key) if len(wish.key) <= 100 else None
    word = kind.event(name.code) if name else None
    if name is None or word is None or not (word.droppable if wish.what == DROPPED else word.keepable):
        verb = "left out" if wish.what == DROPPED else "counted by hand"
        raise InvalidError(f"key: “{wish.key[:100]}” is no event of this kind that can be {verb}.", field="key")
    if wish.what == DROPPED and not reason:
        raise InvalidError("reason: say why it does not count.", field="reason")
    if wish.value is not None and not (is_finite(wish.value) and 0 <= wish.value <= 1e7):
        raise InvalidError("value: how long the event is, in seconds.", field="value")
    return Wish(wish.what, wish.key, value=wish.value, reason=reason)


def _regrouped(kind: Kind, session: Session, wish: Wish, reason: str) -> Wish:
    """Where an event of a group begins or goes on, or of which type it is; None: as it was found."""
    name = EventName.of(wish.key) if len(wish.key) <= 100 else None
    word = kind.event(name.code) if name else None
    if name is None or word is None or not word.types:
        raise InvalidError(f"key: “{wish.key[:100]}” is no event of this kind that has types.", field="key")
    if not 0 <= name.at_s <= session.length_s:
        raise InvalidError("key: the moment must lie within the session.", field="key")
    choices = word.types if wish.what == TYPE else (BEGINS, GOES_ON)
    if wish.value is not None and wish.value not in choices:
        raise InvalidError(f"value: one of {', '.join(choices)}.", field="value")
    return Wish(wish.what, f"{word.code}@{name.at_s:.3f}", value=wish.value, reason=reason)


def _value(word: DecisionWord, value: Any) -> float | str:
    if word.type in ("number", "length"):
        if not is_finite(value):
            raise InvalidError(f"{word.key}: a number is needed.", field=word.key)
        low, high = -math.inf if word.low is None else word.low, math.inf if word.high is None else word.high
        if not low <= value <= high:
            unit = " s" if word.type == "length" else f" {word.unit}".rstrip()
            raise InvalidError(f"{word.key}: {word.label} must lie between {low:g} and {high:g}{unit}.", field=word.key)
        return float(value)
    if not isinstance(value, str) or not clean_line(value) or len(value) > 120:
        raise InvalidError(f"{word.key}: a text of up to 120 characters is needed.", field=word.key)
    text = clean_line(value)
    if word.choices and text not in [choice for choice, _ in word.choices]:
        raise InvalidError(f"{word.meaning}; “{text}” is none of them.", field=word.key)
    return text


def _course(db: Db, word: DecisionWord, value: Any) -> str:
    """The plain form of a course of the register, of whatever version; one that is kept already stays as it is."""
    if isinstance(value, str) and len(value) <= 1_000_000:
        try:
            return json.dumps(course_data(course_from(json.loads(value))))
        except (ValueError, TypeError, RecursionError) as error:
            raise InvalidError(f"{word.key}: this is no course.", field=word.key) from error
    row = db.get(Course, int(value)) if is_finite(value) and 0 < value < 2**31 else None
    if row is None:
        raise InvalidError(f"{word.key}: no such course.", field=word.key)
    return json.dumps(row.plain)


def _limit_set(db: Db, session: Session, value: Any) -> int | None:
    if value is None:
        return None
    # Over the wire every number is a float.
    if not is_finite(value) or value != int(value) or not 0 < value < 2**31:
        raise InvalidError("limit_set_id: no such limit set.", field="limit_set_id")
    limits_of(db, session.kind, int(value))
    return int(value)


def _other(db: Db, session: Session, value: Any) -> int | str | None:
    """The recording that it is compared with; of several their ids as a text, the oldest first."""
    if value is None:
        return None
    if isinstance(value, str):
        return _others(db, session, value)
    is_id = is_finite(value) and value == int(value) and 0 < value < 2**31
    found = db.get(Session, int(value)) if is_id else None
    comparison.check_pair(session, found)
    return int(value)


def _others(db: Db, session: Session, words: str) -> str:
    parts = words.split(",")
    if not 2 <= len(set(parts)) <= comparison.MOST_BESIDE or not all(
        part.isdecimal() and len(part) <= 10 for part in parts
    ):
        most = comparison.MOST_BESIDE + 1
        raise InvalidError(f"Three to {most} recordings can stand beside one another.", field="compared_with")
    found = []
    for part in dict.fromkeys(parts):
        other = db.get(Session, int(part)) if int(part) < 2**31 else None
        comparison.check_pair(session, other)
        assert other is not None
        found.append(other)
    return ",".join(str(each.id) for each in sorted(found, key=lambda each: each.started_at))


# ---------------------------------------------------------------- deciding


def open_session(db: Db, session_id: int, version: int) -> Session:
    """The session, locked, if its review is still at the version the reviewer looked at."""
    session = locked_session(db, session_id)
    if session.signed_at is not None:
        raise ConflictError("This session is signed off. Open it again before changing anything.", code="signed")
    if session.review_version != version:
        raise ConflictError(
            "Somebody else has changed this review since you looked. It was read again; please repeat your change.",
            code="stale-review",
        )
    return session


def after(db: Db, session: Session, add: Sequence[Wish], remove: Sequence[int]) -> tuple[list[Wish], list[Decision]]:
    """The wishes, checked, and the rows in force that they take the place of, or that are to be removed."""
    if len(add) + len(remove) > MOST_AT_ONCE:
        raise InvalidError(f"At most {MOST_AT_ONCE} decisions in one step.")
    in_force = decisions.of_session(db, session.id or 0)
    good = [checked(db, session, wish) for wish in add]
    gone = set(remove)
    if gone - {row.id for row in in_force}:
        raise NotFoundError("This decision is not in force (any more).")
    kind = kind_of(session.kind)
    places = {_place(kind, wish.what, wish.key) for wish in good if wish.key}
    places |= {_place(kind, OPPOSITE[wish.what], wish.key) for wish in good if wish.what in OPPOSITE}
    removed = [row for row in in_force if row.id in gone or (row.key and _place(kind, row.what, row.key) in places)]
    return [wish for wish in good if wish.what not in (SETTING, EDGE, TYPE) or wish.value is not None], removed


def _place(kind: Kind, what: str, key: str) -> tuple[str, str]:
    """What of decisions only one can be in force; an event whose type may change is the same by its group and time."""
    name = EventName.of(key) if what in (*OPPOSITE, EDGE, TYPE) else None
    word = kind.event(name.code) if name else None
    return (what, f"{word.code}@{name.at_s:.3f}" if name and word and word.types else key)


def decide(
    db: Db, session_id: int, version: int, add: Sequence[Wish] = (), remove: Sequence[int] = (), who: int | None = None
) -> Session:
    """Take decisions and take others away: one step, that one undo takes back.

    InvalidError names what is wrong, ConflictError says that somebody was faster; then nothing has changed.
    """
    deeds.ask(db, "decided", Whom("session", session_id))
    session = open_session(db, session_id, version)
    wishes, removed = after(db, session, add, remove)
    if not wishes and not removed:
        return session
    took = [{"what": row.what, "key": row.key, "value": row.value, "reason": row.reason} for row in removed]
    deeds.keep(
        db,
        "decided",
        Whom("session", session_id),
        {"decisions": took} if took else None,
        {"decisions": for_screen(wishes)},
        who,
    )
    words = _words(kind_of(session.kind), wishes, removed)
    for row in removed:
        row.removed_at = now()
        db.add(row)
    db.flush()
    rows = [
        Decision(
            session_id=session_id,
            what=wish.what,
            key=wish.key,
            start_s=wish.start_s,
            end_s=wish.end_s,
            value=wish.value,
            reason=wish.reason,
            version=version + 1,
            made_by=who,
        )
        for wish in wishes
    ]
    db.add_all(rows)
    db.flush()
    db.exec(delete(Change).where(col(Change.session_id) == session_id, col(Change.undone).is_(True)))
    added_ids, removed_ids = [row.id or 0 for row in rows], [row.id or 0 for row in removed]
    db.add(Change(session_id=session_id, text=words, added=added_ids, removed=removed_ids, made_by=who))
    _finish(db, session)
    return session


def supposed(
    db: Db,
    session: Session,
    add: Sequence[Wish],
    remove: Sequence[int],
    limit_set_id: int | None = None,
    limits: LimitSet | None = None,
) -> BothWays:
    """What would come out with decisions that are not taken, or limits that are only wished; nothing is kept.

    InvalidError says what is wrong with them, or why nothing can be computed.
    """
    wishes, removed = after(db, session, add, remove)
    gone = {row.id for row in removed}
    rows = [row for row in decisions.of_session(db, session.id or 0) if row.id not in gone]
    try:
        return figures.compute(db, session, [*rows, *wishes], limit_set_id, limits)[3]
    except ValueError as error:
        raise InvalidError(f"With this no figures can be computed: {error}.") from error


def _words(kind: Kind, wishes: Sequence[Wish], removed: Sequence[Decision]) -> str:
    """The step in words, for undo."""
    if len(wishes) > 1 or (not wishes and len(removed) > 1):
        return f"{max(len(wishes), len(removed))} decisions"
    one: Wish | Decision = wishes[0] if wishes else removed[0]
    again = bool(wishes) and bool(removed)
    if one.what == SETTING:
        word = kind.decision(one.key)
        return f"{word.label.lower() if word else 'limit set'} changed"
    if one.what in (EDGE, TYPE):
        name = EventName.of(one.key)
        event = kind.event(name.code) if name else None
        called = event.one if event else one.key
        if not wishes:
            return f"{called} as found"
        return (
            f"{called}: {one.value}" if one.what == TYPE else f"{called} {'split' if one.value == BEGINS else 'joined'}"
        )
    verb = {
        LEFT_OUT: "left out",
        TASK: "marked as a task",
        ASLEEP: "marked as sleep",
        DROPPED: "left out",
        KEPT: "counted",
        ACCEPTED: "accepted",
    }[one.what]
    verb = "changed" if again else verb if wishes else "taken back"
    return f"“{one.reason or one.key or one.what}” {verb}"


def _finish(db: Db, session: Session) -> None:
    session.review_version += 1
    db.flush()
    try:
        figures.assess(db, session)
    except ValueError as error:
        db.rollback()
        raise InvalidError(f"With this no figures can be computed: {error}. Nothing was changed.") from error
    tell(db, "review", session=session.id, version=session.review_version)
    db.commit()
    db.refresh(session)


def undo(db: Db, session_id: int, version: int) -> Session:
    deeds.ask(db, "undone", Whom("session", session_id))
    session = open_session(db, session_id, version)
    change = _last(db, session_id)
    if change is None:
        raise ConflictError("There is nothing to undo.")
    _turn(db, change, off=change.added, on=change.removed)
    change.undone = True
    db.add(change)
    deeds.keep(db, "undone", Whom("session", session_id), {"step": change.text})
    _finish(db, session)
    return session


def redo(db: Db, session_id: int, version: int) -> Session:
    deeds.ask(db, "done again", Whom("session", session_id))
    session = open_session(db, session_id, version)
    change = _following(db, session_id)
    if change is None:
        raise ConflictError("There is nothing to do again.")
    _turn(db, change, off=change.removed, on=change.added)
    change.undone = False
    db.add(change)
    deeds.keep(db, "done again", Whom("session", session_id), after={"step": change.text})
    _finish(db, session)
    return session


def _last(db: Db, session_id: int) -> Change | None:
    mine = select(Change).where(Change.session_id == session_id, col(Change.undone).is_(False))
    return db.exec(mine.order_by(col(Change.id).desc()).limit(1)).first()


def _following(db: Db, session_id: int) -> Change | None:
    mine = select(Change).where(Change.session_id == session_id, col(Change.undone).is_(True))
    return db.exec(mine.order_by(col(Change.id)).limit(1)).first()


def _turn(db: Db, change: Change, off: Sequence[int], on: Sequence[int]) -> None:
    rows = db.exec(select(Decision).where(col(Decision.id).in_([*off, *on]))).all()
    # First away, then back: of a setting one value is in force at a time.
    for row in sorted(rows, key=lambda row: row.id not in off):
        row.removed_at = now() if row.id in off else None
        db.add(row)
        db.flush()


def next_steps(db: Db, session_id: int) -> tuple[str, str]:
    """What undo and redo would do, in words; empty when nothing."""
    last, following = _last(db, session_id), _following(db, session_id)
    return last.text if last else "", following.text if following else ""

"""Review: figures of a session under a limit set, decisions about it, undo, conclusion, sign-off."""

from __future__ import annotations

import logging
import math
import threading
from collections import OrderedDict
from dataclasses import dataclass
from typing import Any

from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session as Db
from sqlmodel import col, delete, select

from kumpel.core.assessment import BothWays, LimitSet
from kumpel.core.names import clean_line
from kumpel.core.recording import Event as CoreEvent
from kumpel.core.recording import Recording
from kumpel.core.review import Review
from kumpel.core.review import Stretch as CoreStretch
from kumpel.formats import krec
from kumpel.kinds.kind import Kind
from kumpel.kinds.registry import kind_of
from kumpel.services.limits import limits_of
from kumpel.services.plain import plain
from kumpel.services.problems import ConflictError, InvalidError, NotFoundError
from kumpel.store import samples
from kumpel.store.database import tell
from kumpel.store.tables import (
    AssessmentRow,
    Change,
    Channel,
    Conclusion,
    Event,
    LimitSetRow,
    Session,
    Stretch,
    metadata,
    now,
)

log = logging.getLogger("kumpel.review")
LEFT_OUT, TASK = "left out", "task"
MOST_LINES = 400
"""Lines of a conclusion: about eight pages."""
_FIELDS = {"limit_set_id", "working_day_s", "attenuation_db", "accepted"}


class _Recent:
    """The last few recordings, decoded: review asks for the same one again and again. They never change."""

    def __init__(self, most: int) -> None:
        self._most, self._kept = most, OrderedDict[tuple[int, bytes], Recording]()
        self._lock = threading.Lock()

    def get(self, key: tuple[int, bytes]) -> Recording | None:
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
            return self._kept.get(key)

    def put(self, key: tuple[int, bytes], recording: Recording) -> None:
        with self._lock:
            self._kept[key] = recording
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)


_recent = _Recent(12)


def session_of(db: Db, session_id: int) -> Session:
    session = db.get(Session, session_id)
    if session is None or session.state != "stored":
        raise NotFoundError("This session is not on record.")
    return session


def channel_heads(session: Session) -> tuple[krec.ChannelHead, ...]:
    return tuple(krec.ChannelHead(**c) for c in session.head["channels"])


def recording_of(db: Db, session: Session) -> Recording:
    """The whole recording, decoded, its start moved by the clock shift."""
    assert session.id is not None
    key = (session.id, session.sha256 + repr(session.started_at).encode())
    known = _recent.get(key)
    if known is not None:
        return known
    blocks = []
    for item in samples.read_items(db, session.id):
        if isinstance(item.content, krec.Block):
            blocks.append((item.offset, item.content))
    events = [
        CoreEvent(e.at_s, e.code, e.text, e.data)
        for e in db.exec(select(Event).where(Event.session_id == session.id).order_by(col(Event.at_s))).all()
    ]
    head = krec.Head(
        session.kind,
        session.recorder_session,
        session.started_at.timestamp(),
        session.utc_offset_min,
        session.head["recorder"],
        session.head["setup"],
        channel_heads(session),
    )
    recording = krec.recording_of(head, blocks, events)
    _recent.put(key, recording)
    return recording


def stretches(db: Db, session_id: int) -> list[Stretch]:
    return list(
        db.exec(
            select(Stretch)
            .where(Stretch.session_id == session_id, col(Stretch.removed_at).is_(None))
            .order_by(col(Stretch.start_s), col(Stretch.id))
        ).all()
    )


def decisions(db: Db, session: Session) -> Review:
    """The reviewer's decisions in the core's form."""
    assert session.id is not None
    marked = stretches(db, session.id)

    def of(what: str) -> tuple[CoreStretch, ...]:
        return tuple(CoreStretch(s.start_s, s.end_s, s.label) for s in marked if s.what == what)

    return Review(of(LEFT_OUT), of(TASK), session.working_day_s, session.attenuation_db, tuple(session.accepted))


def assessment(db: Db, session: Session, limit_set_id: int | None = None) -> tuple[LimitSetRow, LimitSet, BothWays]:
    """The session under its own limit set, or under another one just to see."""
    row, limits = limits_of(db, session.kind, limit_set_id or session.limit_set_id)
    kind: Kind = kind_of(session.kind)
    return row, limits, kind.assess(recording_of(db, session), decisions(db, session), limits)


def reassess(db: Db, session: Session) -> BothWays:
    """Compute anew and keep: both assessments, and what registers show. The caller commits."""
    row, _, both = assessment(db, session)
    assert session.id is not None and row.id is not None
    for each in (both.recorded, both.reviewed):
        values = {
            "session_id": session.id,
            "basis": each.basis,
            "limit_set_id": row.id,
            "review_version": session.review_version,
            "verdict": each.verdict.value,
            "result": plain(each),
            "made_at": now(),
        }
        statement = insert(metadata.tables["assessment"]).values(values)
        db.connection().execute(statement.on_conflict_do_update(index_elements=["session_id", "basis"], set_=values))
    lead = both.reviewed.figure(both.reviewed.key_figures[0])
    session.verdict = both.reviewed.verdict.value
    session.verdict_step = both.reviewed.step[:80]
    session.key_figure = (
        f"{lead.name.split(',')[0] if lead.key.startswith('limit.') else lead.name} {lead.stated:.{lead.decimals}f} {lead.unit}"
        if math.isfinite(lead.value)
        else lead.note
    )[:80]
    db.add(session)
    return both


def catch_up(db: Db) -> int:
    """Assess stored sessions that have no assessment, because their limits were corrected; how many there were.

    Each on its own: what cannot be read says so when it is opened, and stops none of the others.
    """
    assessed = select(AssessmentRow.session_id)
    waiting = select(Session.id).where(
        Session.state == "stored",
        Session.aside == "",
        col(Session.deleted_at).is_(None),
        col(Session.signed_at).is_(None),
        col(Session.id).not_in(assessed),
    )
    done = 0
    for session_id in db.exec(waiting).all():
        try:
            reassess(db, session_of(db, session_id or 0))
            tell(db, "sessions")
            db.commit()
            done += 1
        except Exception as error:
            db.rollback()
            log.warning("session %s was not assessed anew: %s", session_id, type(error).__name__)
    return done


# ---------------------------------------------------------------- decisions


@dataclass(frozen=True)
class Marking:
    """A stretch to mark: left out with a reason, or a task."""

    what: str
    start_s: float
    end_s: float
    label: str


def _open_session(db: Db, session_id: int, version: int) -> Session:
    """The session, locked, if its review is still at the version the reviewer looked at."""
    session = db.exec(select(Session).where(Session.id == session_id).with_for_update()).first()
    if session is None or session.state != "stored":
        raise NotFoundError("This session is not on record.")
    if session.signed_at is not None:
        raise ConflictError("This session is signed off. Open it again before changing anything.", code="signed")
    if session.review_version != version:
        raise ConflictError(
            "Somebody else has changed this review since you looked. It was read again; please repeat your change.",
            code="stale-review",
        )
    return session


def _done(db: Db, session: Session, text: str, forth: dict[str, Any], back: dict[str, Any], who: int | None) -> None:
    assert session.id is not None
    db.exec(delete(Change).where(col(Change.session_id) == session.id, col(Change.undone).is_(True)))
    db.add(Change(session_id=session.id, text=text, forth=forth, back=back, made_by=who))
    _finish(db, session)


def _finish(db: Db, session: Session) -> None:
    session.review_version += 1
    db.flush()
    reassess(db, session)
    tell(db, "review", session=session.id, version=session.review_version)
    db.commit()
    db.refresh(session)


def _checked_marking(session: Session, marking: Marking) -> Marking:
    start, end = max(marking.start_s, 0.0), min(marking.end_s, session.length_s)
    if not end > start:
        raise InvalidError("The stretch must end after it begins, and lie within the session.")
    label = " ".join(marking.label.split())
    if marking.what not in (LEFT_OUT, TASK):
        raise InvalidError("A stretch is left out or marked as a task.")
    if not label:
        raise InvalidError("Say why this is left out." if marking.what == LEFT_OUT else "Name the task.")
    return Marking(marking.what, start, end, label[:200])


def mark(db: Db, session_id: int, version: int, marking: Marking, who: int | None) -> Session:
    session = _open_session(db, session_id, version)
    good = _checked_marking(session, marking)
    row = Stretch(
        session_id=session_id, what=good.what, start_s=good.start_s, end_s=good.end_s, label=good.label, made_by=who
    )
    db.add(row)
    db.flush()
    verb = "left out" if good.what == LEFT_OUT else "marked as a task"
    _done(
        db,
        session,
        f"“{good.label}” {verb}",
        {"op": "show", "stretch": row.id},
        {"op": "hide", "stretch": row.id},
        who,
    )
    return session


def unmark(db: Db, session_id: int, version: int, stretch_id: int, who: int | None) -> Session:
    session = _open_session(db, session_id, version)
    row = _stretch(db, session_id, stretch_id)
    row.removed_at = now()
    db.add(row)
    back = {"op": "show", "stretch": row.id}
    _done(db, session, f"“{row.label}” taken back", {"op": "hide", "stretch": row.id}, back, who)
    return session


def edit_mark(db: Db, session_id: int, version: int, stretch_id: int, marking: Marking, who: int | None) -> Session:
    session = _open_session(db, session_id, version)
    row = _stretch(db, session_id, stretch_id)
    good = _checked_marking(session, marking)
    before = {"start_s": row.start_s, "end_s": row.end_s, "label": row.label}
    after = {"start_s": good.start_s, "end_s": good.end_s, "label": good.label}
    _edit(db, row, after)
    _done(
        db,
        session,
        f"“{good.label}” changed",
        {"op": "edit", "stretch": row.id, "to": after},
        {"op": "edit", "stretch": row.id, "to": before},
        who,
    )
    return session


def set_field(db: Db, session_id: int, version: int, field: str, value: Any, who: int | None) -> Session:
    """Limit set, working day, attenuation, accepted findings."""
    session = _open_session(db, session_id, version)
    if field not in _FIELDS:
        raise InvalidError(f"“{field}” cannot be set in a review.")
    value = _checked_field(field, value)
    if field == "limit_set_id":
        limits_of(db, session.kind, value)
    before = getattr(session, field)
    setattr(session, field, value)
    db.add(session)
    names = {
        "limit_set_id": "limit set",
        "working_day_s": "working day",
        "attenuation_db": "protection",
        "accepted": "acceptance",
    }
    _done(
        db,
        session,
        f"{names[field]} changed",
        {"op": "set", "field": field, "to": value},
        {"op": "set", "field": field, "to": before},
        who,
    )
    return session


def _checked_field(field: str, value: Any) -> Any:
    """The value in the type the store reads again; InvalidError naming the field."""
    if value is None and field != "accepted":
        return None
    if field == "accepted":
        if not isinstance(value, dict) or len(value) > 40:
            raise InvalidError("accepted: a map of findings and reasons is needed.")
        if not all(
            isinstance(k, str) and isinstance(r, str) and len(k) <= 80 and len(r) <= 400 for k, r in value.items()
        ):
            raise InvalidError("accepted: findings and reasons must be texts of up to 400 characters.")
        reasons = {clean_line(k): clean_line(r) for k, r in value.items()}
        if not all(reasons.values()):
            raise InvalidError("Accepting this needs a reason.")
        return reasons
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise InvalidError(f"{field}: a number is needed.")
    if field == "limit_set_id":
        if not isinstance(value, int) or not 0 < value < 2**31:
            raise InvalidError("limit_set_id: no such limit set.")
        return value
    if field == "working_day_s" and not 0 < value <= 86400:
        raise InvalidError("The working day must be longer than nothing and at most 24 h.")
    if field == "attenuation_db" and not 0 <= value <= 60:
        raise InvalidError("The attenuation must lie between 0 and 60 dB.")
    return float(value)


def undo(db: Db, session_id: int, version: int) -> Session:
    session = _open_session(db, session_id, version)
    change = db.exec(
        select(Change)
        .where(Change.session_id == session_id, col(Change.undone).is_(False))
        .order_by(col(Change.id).desc())
        .limit(1)
    ).first()
    if change is None:
        raise ConflictError("There is nothing to undo.")
    _apply(db, session, change.back)
    change.undone = True
    db.add(change)
    _finish(db, session)
    return session


def redo(db: Db, session_id: int, version: int) -> Session:
    session = _open_session(db, session_id, version)
    change = db.exec(
        select(Change)
        .where(Change.session_id == session_id, col(Change.undone).is_(True))
        .order_by(col(Change.id))
        .limit(1)
    ).first()
    if change is None:
        raise ConflictError("There is nothing to do again.")
    _apply(db, session, change.forth)
    change.undone = False
    db.add(change)
    _finish(db, session)
    return session


def next_undo(db: Db, session_id: int) -> tuple[str, str]:
    """What undo and redo would do, in words; empty when nothing."""
    last = db.exec(
        select(Change.text)
        .where(Change.session_id == session_id, col(Change.undone).is_(False))
        .order_by(col(Change.id).desc())
        .limit(1)
    ).first()
    following = db.exec(
        select(Change.text)
        .where(Change.session_id == session_id, col(Change.undone).is_(True))
        .order_by(col(Change.id))
        .limit(1)
    ).first()
    return last or "", following or ""


def _stretch(db: Db, session_id: int, stretch_id: int) -> Stretch:
    row = db.get(Stretch, stretch_id)
    if row is None or row.session_id != session_id or row.removed_at is not None:
        raise NotFoundError("This stretch is not marked (any more).")
    return row


def _edit(db: Db, row: Stretch, to: dict[str, Any]) -> None:
    row.start_s, row.end_s, row.label = to["start_s"], to["end_s"], to["label"]
    db.add(row)


def _apply(db: Db, session: Session, op: dict[str, Any]) -> None:
    match op["op"]:
        case "set":
            setattr(session, op["field"], op["to"])
            db.add(session)
        case "edit":
            row = db.get(Stretch, op["stretch"])
            assert row is not None
            _edit(db, row, op["to"])
        case "show" | "hide":
            row = db.get(Stretch, op["stretch"])
            assert row is not None
            row.removed_at = None if op["op"] == "show" else now()
            db.add(row)


# ---------------------------------------------------------------- conclusion


def conclusion_of(db: Db, session_id: int) -> Conclusion | None:
    return db.get(Conclusion, session_id)


def conclude(db: Db, session_id: int, text: str, who: int | None, version: int | None = None) -> Conclusion:
    """Keep the text of the conclusion; saved while it is written, so that a reload loses nothing.

    `version` is that of the conclusion the writer saw; ConflictError when somebody else has written meanwhile.
    """
    if text.count("\n") >= MOST_LINES:
        raise InvalidError(f"The conclusion has more than {MOST_LINES} lines. It was not kept; shorten it.")
    session = db.exec(select(Session).where(Session.id == session_id).with_for_update()).first()
    if session is None or session.state != "stored":
        raise NotFoundError("This session is not on record.")
    if session.signed_at is not None:
        raise ConflictError("This session is signed off. Open it again before changing the conclusion.", code="signed")
    row = db.get(Conclusion, session_id) or Conclusion(session_id=session_id)
    if version is not None and row.version != version:
        raise ConflictError(
            "Somebody else has written a conclusion since you looked. Yours was not kept; it is still in the field.",
            code="stale-conclusion",
        )
    row.text, row.written_by, row.written_at, row.version = text, who, now(), row.version + 1
    db.add(row)
    tell(db, "conclusion", session=session_id, version=row.version)
    db.commit()
    db.refresh(row)
    return row


def sign(db: Db, session_id: int, version: int, who: int, conclusion_version: int | None = None) -> Session:
    """Sign off just what the reviewer looked at: the review and the conclusion of these versions."""
    session = _open_session(db, session_id, version)
    if session.aside:
        raise ConflictError(
            f"This session is kept aside ({session.aside}). Bring it in before signing it.", code="aside"
        )
    if session.deleted_at is not None:
        raise ConflictError("This session is deleted. Bring it back before signing it.", code="deleted")
    row = db.get(Conclusion, session_id) or Conclusion(session_id=session_id, written_by=who)
    if conclusion_version is not None and row.version != conclusion_version:
        raise ConflictError(
            "The conclusion on record is not the one you see: it was not kept yet, or somebody else has written. Nothing was signed.",
            code="stale-conclusion",
        )
    row.signed_at, row.signed_by = now(), who
    session.signed_at = row.signed_at
    db.add(row)
    db.add(session)
    tell(db, "review", session=session_id, version=version)
    db.commit()
    db.refresh(session)
    return session


def open_again(db: Db, session_id: int) -> Session:
    session = session_of(db, session_id)
    row = db.get(Conclusion, session_id)
    session.signed_at = None
    db.add(session)
    if row is not None:
        row.signed_at = row.signed_by = None
        db.add(row)
    tell(db, "review", session=session_id, version=session.review_version)
    db.commit()
    db.refresh(session)
    return session


def view(
    db: Db, session: Session, keys: list[str], start_s: float, end_s: float, points: int, bin_s: float | None
) -> list[samples.View]:
    """Channels over a span of the session in at most `points` bins."""
    kind = kind_of(session.kind)
    heads = channel_heads(session)
    rows = db.exec(select(Channel).where(Channel.session_id == session.id, col(Channel.key).in_(keys))).all()
    by_key = {row.key: row for row in rows}
    missing = [key for key in keys if key not in by_key]
    if missing:
        raise NotFoundError(f"This session has no channel {', '.join(missing)}.")
    return [
        samples.view(db, by_key[key], heads[by_key[key].index], kind.is_energy(key), start_s, end_s, points, bin_s)
        for key in keys
    ]

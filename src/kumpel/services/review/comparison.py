"""Two recordings of one person, side by side: before and after a treatment."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.comparison import Comparison, Side
from kumpel.kinds.kind import Compares, Kind
from kumpel.kinds.registry import kind_of
from kumpel.services.ground import decisions, figures, settings
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.ground.recordings import recording_of, session_of
from kumpel.services.ground.tags import tags_of
from kumpel.services.register import medicines
from kumpel.services.register.sessions import wall_start
from kumpel.store.tables import FigureValue, Medicine, Session

MOST_EARLIER = 20
MOST_BESIDE = 5
"""So many others can stand beside a recording."""


@dataclass(frozen=True)
class TakenBoth:
    """A medicine at both recordings: what and when, empty where it was not taken."""

    name: str
    before: str
    after: str

    @property
    def changed(self) -> bool:
        return self.before != self.after


@dataclass(frozen=True)
class Compared:
    """Two sessions with what changed between them, what was taken at each, and where the set spans are from."""

    before: Session
    after: Session
    limit_set_id: int
    found: Comparison
    medicines: tuple[TakenBoth, ...]
    changed_on: date | None
    """The day of the last change of what is taken, as far as it is known."""
    spans_from: str


def check_pair(session: Session, other: Session | None) -> Compares:
    """How these two are compared. ConflictError or InvalidError say why they are not."""
    kind = kind_of(session.kind)
    if kind.compares is None:
        raise InvalidError(f"Recordings of this kind ({kind.name.lower()}) are not compared.", field="compared_with")
    if other is None or other.state != "stored" or other.deleted_at is not None:
        raise NotFoundError("The other recording is not on record.")
    if other.id == session.id:
        raise InvalidError("A recording is not compared with itself.", field="compared_with")
    if other.kind != session.kind:
        raise InvalidError("Only recordings of one kind are compared.", field="compared_with")
    if session.person_id is None or session.person_id != other.person_id:
        raise ConflictError("Only recordings of one person are compared.", code="other-person")
    return kind.compares


def compare(db: Db, before_id: int, after_id: int, limit_set_id: int | None = None) -> Compared:
    """Compare two sessions as reviewed; with a limit set both are held against that one, just to see.

    ConflictError when one has no figures (yet), or they are of different people.
    """
    before, after = session_of(db, before_id), session_of(db, after_id)
    how = check_pair(after, before)
    kind = kind_of(after.kind)
    sides = [_side(db, each, limit_set_id) for each in (before, after)]
    spans = spans_set(db, kind)
    earlier = _earlier(db, how, before, after)
    found = how.compare(sides[0][1], sides[1][1], earlier, spans)
    taken = [medicines.during(db, each) for each in (before, after)]
    source = str(settings.value_of(db, settings.SPANS_FROM, kind=kind.key))
    return Compared(
        before, after, sides[1][0], found, _both(*taken), _changed_on(taken[0], taken[1]), source if spans else ""
    )


def beside(db: Db, session: Session, others: Sequence[int]) -> list[tuple[Session, figures.Outcome]]:
    """A session and others of the same person and kind, the oldest first, each with its results. ConflictError where one has none."""
    found = []
    for each in (session, *(session_of(db, other) for other in others)):
        if each.id != session.id:
            check_pair(session, each)
        outcome = figures.outcome(db, each.id or 0) if each.figures == figures.ASSESSED else None
        if outcome is None:
            raise ConflictError(f"The recording of {wall_start(each):%d %b %Y} has no figures yet.", code="no-figures")
        found.append((each, outcome))
    return sorted(found, key=lambda pair: pair[0].started_at)


def _side(db: Db, session: Session, limit_set_id: int | None) -> tuple[int, Side]:
    """The limit set of a session and its side; under another set, when one is asked for."""
    assert session.id is not None
    tags = tags_of(db, [session.id]).get(session.id, {})
    outcome = figures.outcome(db, session.id) if session.figures == figures.ASSESSED else None
    if outcome is None:
        when = f"{wall_start(session):%d %b %Y}"
        raise ConflictError(
            session.failure or f"The recording of {when} has no figures yet. Try again in a moment.", code="no-figures"
        )
    recording = recording_of(db, session)
    if limit_set_id is None or limit_set_id == outcome.limit_set_id:
        return outcome.limit_set_id, Side(recording, outcome.both.reviewed, outcome.limits, tags)
    row, limits, _, both = figures.compute(db, session, [*decisions.of_session(db, session.id)], limit_set_id)
    return row.id or 0, Side(recording, both.reviewed, limits, tags)


def spans_set(db: Db, kind: Kind) -> dict[str, float]:
    """The spans from day to day that the house set for a kind, by figure."""
    held = settings.chosen(db)
    found = {}
    for word, followed in settings.span_words(kind):
        value = settings.value_in(held, word, kind=kind.key)
        if isinstance(value, float):
            found[followed.figure] = value
    return found


def _earlier(db: Db, how: Compares, before: Session, after: Session) -> list[Mapping[str, float]]:
    """The stated figures of the person's assessable recordings up to `before`, but for `after`."""
    mine = (
        select(Session.id)
        .where(
            Session.person_id == before.person_id,
            Session.kind == before.kind,
            Session.state == "stored",
            Session.aside == "",
            col(Session.deleted_at).is_(None),
            Session.verdict != "not assessable",
            Session.figures == figures.ASSESSED,
            Session.started_at <= before.started_at,
            Session.id != after.id,
        )
        .order_by(col(Session.started_at).desc())
        .limit(MOST_EARLIER)
    )
    ids = [i for i in db.exec(mine).all() if i is not None]
    rows = db.exec(
        select(FigureValue).where(
            col(FigureValue.session_id).in_(ids),
            *([] if how.of_all else [col(FigureValue.key).in_([f.figure for f in how.figures])]),
        )
    ).all()
    found: dict[int, dict[str, float]] = {i: {} for i in ids}
    for row in rows:
        found[row.session_id][row.key] = math.nan if row.value is None else row.value
    return list(found.values())


def _both(before: Sequence[Medicine], after: Sequence[Medicine]) -> tuple[TakenBoth, ...]:
    names = dict.fromkeys(m.name for m in (*before, *after))
    return tuple(TakenBoth(name, _words(name, before), _words(name, after)) for name in names)


def _words(name: str, taken: Sequence[Medicine]) -> str:
    rows = [m for m in taken if m.name == name]
    return "; ".join(" ".join([m.dose or "taken", *m.times]) for m in rows)


def _changed_on(before: Sequence[Medicine], after: Sequence[Medicine]) -> date | None:
    old, new = {m.id for m in before}, {m.id for m in after}
    days = [m.since for m in after if m.id not in old and m.since is not None]
    days += [m.until for m in before if m.id not in new and m.until is not None]
    return max(days, default=None)

"""Laps of a session side by side, and tables over them, for kinds that have laps."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.laps_wish import FurtherLap, LapsWish
from kumpel.core.recording import NotThereError, Recording
from kumpel.core.review import Review
from kumpel.kinds.kind import Kind
from kumpel.kinds.registry import kind_of
from kumpel.services.ground import decisions
from kumpel.services.ground.problems import ConflictError, NotFoundError
from kumpel.services.ground.recordings import recording_of, session_of
from kumpel.services.ground.tags import tags_of
from kumpel.services.yard.belonging import MACHINE
from kumpel.services.yard.derived import with_derived
from kumpel.store.tables import FigureValue, Person, Session

MOST_FURTHER = 6
"""So many further laps are read at a time."""


@dataclass(frozen=True)
class OtherSession:
    """A session on the same course, to be laid beside: whose, when, in what, its best lap."""

    id: int
    person: str
    started_at: datetime
    utc_offset_min: int
    vehicle: str
    run: str
    best_s: float | None


def sheet(
    db: Db,
    session_id: int,
    lap: int | None = None,
    reference: int | None = None,
    beside: int | None = None,
    lanes: Sequence[str] = (),
    also: Sequence[tuple[int | None, int | None]] = (),
) -> Any:
    """Two laps of a session as it is reviewed now, or one of it against one of another; see `core.vehicle.lap_view.LapSheet`. Further
    laps are named by their session (None: this one) and their number (None: its best).

    NotFoundError for a session or a lap that there is not, ConflictError for a kind without laps, for a session that cannot be
    assessed, and for one beside it that was driven elsewhere.
    """
    session, kind = _with_laps(db, session_id)
    other = _other(db, kind, beside) if beside is not None else None
    asked = [(of, number) for of, number in also if of is not None or number is not None][:MOST_FURTHER]
    # A session is read once, however many of its laps are asked for.
    read = {of: _other(db, kind, of) for of in {of for of, _ in asked if of is not None}}
    further = [FurtherLap(number, None if of is None else read[of], of) for of, number in asked]
    with _in_words():
        assert kind.laps is not None
        wish = LapsWish(lap, reference, other, tuple(lanes), tuple(further))
        return kind.laps(with_derived(db, session, recording_of(db, session)), _review(db, session_id), wish)


def _other(db: Db, kind: Kind, session_id: int) -> tuple[Recording, Review]:
    session, its_kind = _with_laps(db, session_id)
    if its_kind.key != kind.key:
        raise ConflictError("Only a session of the same kind can be laid beside.", code="no-laps")
    return with_derived(db, session, recording_of(db, session)), _review(db, session_id)


def others(db: Db, session_id: int, most: int = 200) -> list[OtherSession]:
    """The other sessions on the same course, the newest first."""
    mine, kind = _with_laps(db, session_id)
    if not mine.course:
        return []
    found = db.exec(
        select(Session, Person.name, FigureValue.value)
        .outerjoin(Person, col(Session.person_id) == Person.id)
        .outerjoin(
            FigureValue,
            (col(FigureValue.session_id) == Session.id) & (col(FigureValue.key) == "best"),
        )
        .where(
            Session.kind == kind.key,
            Session.state == "stored",
            col(Session.deleted_at).is_(None),
            Session.aside == "",
            Session.id != session_id,
            Session.course == mine.course,
        )
        .order_by(col(Session.started_at).desc())
        .limit(most)
    ).all()
    tags = tags_of(db, [each.id for each, _, _ in found])
    return [
        OtherSession(
            each.id or 0,
            name or "",
            each.started_at,
            each.utc_offset_min,
            tags.get(each.id or 0, {}).get(kind.tag_for(MACHINE), ""),
            tags.get(each.id or 0, {}).get("run", ""),
            best,
        )
        for each, name, best in found
    ]


def bins(db: Db, session_id: int, asked: Mapping[str, Any]) -> Any:
    """One quantity over two others in the laps of a session; see `core.vehicle.bins.BinSheet`, errors as for `sheet`."""
    session, kind = _with_laps(db, session_id)
    with _in_words():
        assert kind.bins is not None
        return kind.bins(with_derived(db, session, recording_of(db, session)), _review(db, session_id), asked)


def _with_laps(db: Db, session_id: int) -> tuple[Session, Kind]:
    session = session_of(db, session_id)
    kind = kind_of(session.kind)
    if kind.laps is None or kind.bins is None:
        raise ConflictError(f"A session of {kind.name.lower()} has no laps.", code="no-laps")
    return session, kind


def _review(db: Db, session_id: int) -> Review:
    return decisions.review_of(decisions.of_session(db, session_id))


def _sentence(error: Exception) -> str:
    words = str(error)
    return f"{words[:1].upper()}{words[1:]}."


@contextmanager
def _in_words() -> Iterator[None]:
    """What the core refuses, as problems."""
    try:
        yield
    except NotThereError as error:
        raise NotFoundError(_sentence(error)) from error
    except ValueError as error:
        raise ConflictError(_sentence(error), code="no-laps") from error

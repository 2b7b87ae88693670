"""Factors of a recorder from a filter loaded beside it: they hold for what it records from a day on, and for older sessions by decision."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import date, datetime, time, timedelta

from sqlalchemy import or_
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.dust.filter_factor import Filter, Found, factor_of_filter
from kumpel.core.names import clean_line
from kumpel.kinds.registry import kind_of
from kumpel.services.ground import deeds
from kumpel.services.ground.decisions import SETTING
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.ground.wall import wall_day
from kumpel.store.database import tell
from kumpel.store.tables import Change, Decision, FilterFactor, Recorder, Session, now

FACTOR = "factor"
"""The setting of a session that a factor becomes."""
A_DAY = timedelta(days=1)


@dataclass(frozen=True)
class Wish:
    """A filter, what the monitor read meanwhile (mg/m3, before any factor), and for which days its factor is to hold."""

    filter: Filter
    reading: float
    since: date
    until: date | None = None
    note: str = ""


def found(loaded: Filter, reading: float) -> Found:
    """The factor. InvalidError says which number makes none."""
    try:
        return factor_of_filter(loaded, reading)
    except ValueError as error:
        raise InvalidError(f"No factor comes of this: {error}.") from error


def of_recorder(db: Db, recorder_id: int) -> list[FilterFactor]:
    """Those of a recorder that were not taken back, the newest first."""
    mine = select(FilterFactor).where(FilterFactor.recorder_id == recorder_id, col(FilterFactor.removed_at).is_(None))
    return list(db.exec(mine.order_by(col(FilterFactor.since).desc(), col(FilterFactor.id).desc())).all())


def keep(db: Db, recorder: Recorder, wish: Wish) -> FilterFactor:
    """Keep a factor. ConflictError where another one holds on some of its days: which counts would be anybody's guess."""
    deeds.ask(db, "factor kept", Whom("recorder", recorder.id))
    if kind_of(recorder.kind).decision(FACTOR) is None:
        raise InvalidError("Readings of this kind of recorder have no factor.")
    if wish.until is not None and wish.until < wish.since:
        raise InvalidError("The last day comes after the first.", field="until")
    made = found(wish.filter, wish.reading)
    # Two at once: the second waits here, and sees the first.
    db.exec(select(Recorder).where(Recorder.id == recorder.id).with_for_update()).one()
    for other in of_recorder(db, recorder.id or 0):
        begins_after = wish.until is not None and other.since > wish.until
        if not begins_after and (other.until is None or other.until >= wish.since):
            raise ConflictError(
                f"A factor of {other.factor:.2f} holds from {other.since:%d %b %Y} on. End it or take it back first.",
                code="factor-holds",
            )
    row = FilterFactor(
        recorder_id=recorder.id or 0,
        **asdict(wish.filter),
        reading=wish.reading,
        factor=made.factor,
        expanded=made.expanded,
        since=wish.since,
        until=wish.until,
        note=clean_line(wish.note)[:200],
        made_by=deeds.actor(db),
    )
    db.add(row)
    db.flush()
    after = {"factor": made.factor, "expanded": made.expanded, "since": wish.since.isoformat()}
    deeds.keep(db, "factor kept", Whom("recorder", recorder.id), after=after)
    tell(db, "recorders")
    db.commit()
    return row


def end(db: Db, factor_id: int, until: date | None) -> FilterFactor:
    """End a factor with a day, or (None) take it back: sessions that have it keep it, as theirs was decided."""
    row = factor_row(db, factor_id)
    whom = Whom("recorder", row.recorder_id)
    deeds.ask(db, "factor ended", whom)
    if until is None:
        row.removed_at = now()
    elif until < row.since:
        raise InvalidError("It cannot end before it began.", field="until")
    else:
        row.until = until
    db.add(row)
    deeds.keep(
        db, "factor ended", whom, {"factor": row.factor}, {"until": until.isoformat() if until else "taken back"}
    )
    tell(db, "recorders")
    db.commit()
    return row


def factor_row(db: Db, factor_id: int) -> FilterFactor:
    row = db.get(FilterFactor, factor_id)
    if row is None or row.removed_at is not None:
        raise NotFoundError("This factor is not on record (any more).")
    return row


def holding(db: Db, session: Session) -> FilterFactor | None:
    """The factor that holds for the recorder of a session on its day."""
    if session.recorder_id is None:
        return None
    day = wall_day(session)
    mine = select(FilterFactor).where(
        FilterFactor.recorder_id == session.recorder_id,
        col(FilterFactor.removed_at).is_(None),
        FilterFactor.since <= day,
        or_(col(FilterFactor.until).is_(None), col(FilterFactor.until) >= day),
    )
    return db.exec(mine).first()


def put_on_new(db: Db, session: Session) -> None:
    """A session that comes in gets the factor of its day as a decision, which can be undone like any other. The caller commits."""
    if kind_of(session.kind).decision(FACTOR) is None or (row := holding(db, session)) is None:
        return
    session.review_version += 1
    made = Decision(
        session_id=session.id or 0,
        what=SETTING,
        key=FACTOR,
        value=row.factor,
        reason=why(row),
        version=session.review_version,
        made_by=row.made_by,
    )
    db.add(made)
    db.flush()
    step = f"factor of the filter of {row.since:%d %b %Y}"
    db.add(Change(session_id=session.id or 0, text=step, added=[made.id or 0], removed=[], made_by=row.made_by))


def why(row: FilterFactor) -> str:
    """What a session that has a factor says of it."""
    words = f"filter of {row.since:%d %b %Y}: {row.factor:.2f} ± {row.expanded:.2f} (k = 2)"
    return f"{words}, {row.note}" if row.note else words


def there_already(db: Db, row: FilterFactor) -> list[Session]:
    """The unsigned sessions of the recorder on the days of a factor: each may be decided to have it."""
    begins = datetime.combine(row.since, time()).astimezone() - A_DAY
    mine = select(Session).where(
        Session.recorder_id == row.recorder_id,
        Session.state == "stored",
        Session.aside == "",
        col(Session.deleted_at).is_(None),
        col(Session.signed_at).is_(None),
        Session.started_at >= begins,
    )
    rows = db.exec(mine.order_by(col(Session.started_at))).all()
    return [s for s in rows if wall_day(s) >= row.since and (row.until is None or wall_day(s) <= row.until)]

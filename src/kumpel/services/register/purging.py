"""Removing for good what was deleted long ago, where a house wants that."""

from __future__ import annotations

from datetime import timedelta

from sqlalchemy import Engine
from sqlmodel import Session as Db
from sqlmodel import col, delete, select

from kumpel.services.ground import deeds, settings
from kumpel.services.ground.deeds import Whom
from kumpel.store import locks
from kumpel.store.database import tell
from kumpel.store.tables import (
    Block,
    Change,
    Channel,
    Conclusion,
    Decision,
    Event,
    FigureValue,
    Pyramid,
    ReportSession,
    Result,
    Session,
    Signature,
    Tag,
    now,
)

AT_ONCE = 50
"""Sessions that one transaction each removes, before whoever waits for the database has a turn."""
OF_A_SESSION = (Block, Pyramid, Channel, Event, Decision, Change, Conclusion, FigureValue, Result, Tag)
"""Everything that belongs to a session alone. What was signed or reported is never removed."""


def purge(store: Engine) -> int:
    """Remove what was deleted longer ago than the house keeps it; how many sessions. Nothing where it keeps everything (as shipped).

    The row of a session stays, without its note and whose it was: what lies on a recorder still is known as deleted, and can be taken in anew.
    """
    with Db(store) as db:
        days = int(settings.value_of(db, settings.KEEPS_DELETED))
        if not days:
            return 0
        signed = select(Signature.id).where(Signature.session_id == Session.id).exists()
        reported = select(ReportSession.report_id).where(ReportSession.session_id == Session.id).exists()
        old = select(Session.id).where(
            col(Session.deleted_at) < now() - timedelta(days=days), col(Session.purged_at).is_(None), ~signed, ~reported
        )
        ids = [i for i in db.exec(old.order_by(col(Session.id)).limit(AT_ONCE)).all() if i is not None]
        db.rollback()
        return sum(_purged(db, session_id, days) for session_id in ids)


def _purged(db: Db, session_id: int, days: int) -> bool:
    session = db.exec(select(Session).where(Session.id == session_id).with_for_update()).first()
    brought_back = session is None or session.deleted_at is None or session.purged_at is not None
    if session is None or brought_back or not locks.try_for_transaction(db, locks.TAKE_IN, session_id):
        db.rollback()
        return False
    for table in OF_A_SESSION:
        db.exec(delete(table).where(col(table.session_id) == session_id))
    session.purged_at, session.note, session.head, session.wish, session.key_figure = now(), "", {}, {}, ""
    # Whose it was goes, too; a clearing that was wished with it would now clear the only copy.
    session.person_id = session.hand_over_id = None
    db.add(session)
    deeds.keep(db, "session removed for good", Whom("session", session_id), after={"kept_days": days})
    tell(db, "sessions", session=session_id)
    db.commit()
    return True

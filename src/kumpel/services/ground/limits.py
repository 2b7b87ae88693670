"""Limit sets on record; the shipped ones are put there at the start."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

from sqlmodel import Session as Db
from sqlmodel import col, select, update

from kumpel.core.assessment import LimitSet
from kumpel.kinds.limit_sets import limit_set_data, limit_set_from
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import settings
from kumpel.services.ground.problems import NotFoundError
from kumpel.store.tables import LimitSetRow, Result, Session


def put_shipped(db: Db) -> None:
    """Add the shipped limit sets that are not on record yet, and correct one that was shipped with a mistake.

    Copies that people made are theirs; what a report used is frozen with it. Sessions that were held against the mistake and
    are not signed wait for new figures.
    """
    on_record = {(row.key, row.version): row for row in db.exec(select(LimitSetRow)).all()}
    for kind in KINDS.values():
        for limits in kind.limit_sets:
            known = on_record.get((limits.key, limits.version))
            if known is None:
                db.add(
                    LimitSetRow(
                        key=limits.key,
                        kind=limits.kind,
                        name=limits.name,
                        issuer=limits.issuer,
                        version=limits.version,
                        valid_from=date.fromisoformat(limits.valid_from),
                        data=limit_set_data(limits),
                    )
                )
            elif known.shipped and known.data != limit_set_data(limits):
                known.data, known.name = limit_set_data(limits), limits.name
                db.add(known)
                held = select(Result.session_id).where(Result.limit_set_id == known.id)
                db.exec(
                    update(Session)
                    .where(
                        col(Session.id).in_(held),
                        col(Session.signed_at).is_(None),
                        col(Session.figures) == "assessed",
                    )
                    .values(figures="waiting")
                )
    db.commit()


def all_limit_sets(db: Db, kind: str | None = None) -> list[LimitSetRow]:
    """Limit sets in the order of the kinds, those of a kind in the order they came."""
    query = select(LimitSetRow).order_by(col(LimitSetRow.id))
    rows = list(db.exec(query.where(LimitSetRow.kind == kind) if kind else query).all())
    order = [*KINDS]
    return sorted(rows, key=lambda row: order.index(row.kind) if row.kind in order else len(order))


def usual_key(db: Db, kind: str) -> str:
    """The set that is usual for a kind, by its key; empty where nobody said."""
    word = next(w for w in settings.words_of(KINDS[kind]) if w.key == settings.USUAL_LIMITS)
    return str(settings.value_of(db, word, kind=kind) or "")


def usual(db: Db, kind: str, day: date | None = None, setup: Mapping[str, Any] | None = None) -> LimitSetRow | None:
    """The set that sessions of a kind are held against: of the one set for the kind, else the first shipped, the version that holds
    on a day (today when none is given). Before its first day the first version holds: no session is without limits.

    Where that one has no rule for what a `setup` measures, the newest other one that has."""
    key, fits = usual_key(db, kind), KINDS[kind].fits
    rows = all_limit_sets(db, kind)
    day = day or date.today()
    found = in_force([row for row in rows if row.key == key] or rows[:1], day)
    if found is None or setup is None or fits is None or fits(limit_set_from(found.data), setup):
        return found
    for other in dict.fromkeys(row.key for row in reversed(rows)):
        row = in_force([each for each in rows if each.key == other], day)
        if row is not None and fits(limit_set_from(row.data), setup):
            return row
    return found


def in_force(versions: Sequence[LimitSetRow], day: date) -> LimitSetRow | None:
    """Of the versions of a set, oldest first, the one that holds on a day: before its first day the first does."""
    return next((row for row in reversed(versions) if row.valid_from <= day), next(iter(versions), None))


def limits_of(
    db: Db, kind: str, limit_set_id: int | None, day: date | None = None, setup: Mapping[str, Any] | None = None
) -> tuple[LimitSetRow, LimitSet]:
    """A limit set by id, or the usual one for a kind and setup as it holds on a day. NotFoundError when it is not one of this kind."""
    row = db.get(LimitSetRow, limit_set_id) if limit_set_id else usual(db, kind, day, setup)
    if row is None or row.kind != kind:
        raise NotFoundError("This limit set is not on record for this kind of recording.")
    return row, limit_set_from(row.data)

"""The register of recorders: by words, where they are and who has them, page by page."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal, assert_never

from sqlalchemy.sql import ColumnElement
from sqlmodel import Session as Db
from sqlmodel import and_, col, func, or_, select

from kumpel.services.ground.people import like
from kumpel.store.tables import HandOver, Person, Recorder

Where = Literal["all", "here", "out", "away"]
"""`here`: in reach. `out`: with somebody. `away`: neither, in a cupboard or lost."""
Sort = Literal["token", "name", "seen", "holder", "battery"]


@dataclass(frozen=True)
class Wanted:
    """What narrows and sorts the register."""

    search: str = ""
    where: Where = "all"
    kind: str = ""
    sort: Sort = "token"
    falling: bool = False


def list_recorders(db: Db, wanted: Wanted, limit: int, offset: int) -> tuple[list[Recorder], int]:
    """A page of the recorders that match, and how many match in all."""
    have = and_(col(HandOver.recorder_id) == Recorder.id, col(HandOver.returned_at).is_(None))
    conditions = _conditions(wanted)
    total = (
        select(func.count())
        .select_from(Recorder)
        .outerjoin(HandOver, have)
        .outerjoin(Person, col(HandOver.person_id) == Person.id)
        .where(*conditions)
    )
    page = (
        select(Recorder)
        .outerjoin(HandOver, have)
        .outerjoin(Person, col(HandOver.person_id) == Person.id)
        .where(*conditions)
        .order_by(*_order(wanted), col(Recorder.token), col(Recorder.id))
        .limit(limit)
        .offset(offset)
    )
    return list(db.exec(page).all()), db.exec(total).one()


def _conditions(wanted: Wanted) -> list[Any]:
    found: list[Any] = []
    match wanted.where:
        case "all":
            pass
        case "here":
            found.append(col(Recorder.in_reach))
        case "out":
            found.append(col(HandOver.id).is_not(None))
        case "away":
            found += [~col(Recorder.in_reach), col(HandOver.id).is_(None)]
        case _:
            assert_never(wanted.where)
    if wanted.kind:
        found.append(Recorder.kind == wanted.kind)
    if words := wanted.search.strip():
        told = (Recorder.token, Recorder.name, Recorder.serial, Recorder.model, Person.name)
        found.append(or_(*(col(each).ilike(like(words)) for each in told)))
    return found


def _order(wanted: Wanted) -> list[ColumnElement[Any]]:
    """What is not known stands last, whichever way it is sorted."""
    match wanted.sort:
        case "token":
            by: list[Any] = [col(Recorder.token)]
        case "name":
            by = [func.lower(col(Recorder.name))]
        case "holder":
            by = [func.lower(col(Person.name))]
        case "seen":
            # Those that answer are seen now.
            by = [col(Recorder.in_reach), col(Recorder.seen_at)]
        case "battery":
            by = [col(Recorder.status)["battery"].as_float()]
        case _:
            assert_never(wanted.sort)
    return [(each.desc() if wanted.falling else each.asc()).nulls_last() for each in by]

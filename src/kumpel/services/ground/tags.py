"""Tags of sessions."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import timedelta

from sqlmodel import Session as Db
from sqlmodel import col, func, select

from kumpel.store.tables import Session, Tag, now

LATELY = timedelta(days=180)
MOST_OFFERED = 12


def tags_of(db: Db, ids: Sequence[int | None]) -> dict[int, dict[str, str]]:
    """Tags by session id, each as key and value."""
    tags: dict[int, dict[str, str]] = {}
    for tag in db.exec(select(Tag).where(col(Tag.session_id).in_(ids)).order_by(col(Tag.key))).all():
        tags.setdefault(tag.session_id, {})[tag.key] = tag.value
    return tags


def said_lately(db: Db) -> dict[str, dict[str, list[str]]]:
    """What was said most of sessions in the last half year, by kind and tag, most often first."""
    mine = (
        select(Session.kind, Tag.key, Tag.value)
        .join(Session, col(Session.id) == Tag.session_id)
        .where(col(Session.deleted_at).is_(None), col(Session.started_at) > now() - LATELY)
        .group_by(col(Session.kind), col(Tag.key), col(Tag.value))
        .order_by(func.count().desc(), col(Tag.value))
    )
    found: dict[str, dict[str, list[str]]] = {}
    for kind, key, value in db.exec(mine).all():
        offered = found.setdefault(kind, {}).setdefault(key, [])
        if len(offered) < MOST_OFFERED:
            offered.append(value)
    return found

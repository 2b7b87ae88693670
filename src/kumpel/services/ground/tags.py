"""Tags of sessions."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import timedelta
from typing import Any

from sqlalchemy import true
from sqlalchemy.dialects.postgresql import array
from sqlmodel import Session as Db
from sqlmodel import col, func, select

from kumpel.kinds.registry import KINDS
from kumpel.store.database import among
from kumpel.store.tables import Session, Tag, now

LATELY = timedelta(days=180)
NEWEST = 50
MOST_OFFERED = 12


def tags_of(db: Db, ids: Sequence[int | None]) -> dict[int, dict[str, str]]:
    """Tags by session id, each as key and value."""
    tags: dict[int, dict[str, str]] = {}
    query = select(Tag.session_id, Tag.key, Tag.value).where(among(col(Tag.session_id), ids)).order_by(col(Tag.key))
    for session_id, key, value in db.exec(query).all():
        tags.setdefault(session_id, {})[key] = value
    return tags


def listed() -> list[Any]:
    """What a session must be to stand on an ordinary list."""
    return [Session.state == "stored", col(Session.deleted_at).is_(None), Session.aside == ""]


def said_lately(db: Db) -> dict[str, dict[str, list[str]]]:
    """What was said most of the newest sessions of each kind (fifty, of the last half year), by kind and tag, most often first."""
    kinds = func.unnest(array(sorted(KINDS))).table_valued("key").render_derived()
    newest = (
        select(Session.id)
        .where(Session.kind == kinds.c.key, *listed(), col(Session.started_at) > now() - LATELY)
        .order_by(col(Session.started_at).desc(), col(Session.id).desc())
        .limit(NEWEST)
        .lateral()
    )
    mine = (
        select(kinds.c.key, Tag.key, Tag.value)
        .select_from(kinds)
        .join(newest, true())
        .join(Tag, col(Tag.session_id) == newest.c.id)
        .group_by(kinds.c.key, col(Tag.key), col(Tag.value))
        .order_by(func.count().desc(), col(Tag.value))
    )
    found: dict[str, dict[str, list[str]]] = {}
    for kind, key, value in db.exec(mine).all():
        offered = found.setdefault(kind, {}).setdefault(key, [])
        if len(offered) < MOST_OFFERED:
            offered.append(value)
    return found

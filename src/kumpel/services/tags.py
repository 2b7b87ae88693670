"""Tags of sessions."""

from __future__ import annotations

from collections.abc import Sequence

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.store.tables import Tag


def tags_of(db: Db, ids: Sequence[int | None]) -> dict[int, dict[str, str]]:
    """Tags by session id, each as key and value."""
    tags: dict[int, dict[str, str]] = {}
    for tag in db.exec(select(Tag).where(col(Tag.session_id).in_(ids)).order_by(col(Tag.key))).all():
        tags.setdefault(tag.session_id, {})[tag.key] = tag.value
    return tags

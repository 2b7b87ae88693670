"""Secret words that open one thing without a sign-in: shown once, kept as a hash, taken back at any time."""

from __future__ import annotations

import hashlib
import secrets
from datetime import datetime, timedelta
from typing import Any

from sqlmodel import Session as Db
from sqlmodel import col, or_, select

from kumpel.core.names import clean_line
from kumpel.services.ground import deeds
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ForbiddenError, NotFoundError
from kumpel.store.tables import Token, now

CALENDAR, WALL = "calendar", "wall"
SEEN_EVERY = timedelta(minutes=10)
"""A token in use says so that often."""


def make(
    db: Db, what: str, account_id: int, *, named: bool, name: str = "", until: datetime | None = None
) -> tuple[Token, str]:
    """A token and the word that opens it, which nobody is shown again; it opens nothing after `until`."""
    deeds.ask(db, "token made", Whom("account", account_id))
    word = secrets.token_urlsafe(32)
    row = Token(
        hash=_hash(word), what=what, named=named, name=clean_line(name)[:120], account_id=account_id, until=until
    )
    db.add(row)
    db.flush()
    deeds.keep(db, "token made", Whom("token", row.id), after={"what": what, "named": named}, who=account_id)
    db.commit()
    db.refresh(row)
    return row, word


def of_account(db: Db, account_id: int, what: str) -> list[Token]:
    """Those that still open something, the newest first."""
    mine = select(Token).where(Token.account_id == account_id, Token.what == what, *_open())
    return list(db.exec(mine.order_by(col(Token.id).desc())).all())


def opened_by(db: Db, what: str, word: str) -> Token:
    """The token of a word. ForbiddenError when it opens nothing (any more)."""
    row = db.exec(select(Token).where(Token.hash == _hash(word), Token.what == what, *_open())).first()
    if row is None:
        raise ForbiddenError("This address opens nothing any more. Ask for a new one.")
    if row.used_at is None or row.used_at < now() - SEEN_EVERY:
        row.used_at = now()
        db.add(row)
        db.commit()
        db.refresh(row)
    return row


def remove(db: Db, token_id: int, account_id: int) -> None:
    """Take a token back: from now on it opens nothing."""
    deeds.ask(db, "token removed", Whom("token", token_id))
    row = db.get(Token, token_id)
    if row is None or row.account_id != account_id or row.removed_at is not None:
        raise NotFoundError("This token is not on record.")
    row.removed_at = now()
    db.add(row)
    deeds.keep(db, "token removed", Whom("token", token_id), who=account_id)
    db.commit()


def _open() -> tuple[Any, ...]:
    return col(Token.removed_at).is_(None), or_(col(Token.until).is_(None), col(Token.until) > now())


def _hash(word: str) -> bytes:
    # The word has 256 bits of chance: a plain hash cannot be turned around by trying.
    return hashlib.sha256(word.encode()).digest()

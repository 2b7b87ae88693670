"""Who may do what, and who did: asked before every change, kept after it.

The actor is the account that a connection to the store works for; the program itself when there is none.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.services.ground.as_json import for_screen
from kumpel.services.ground.problems import ForbiddenError
from kumpel.store.tables import Deed

_ACTOR = "actor"


@dataclass(frozen=True)
class Whom:
    """What a deed is done to: a person, a recorder, a session, a hand-over, a report, an account."""

    what: str
    id: int | str | None

    def __str__(self) -> str:
        return f"{self.what} {self.id}"


def work_for(db: Db, account_id: int | None) -> None:
    """Everything done through this connection from now on is done by this account."""
    db.info[_ACTOR] = account_id


def actor(db: Db) -> int | None:
    found: int | None = db.info.get(_ACTOR)
    return found


def may(actor: int | None, what: str, whom: Whom) -> bool:
    """Whether somebody may do this to that. Today whoever is signed in may do everything."""
    return True


def ask(db: Db, what: str, whom: Whom) -> None:
    """Raises ForbiddenError when the actor may not do this; nothing has been changed then."""
    if not may(actor(db), what, whom):
        raise ForbiddenError(f"You may not do this ({what}). Nothing was changed.")


def keep(
    db: Db,
    what: str,
    whom: Whom,
    before: dict[str, Any] | None = None,
    after: dict[str, Any] | None = None,
    who: int | None = None,
) -> None:
    """Keep a deed, in the transaction that does it."""
    db.add(
        Deed(
            who=who if who is not None else actor(db),
            what=what,
            on_what=whom.what,
            on_id=str(whom.id),
            before=for_screen(before),
            after=for_screen(after),
        )
    )


def of(db: Db, whom: Whom) -> list[Deed]:
    """All deeds on something, the first one first."""
    mine = select(Deed).where(Deed.on_what == whom.what, Deed.on_id == str(whom.id))
    return list(db.exec(mine.order_by(col(Deed.id))).all())

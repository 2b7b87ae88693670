"""One deed on many sessions, in one asking: what was done, and what stayed as it was because it is signed off."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlmodel import Session as Db

from kumpel.services.ground.problems import ConflictError, InvalidError
from kumpel.services.ground.recordings import session_of
from kumpel.services.ground.tags import tags_of
from kumpel.services.register import sessions

MOST = 1_000
"""Sessions at a time."""


@dataclass
class Done:
    """The sessions that were changed, those that are signed off and were left, and what each was before (`person_id`, `aside`, `tags`)."""

    done: list[int] = field(default_factory=list)
    signed: list[int] = field(default_factory=list)
    before: dict[int, dict[str, Any]] = field(default_factory=dict)


def change(db: Db, wishes: Mapping[int, Mapping[str, Any]]) -> Done:
    """Change each as it is wished (`sessions.change`); of tags only those that are named."""

    def one(session_id: int, found: Done) -> None:
        wish = dict(wishes[session_id])
        before: dict[str, Any] = {}
        for key in wish.keys() & {"person_id", "aside"}:
            before[key] = getattr(session_of(db, session_id), key)
        if "tags" in wish:
            had = tags_of(db, [session_id]).get(session_id, {})
            before["tags"] = {key: had.get(key, "") for key in wish["tags"]}
        sessions.change(db, session_id, wish)
        found.before[session_id] = before

    return _each(db, list(wishes), one)


def delete(db: Db, ids: Sequence[int]) -> Done:
    return _each(db, ids, lambda session_id, found: sessions.delete_session(db, session_id))


def restore(db: Db, ids: Sequence[int]) -> Done:
    return _each(db, ids, lambda session_id, found: sessions.restore_session(db, session_id))


def _each(db: Db, ids: Sequence[int], work: Callable[[int, Done], object]) -> Done:
    if len(ids) > MOST:
        raise InvalidError(f"{len(ids)} sessions are too many at a time; {MOST} are possible. Nothing was changed.")
    found = Done()
    # In one order, so that two who change the same ones do not wait for each other.
    for session_id in sorted(set(ids)):
        try:
            work(session_id, found)
        except ConflictError as error:
            if error.code != "signed":
                raise
            db.rollback()
            found.signed.append(session_id)
        else:
            found.done.append(session_id)
    return found

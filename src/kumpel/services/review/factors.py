"""A factor from a filter for sessions that were there before it: each by a decision of its own, that one undo takes back."""

from __future__ import annotations

from collections.abc import Sequence

from sqlmodel import Session as Db

from kumpel.services.ground import decisions, filter_factors
from kumpel.services.ground.decisions import SETTING, Wish
from kumpel.services.ground.filter_factors import FACTOR
from kumpel.services.ground.problems import ConflictError, InvalidError
from kumpel.services.ground.recordings import session_of
from kumpel.services.review import deciding

MOST = 500


def apply(db: Db, factor_id: int, ids: Sequence[int], who: int | None) -> tuple[list[int], list[int]]:
    """Decide the factor for sessions: those that have it now, and those that are signed and stay."""
    row = filter_factors.factor_row(db, factor_id)
    if len(ids) > MOST:
        raise InvalidError(f"At most {MOST} sessions at a time. Nothing was changed.")
    wish = Wish(SETTING, FACTOR, value=row.factor, reason=filter_factors.why(row))
    known = {each.id for each in filter_factors.there_already(db, row)}
    done: list[int] = []
    signed: list[int] = []
    for session_id in sorted(set(ids)):
        session = session_of(db, session_id)
        if session.signed_at is not None:
            signed.append(session_id)
            continue
        if session_id not in known:
            raise InvalidError(f"Session {session_id} is not of this recorder, or not of these days.", field="sessions")
        if decisions.setting(decisions.of_session(db, session_id), FACTOR) == row.factor:
            continue
        try:
            deciding.decide(db, session_id, session.review_version, [wish], who=who)
        except ConflictError as error:
            if error.code != "signed":
                raise
            db.rollback()
            signed.append(session_id)
        else:
            done.append(session_id)
    return done, signed

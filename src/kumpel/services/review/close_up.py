"""A few seconds of a session closely: what its kind works out of the signals there."""

from __future__ import annotations

from sqlmodel import Session as Db

from kumpel.core.close_up import CloseUp
from kumpel.kinds.registry import kind_of
from kumpel.services.ground import decisions
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.ground.recordings import recording_of, session_of

LONGEST_S = 120.0


def look(db: Db, session_id: int, start_s: float, end_s: float) -> CloseUp:
    """From when to when (s after the start), at most two minutes. ConflictError when the signals are none that can be worked on."""
    session = session_of(db, session_id)
    close_up = kind_of(session.kind).close_up
    if close_up is None:
        raise NotFoundError("There is no close look at sessions of this kind.")
    if not 0 < end_s - start_s <= LONGEST_S:
        raise InvalidError(f"A close look is at up to {LONGEST_S:g} s.", field="end_s")
    review = decisions.review_of(decisions.of_session(db, session_id))
    try:
        return close_up(recording_of(db, session), review, start_s, end_s)
    except ValueError as error:
        raise ConflictError(f"There is no close look: {error}. The recording is safe.", code="no-close-up") from error

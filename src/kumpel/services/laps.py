"""Laps of a session side by side, for kinds that have laps."""

from __future__ import annotations

from typing import Any

from sqlmodel import Session as Db

from kumpel.kinds.registry import kind_of
from kumpel.services import decisions
from kumpel.services.problems import ConflictError, NotFoundError
from kumpel.services.recordings import recording_of, session_of


def sheet(db: Db, session_id: int, lap: int | None = None, reference: int | None = None) -> Any:
    """Two laps of a session as it is reviewed now; see `core.vehicle.lap_view.LapSheet`.

    NotFoundError for a session or a lap that there is not, ConflictError for a kind without laps and for a session that cannot be
    assessed.
    """
    session = session_of(db, session_id)
    kind = kind_of(session.kind)
    if kind.laps is None:
        raise ConflictError(f"A session of {kind.name.lower()} has no laps.", code="no-laps")
    review = decisions.review_of(decisions.of_session(db, session_id))
    try:
        found = kind.laps(recording_of(db, session), review, lap, reference)
    except LookupError as error:
        raise NotFoundError(f"{str(error.args[0]).capitalize()}.") from error
    except ValueError as error:
        raise ConflictError(f"{str(error).capitalize()}.", code="no-laps") from error
    return found

"""Laps of a session side by side, and tables over them, for kinds that have laps."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from typing import Any

from sqlmodel import Session as Db

from kumpel.core.recording import NotThereError
from kumpel.core.review import Review
from kumpel.kinds.kind import Kind
from kumpel.kinds.registry import kind_of
from kumpel.services import decisions
from kumpel.services.problems import ConflictError, NotFoundError
from kumpel.services.recordings import recording_of, session_of
from kumpel.store.tables import Session


def sheet(db: Db, session_id: int, lap: int | None = None, reference: int | None = None) -> Any:
    """Two laps of a session as it is reviewed now; see `core.vehicle.lap_view.LapSheet`.

    NotFoundError for a session or a lap that there is not, ConflictError for a kind without laps and for a session that cannot be
    assessed.
    """
    session, kind = _with_laps(db, session_id)
    with _in_words():
        assert kind.laps is not None
        return kind.laps(recording_of(db, session), _review(db, session_id), lap, reference)


def bins(db: Db, session_id: int, asked: Mapping[str, Any]) -> Any:
    """One quantity over two others in the laps of a session; see `core.vehicle.bins.BinSheet`, errors as for `sheet`."""
    session, kind = _with_laps(db, session_id)
    with _in_words():
        assert kind.bins is not None
        return kind.bins(recording_of(db, session), _review(db, session_id), asked)


def _with_laps(db: Db, session_id: int) -> tuple[Session, Kind]:
    session = session_of(db, session_id)
    kind = kind_of(session.kind)
    if kind.laps is None or kind.bins is None:
        raise ConflictError(f"A session of {kind.name.lower()} has no laps.", code="no-laps")
    return session, kind


def _review(db: Db, session_id: int) -> Review:
    return decisions.review_of(decisions.of_session(db, session_id))


def _sentence(error: Exception) -> str:
    words = str(error)
    return f"{words[:1].upper()}{words[1:]}."


@contextmanager
def _in_words() -> Iterator[None]:
    """What the core refuses, as problems."""
    try:
        yield
    except NotThereError as error:
        raise NotFoundError(_sentence(error)) from error
    except ValueError as error:
        raise ConflictError(_sentence(error), code="no-laps") from error

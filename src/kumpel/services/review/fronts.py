"""Where and when each of a crew first met something, and how its front passed over their places."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlmodel import Session as Db

from kumpel.kinds.registry import kind_of
from kumpel.services.ground import figures
from kumpel.services.ground.problems import InvalidError
from kumpel.services.ground.recordings import session_of

MOST = 12


@dataclass(frozen=True)
class Arrival:
    """Where somebody first met something: degrees, and metres east and north of the middle of all of them."""

    session_id: int
    at: datetime
    lat: float
    lon: float
    east_m: float
    north_m: float


@dataclass(frozen=True)
class Passed:
    """In order of time; the front's speed (m/min), the bearing it moves in (degrees) and how far the times lie from it (s), or why none is told."""

    arrivals: tuple[Arrival, ...]
    speed_m_min: float | None
    bearing_deg: float | None
    apart_s: float | None
    why_not: str


def passed(db: Db, session_ids: Sequence[int], event: str) -> Passed:
    """How an event came to the people of sessions of one kind. Those that did not meet it, or whose recorder had no position then, are left out."""
    if not 1 <= len(set(session_ids)) <= MOST:
        raise InvalidError(f"One to {MOST} recordings are laid over one another.", field="sessions")
    found: list[tuple[datetime, int, float, float]] = []
    kinds = set()
    for session_id in dict.fromkeys(session_ids):
        session = session_of(db, session_id)
        kinds.add(session.kind)
        outcome = figures.outcome(db, session_id)
        met = [e for e in outcome.both.reviewed.events if e.code == event and e.kept] if outcome else []
        first = min(met, key=lambda e: e.at_s, default=None)
        where = (first.numbers.get("lat"), first.numbers.get("lon")) if first else (None, None)
        if first is not None and isinstance(where[0], float) and isinstance(where[1], float):
            found.append((session.started_at + timedelta(seconds=first.at_s), session_id, where[0], where[1]))
    front_of = kind_of(kinds.pop()).front if len(kinds) == 1 else None
    if front_of is None:
        raise InvalidError("A front is told of recordings of one kind that knows of fronts.", field="sessions")
    if not found:
        return Passed((), None, None, None, "no recorder had a position when it was met")
    found.sort()
    zero = found[0][0]
    places = front_of([(at - zero).total_seconds() for at, *_ in found], [f[2] for f in found], [f[3] for f in found])
    arrivals = tuple(
        Arrival(session_id, at, lat, lon, float(east), float(north))
        for (at, session_id, lat, lon), east, north in zip(found, places.east_m, places.north_m, strict=True)
    )
    front = places.front
    if front is None:
        return Passed(arrivals, None, None, None, places.why_not)
    return Passed(arrivals, front.speed_m_min, front.bearing_deg, front.apart_s, "")

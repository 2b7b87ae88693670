"""How long a quantity stood at each value over the last sessions of a person: what a changed limit or zone would have meant."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.services.ground.people import person_of
from kumpel.services.ground.recordings import recording_of
from kumpel.services.register.session_list import Filter, conditions
from kumpel.store.tables import Channel, Session

MOST_SESSIONS = 20
HIGHEST = 100_000


@dataclass(frozen=True)
class Spread:
    """Over how many sessions, and seconds at each whole value that occurred, rising."""

    sessions: int
    values: list[int]
    seconds: list[float]


def spread(db: Db, person_id: int, channel: str, last: int = 6) -> Spread:
    """A channel over the last sessions of a person that have it. What was not measured counts nowhere."""
    person_of(db, person_id)
    asked = (
        select(Session)
        .join(Channel, (col(Channel.session_id) == Session.id) & (col(Channel.key) == channel))
        .where(*conditions(Filter(person_id=person_id)))
        .order_by(col(Session.started_at).desc())
        .limit(min(last, MOST_SESSIONS))
    )
    rows = db.exec(asked).all()
    total = np.zeros(0)
    for session in rows:
        found = recording_of(db, session).channels[channel]
        known = found.values[~np.isnan(found.values)]
        whole = np.rint(known[(known >= 0) & (known <= HIGHEST)]).astype(np.int64)
        counts = np.bincount(whole, minlength=len(total)).astype(np.float64) * found.interval_s
        counts[: len(total)] += total
        total = counts
    at = np.flatnonzero(total)
    return Spread(len(rows), at.tolist(), total[at].tolist())

"""Which laps of a session are looked at, for kinds that have laps."""

from __future__ import annotations

from dataclasses import dataclass

from kumpel.core.recording import Recording
from kumpel.core.review import Review


@dataclass(frozen=True)
class FurtherLap:
    """A lap beside the two that are compared: of the session itself, or of another one (`of`, which the asker calls `session`); without
    a number that one's best."""

    lap: int | None
    of: tuple[Recording, Review] | None = None
    session: int | None = None


@dataclass(frozen=True)
class LapsWish:
    """Two laps by their numbers, the reference of another session (`beside`); further channels as `lanes`, further laps as `also`."""

    lap: int | None = None
    reference: int | None = None
    beside: tuple[Recording, Review] | None = None
    lanes: tuple[str, ...] = ()
    also: tuple[FurtherLap, ...] = ()

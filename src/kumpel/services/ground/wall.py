"""The day of a session: that on the wall where it began, whatever day it was in Greenwich or is here."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from typing import Any, Protocol


class Begun(Protocol):
    """Whatever knows when it began and how far its wall clock was from UTC."""

    @property
    def started_at(self) -> Any: ...

    @property
    def utc_offset_min(self) -> Any: ...


DAY_S, EPOCH = 86_400, date(1970, 1, 1).toordinal()


def day_number(started_at: datetime, utc_offset_min: int) -> int:
    """The day on the wall as a number (`date.toordinal`): of thousands of sessions, far sooner than by `wall_day`.

    >>> day_number(datetime(2026, 11, 30, 23, 30, tzinfo=UTC), 60) == date(2026, 12, 1).toordinal()
    True
    """
    return EPOCH + int((started_at.timestamp() + 60 * utc_offset_min) // DAY_S)


def wall_day(of: Begun) -> date:
    """The day on the wall where it began.

    >>> from types import SimpleNamespace
    >>> wall_day(SimpleNamespace(started_at=datetime(2026, 11, 30, 23, 30, tzinfo=UTC), utc_offset_min=60))
    datetime.date(2026, 12, 1)
    """
    began: datetime = of.started_at
    return (began.astimezone(UTC) + timedelta(minutes=of.utc_offset_min)).date()

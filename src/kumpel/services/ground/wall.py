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


def wall_day(of: Begun) -> date:
    """The day on the wall where it began.

    >>> from types import SimpleNamespace
    >>> wall_day(SimpleNamespace(started_at=datetime(2026, 11, 30, 23, 30, tzinfo=UTC), utc_offset_min=60))
    datetime.date(2026, 12, 1)
    """
    began: datetime = of.started_at
    return (began.astimezone(UTC) + timedelta(minutes=of.utc_offset_min)).date()

"""Days and times as they are written."""

from __future__ import annotations

from datetime import UTC, datetime

from kumpel.core.recording import Recording
from kumpel.core.timebase import wall_second


def span_words(begin: datetime, end: datetime) -> str:
    """ "Thu 19 Nov 2026, 13:00 to 14:30", the end with its day when it is another: "... to Fri 20 Nov 2026, 13:00"."""
    last = f"{end:%H:%M}" if begin.date() == end.date() else f"{end:%a %d %b %Y, %H:%M}"
    return f"{begin:%a %d %b %Y, %H:%M} to {last}"


def wall_moment(recording: Recording, at_s: float) -> datetime:
    """Day and time on the wall, as if it were UTC, to the nearest second."""
    return datetime.fromtimestamp(wall_second(recording, at_s), UTC)

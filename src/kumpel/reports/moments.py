"""Days and times as they are written."""

from __future__ import annotations

from datetime import UTC, datetime

from kumpel.core.recording import Recording
from kumpel.core.timebase import wall_second


def wall_moment(recording: Recording, at_s: float) -> datetime:
    """Day and time on the wall, as if it were UTC, to the nearest second."""
    return datetime.fromtimestamp(wall_second(recording, at_s), UTC)

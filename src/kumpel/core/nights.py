"""Nights by the times of a recorder's settings."""

from __future__ import annotations

from kumpel.core.recording import Recording
from kumpel.core.review import Stretch
from kumpel.core.timebase import DAY_S, next_at


def sleep_from_setup(recording: Recording) -> tuple[Stretch, ...]:
    """Asleep by the times of the setup: `asleep_from` and `awake_from` ("22:30", "06:30") on the wall clock, each night."""
    down, up = recording.setup.get("asleep_from"), recording.setup.get("awake_from")
    if not isinstance(down, str) or not isinstance(up, str) or down == up:
        return ()
    end = recording.length_s + 1.0
    found: list[Stretch] = []
    cursor = -DAY_S
    while cursor < end:
        start = next_at(recording, down, cursor)
        stop = next_at(recording, up, start)
        if stop > 0 and start < end:
            found.append(Stretch(max(start, 0.0), stop, "asleep"))
        cursor = start + 3600.0
    return tuple(found)

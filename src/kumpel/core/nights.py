"""Spans of a recording between two times of day: nights by the recorder's settings, windows without a reading."""

from __future__ import annotations

from kumpel.core.recording import Recording
from kumpel.core.review import Stretch
from kumpel.core.timebase import DAY_S, next_at


def sleep_from_setup(recording: Recording) -> tuple[Stretch, ...]:
    """Asleep by the times of the setup: `asleep_from` and `awake_from` ("22:30", "06:30") on the wall clock, each night."""
    down, up = recording.setup.get("asleep_from"), recording.setup.get("awake_from")
    if not isinstance(down, str) or not isinstance(up, str) or down == up:
        return ()
    return wall_spans(recording, down, up, "asleep")


def wall_spans(recording: Recording, first: str, last: str, label: str) -> tuple[Stretch, ...]:
    """Every span of a recording between two different times of day on the wall, such as "22:30" and "06:30"; exact across a change of
    the clock. ValueError when one is no time of day."""
    end = recording.length_s + 1.0
    found: list[Stretch] = []
    cursor = -DAY_S
    while cursor < end:
        start = next_at(recording, first, cursor)
        stop = next_at(recording, last, start)
        if stop > 0 and start < end:
            found.append(Stretch(max(start, 0.0), stop, label))
        cursor = start + 3600.0
    return tuple(found)

"""Rows of a text file in UTC: by the offset each row carries, or by a wall clock followed over summer time."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import numpy as np

from kumpel.core.recording import Event, Floats
from kumpel.formats.times import Stamps

HOUR_S = 3600.0
FORWARD_MONTHS, BACK_MONTHS = (3, 4, 9, 10), (3, 4, 10, 11)
CHANGE_HOURS = (0, 1, 2, 3)
"""Clocks change on a Sunday in these months, at these hours of the wall clock (EU: 2000/84/EC; others alike)."""


@dataclass(frozen=True)
class InUtc:
    """Rows in UTC, shape (n,), in s; the offset of the earliest row in min; changes of the offset after it; notes."""

    seconds: Floats
    offset_min: int
    changes: tuple[tuple[float, int], ...]
    notes: tuple[str, ...]
    dated: bool = True

    def events(self) -> tuple[Event, ...]:
        """The changes as events of a recording that begins at the earliest row."""
        start = float(np.nanmin(self.seconds))
        return tuple(
            Event(
                round(at - start, 6),
                "utc-offset",
                f"the clock is {_hours(minutes)} h from UTC",
                {"utc_offset_min": minutes},
            )
            for at, minutes in self.changes
        )


def in_utc(stamps: Stamps, offset_min: int) -> InUtc:
    """Times of rows in UTC; `offset_min` is the offset of a wall clock at its earliest row.

    Rows with an offset of their own keep it. A wall clock without one is followed in the order of its rows: where it
    goes back by an hour, or skips one in a night in which clocks change, the offset changes, and a note says so.
    """
    offsets, notes = _filled(stamps.offsets_min)
    if np.isnan(offsets).all():
        wall = stamps.seconds
        offsets, notes = followed(wall, offset_min, stamps.dated)
        # A count of seconds, or a clock without a date, stays what it is but for the changes.
        seconds = wall - (offsets if stamps.dated else offsets - offset_min) * 60
    else:
        # Rows without an offset still show the wall clock.
        bare = np.isnan(stamps.offsets_min)
        seconds = np.where(bare, stamps.seconds - offsets * 60, stamps.seconds)
    order = np.argsort(seconds, kind="stable")
    order = order[~np.isnan(seconds[order])]
    if not len(order):
        return InUtc(seconds, offset_min, (), tuple(notes), stamps.dated)
    steps = np.flatnonzero(np.diff(offsets[order])) + 1
    changes = tuple((float(seconds[i]), int(offsets[i])) for i in order[steps].tolist())
    return InUtc(seconds, int(offsets[order[0]]), changes, tuple(notes), stamps.dated)


def _filled(offsets: Floats) -> tuple[Floats, list[str]]:
    """Offsets with those of rows that carry none taken from the row before (or the first that has one)."""
    known = ~np.isnan(offsets)
    if known.all() or not known.any():
        return offsets, []
    last = np.maximum.accumulate(np.where(known, np.arange(len(offsets)), -1))
    last[last < 0] = int(np.argmax(known))
    count = int(np.count_nonzero(~known))
    return offsets[last], [f"{count} rows carry no offset from UTC; the offset of the row before was taken"]


def followed(wall: Floats, offset_min: int, dated: bool) -> tuple[Floats, list[str]]:
    """Offset of each row of a wall clock in min, shape (n,), and what was noticed, in words.

    One step back by an hour (but for one usual step) is the end of summer time; several are, where each lies in a night
    in which clocks change. A step forward by an hour more than usual is its beginning only in such a night, when just
    the skipped hour is missing: else it is a gap.
    """
    rows = np.flatnonzero(~np.isnan(wall))
    offsets = np.full(len(wall), float(offset_min))
    steps = np.diff(wall[rows])
    forward = steps[steps > 0]
    if len(steps) < 3 or not len(forward):
        return offsets, []
    usual = float(np.median(forward))
    back = [i for i in np.flatnonzero(steps <= 0).tolist() if _is_back(steps, i, usual)]
    if len(back) > 1 or (back and steps[back[0]] == 0):
        back = [i for i in back if dated and _is_change_night(float(wall[rows[i]]), BACK_MONTHS)]
    skips = np.flatnonzero(np.abs(steps - HOUR_S - usual) <= 0.5 * usual).tolist() if dated else []
    ahead = [i for i in skips if _is_skipped_hour(float(wall[rows[i]]), usual)]
    notes = []
    for i in sorted([*back, *ahead]):
        row = int(rows[i + 1])
        minutes = -60 if i in back else 60
        offsets[row:] += minutes
        words = "back by an hour (end" if minutes < 0 else "forward by an hour (start"
        notes.append(f"row {row + 1}: the clock went {words} of summer time)")
    return offsets, notes


def _is_back(steps: Floats, i: int, usual: float) -> bool:
    """Whether step `i` is an hour back and one usual step on, and the hour was gone through before."""
    before = float(steps[i - 1]) if i else 0.0
    return abs(float(steps[i]) + HOUR_S - usual) <= max(usual, 1.0) and before < HOUR_S / 2 + usual


def _is_change_night(wall_s: float, months: tuple[int, ...]) -> bool:
    day = datetime.fromtimestamp(0, UTC) + timedelta(seconds=wall_s)
    return day.weekday() == 6 and day.month in months and day.hour in CHANGE_HOURS


def _is_skipped_hour(wall_s: float, usual: float) -> bool:
    """Whether the usual next row would lie just behind the full hour that clocks skip."""
    hour = math.floor(wall_s / HOUR_S) + 1
    begin = hour * HOUR_S
    return _is_change_night(begin, FORWARD_MONTHS) and wall_s + 1.5 * usual >= begin


def _hours(minutes: int) -> str:
    return f"{'-' if minutes < 0 else '+'}{abs(minutes) // 60}:{abs(minutes) % 60:02d}"

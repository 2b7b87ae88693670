"""The readings of a day on paper: a bar each, its ends square where they reach their limit, over activity and sleep."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from kumpel.core.assessment import Assessment, Level
from kumpel.core.recording import Floats, Recording
from kumpel.core.review import Stretch
from kumpel.core.timebase import DAY_S, wall_clock
from kumpel.reports.lanes import ASLEEP
from kumpel.reports.pictures import ABOVE, ACTION, GRID, INK, PETROL, SOFT, Canvas

WIDTH, LEFT, RIGHT = 510.0, 30.0, 484.0
ACTIVITY, GAP, PRESSURE, PULSE, FAILED = 13.0, 11.0, 96.0, 18.0, 10.0
BLUE = "#3a63a8"
TALL = {"moving": ACTIVITY, "resting": 7.0, "still": 2.5}
HOUR_S = 3600.0


def day_picture(recording: Recording, found: Assessment, left_out: Sequence[Stretch] = ()) -> str:
    """Readings, activity, pulse and failed tries of a recording over its clock, as SVG; stretches that were left out are hatched."""
    picture = _Picture(recording, found, left_out)
    picture.draw()
    return picture.canvas.svg()


class _Picture:
    def __init__(self, recording: Recording, found: Assessment, left_out: Sequence[Stretch]) -> None:
        self.recording, self.found, self.left_out, self.pressure = recording, found, left_out, PRESSURE
        self.length = max(recording.length_s, 60.0)
        self.top = ACTIVITY + GAP
        self.pulse_top = self.top + PRESSURE
        self.failed_top = self.pulse_top + PULSE
        self.bottom = self.failed_top + FAILED
        self.canvas = Canvas(WIDTH, self.bottom + 13)
        table = found.table("readings")
        names = [column.name for column in table.columns]
        self.rows = [dict(zip(names, row, strict=True)) for row in table.rows]
        self.low, self.high = self._scale()

    def draw(self) -> None:
        for stretch in self.found.stretches:
            self._band(stretch)
        for each in self.left_out:
            x = self._x(each.start_s)
            self.canvas.hatch(x, self.top, max(self._x(each.end_s) - x, 1.0), self.bottom - self.top)
        self._grid()
        self._activity()
        for level in self.found.levels:
            self._level(level)
        self._names_of_levels()
        for row in self.rows:
            self._reading(row)
        for a, b, _ in _rows(self.found, "quiet"):
            x = self._x(float(a))
            self.canvas.rect(x, self.failed_top + 2, self._x(float(b)) - x, FAILED - 4, "#d5d0c3")
            self.canvas.text(x + 1, self.failed_top + 8, "quiet", 6.5)
        for event in self.found.events:
            if event.code in ("button", "event") and event.kept:
                self._press(event.at_s, event.text)

    def _scale(self) -> tuple[float, float]:
        counted = [r for r in self.rows if not r["State"]]
        values = [*_usual([float(r["Systolic"]) for r in counted]), *_usual([float(r["Diastolic"]) for r in counted])]
        values += [level.value for level in self.found.levels]
        known = [v for v in values if not math.isnan(v)]
        if not known:
            return 60.0, 160.0
        return math.floor((min(known) - 3) / 20) * 20.0, math.ceil((max(known) + 3) / 20) * 20.0

    def _x(self, at_s: float) -> float:
        return LEFT + min(max(at_s, 0.0), self.length) / self.length * (RIGHT - LEFT)

    def _y(self, value: float) -> float:
        return self.pulse_top - 3 - (value - self.low) / (self.high - self.low) * (self.pressure - 6)

    def _band(self, stretch: Stretch) -> None:
        x = self._x(stretch.start_s)
        self.canvas.rect(x, 0, self._x(stretch.end_s) - x, self.bottom, ASLEEP)

    def _grid(self) -> None:
        canvas = self.canvas
        for value in np.arange(self.low, self.high + 1, 20.0).tolist():
            canvas.line(LEFT, self._y(value), RIGHT, self._y(value), GRID, 0.5)
            canvas.text(LEFT - 4, self._y(value) + 2.5, f"{value:.0f}", 7.5, anchor="end")
        for y, words in ((self.top - 3, "mmHg"), (self.pulse_top + 8, "pulse"), (self.failed_top + 8, "failed")):
            canvas.text(0, y, words, 7)
        if _rows(self.found, "activity"):
            canvas.text(0, 9, "activity", 7)
        for y in (self.pulse_top, self.failed_top, self.bottom):
            canvas.line(LEFT, y, RIGHT, y, SOFT, 0.4)
        for at, words in self._hours():
            canvas.line(self._x(at), self.bottom, self._x(at), self.bottom + 2, SOFT, 0.5)
            canvas.text(self._x(at), self.bottom + 10, words, 7.5, anchor="middle")

    def _hours(self) -> list[tuple[float, str]]:
        """Round hours of the wall clock, some eight of them; after a change of the clock they are met again."""
        step = next(s for s in (1, 2, 3, 4, 6, 12, 24) if self.length / HOUR_S / s <= 9)
        at: Floats = np.arange(0.0, self.length + 1, 60.0)
        wall = wall_clock(self.recording, at)
        minute = np.round(wall / 60).astype(np.int64)
        hit = np.flatnonzero(minute % (60 * step) == 0)
        first = [i for n, i in enumerate(hit.tolist()) if n == 0 or minute[i] != minute[hit[n - 1]]]
        return [(float(at[i]), f"{int(minute[i] // 60 % 24):02d}:00") for i in first]

    def _activity(self) -> None:
        for a, b, state in _rows(self.found, "activity"):
            x, width = self._x(float(a)), self._x(float(b)) - self._x(float(a))
            if state == "no data":
                self.canvas.hatch(x, 0, width, ACTIVITY)
            elif state == "resting":
                for y in np.arange(ACTIVITY - TALL["resting"], ACTIVITY, 2.4).tolist():
                    self.canvas.line(x, y, x + width, y, BLUE, 0.6)
            else:
                tall = TALL[str(state)]
                self.canvas.rect(x, ACTIVITY - tall, width, tall, BLUE)

    def _level(self, level: Level) -> None:
        y = self._y(level.value)
        self.canvas.line(self._x(level.start_s), y, self._x(level.end_s), y, INK, 0.7, "4 3")

    def _names_of_levels(self) -> None:
        """At the right what holds at the end, over the lines what holds meanwhile."""
        named: set[float] = set()
        for level in sorted(self.found.levels, key=lambda each: -each.end_s):
            if level.value in named:
                continue
            named.add(level.value)
            y = self._y(level.value)
            if level.end_s >= self.length - 1:
                self.canvas.text(RIGHT + 3, y + 2.5, f"{level.value:g}", 7.5, INK)
            else:
                middle = self._x((level.start_s + level.end_s) / 2)
                self.canvas.text(middle, y + 7, f"{level.value:g}", 7, INK, "middle")

    def _reading(self, row: dict[str, str | float]) -> None:
        x, canvas = self._x(float(row["Time"])), self.canvas
        systolic, diastolic, pulse = (float(row[name]) for name in ("Systolic", "Diastolic", "Pulse"))
        if math.isnan(systolic) or math.isnan(diastolic):
            y = self.failed_top + FAILED / 2
            canvas.line(x - 2.2, y - 2.2, x + 2.2, y + 2.2, INK, 0.9)
            canvas.line(x - 2.2, y + 2.2, x + 2.2, y - 2.2, INK, 0.9)
            return
        out = bool(row["State"])
        top, foot = self._y(min(systolic, self.high)), self._y(max(diastolic, self.low))
        canvas.line(x, top, x, foot, SOFT if out else "#6fa0ae", 1.0, "1.5 1.5" if out else "")
        if systolic > self.high:
            canvas.line(x - 2.4, self.top + 5, x, self.top + 1, ACTION, 1.0)
            canvas.line(x + 2.4, self.top + 5, x, self.top + 1, ACTION, 1.0)
        else:
            self._end(x, top, not out and self._reaches(row, "Systolic"), out)
        if diastolic >= self.low:
            self._end(x, foot, not out and self._reaches(row, "Diastolic"), out)
        if not math.isnan(pulse):
            y = self.failed_top - 3 - (min(max(pulse, 40.0), 120.0) - 40) / 80 * (PULSE - 6)
            canvas.dot(x, y, 1.3, SOFT if out else "#7a2f6b")

    def _reaches(self, row: dict[str, str | float], name: str) -> bool:
        """As the results say; those from before they did are held against the lines of their own time."""
        said = row.get("Reaches its limit")
        if said is not None:
            return said in (name.lower(), "both")
        at = float(row["Time"])
        lines = [v.value for v in self.found.levels if v.name.startswith(name.lower()) and v.start_s <= at < v.end_s]
        return any(float(row[name]) >= value for value in lines)

    def _end(self, x: float, y: float, high: bool, out: bool) -> None:
        if high:
            self.canvas.rect(x - 1.9, y - 1.9, 3.8, 3.8, ABOVE)
            return
        self.canvas.dot(x, y, 1.9, "#ffffff")
        self.canvas.dot(x, y, 1.9, SOFT if out else PETROL, filled=False)

    def _press(self, at_s: float, text: str) -> None:
        x, y = self._x(at_s), ACTIVITY + 7
        self.canvas.line(x, y, x, self.failed_top, ACTION, 0.5, "1 2")
        right = x > (LEFT + RIGHT) * 0.6
        words = "button" if text == "event button" else text
        self.canvas.text(x - 4 if right else x + 4, y + 2, words[:40], 7, INK, "end" if right else "start")


def _rows(found: Assessment, key: str) -> tuple[tuple[str | float, ...], ...]:
    """The rows of a table; none in results from before there was one."""
    return next((table.rows for table in found.tables if table.key == key), ())


def _usual(values: Sequence[float]) -> list[float]:
    """Values but for those far off (Tukey's far fences): an impossible one presses no other flat."""
    known = [v for v in values if not math.isnan(v)]
    if len(known) < 8:
        return known
    low, high = np.percentile(known, [25, 75])
    reach = 3 * max(float(high - low), 4.0)
    return [v for v in known if low - reach <= v <= high + reach]


def words(recording: Recording, found: Assessment) -> str:
    """What the picture shows, for those who cannot see it."""
    valid, tries = (int(found.figure(f"all.{key}").stated) for key in ("valid", "tries"))
    hours = recording.length_s / HOUR_S
    days = f"{recording.length_s / DAY_S:.0f} days" if hours > 36 else f"{hours:.0f} h"
    reach = f" {row[6]}." if (row := found.table("classes").rows[0])[6:] else ""
    return f"{valid} of {tries} readings over {days} as bars from diastolic to systolic, with activity, sleep and pulse.{reach}"

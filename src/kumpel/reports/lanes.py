"""Channels over time as lanes in one SVG: quick to draw whatever the length, true to every peak."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from kumpel.core.recording import Channel
from kumpel.core.review import Stretch
from kumpel.reports.pictures import GRID, INK, PETROL, SOFT, Canvas, LimitLine

WIDTH, LANE, GAP, LEFT, TOP = 760.0, 92.0, 22.0, 54.0, 34.0
COLUMNS = 700


@dataclass(frozen=True)
class Lane:
    """A channel with its limit lines, and event ticks (s after the start)."""

    channel: Channel
    lines: Sequence[LimitLine] = ()
    ticks_s: Sequence[float] = field(default_factory=tuple)


def _nice_steps(low: float, high: float) -> list[float]:
    rough = (high - low) / 4
    power = 10 ** math.floor(math.log10(rough))
    step = next(f * power for f in (1, 2, 5, 10) if f * power >= rough)
    first = math.ceil(low / step) * step
    return [first + i * step for i in range(int((high - first) / step + 1e-9) + 1)]


def draw(
    title: str, lanes: Sequence[Lane], length_s: float, start_clock_s: float, left_out: Sequence[Stretch] = ()
) -> str:
    """The lanes under each other on one time axis, with the wall clock below; `start_clock_s` in s of the day."""
    height = TOP + len(lanes) * (LANE + GAP) + 18
    canvas = Canvas(WIDTH, height)
    canvas.text(LEFT, 11, title, 9, INK)
    length = max(length_s, 1e-9)

    def x_of(at_s: float) -> float:
        return LEFT + at_s / length * (WIDTH - LEFT - 8)

    for number, lane in enumerate(lanes):
        _lane(canvas, lane, TOP + number * (LANE + GAP), length, x_of(0), x_of(length))
    bottom = TOP + len(lanes) * (LANE + GAP) - GAP + 4
    for stretch in left_out:
        canvas.hatch(
            x_of(stretch.start_s), TOP, max(x_of(min(stretch.end_s, length)) - x_of(stretch.start_s), 1.0), bottom - TOP
        )
    for at, words in _clock_marks(length, start_clock_s):
        canvas.line(x_of(at), bottom, x_of(at), bottom + 3, SOFT, 0.5)
        canvas.text(x_of(at), bottom + 11, words, 7.5, anchor="middle")
    return canvas.svg()


def _clock_marks(length_s: float, start_clock_s: float) -> list[tuple[float, str]]:
    step = next(
        (s for s in (1, 5, 10, 30, 60, 300, 600, 1800, 3600, 7200, 14_400, 43_200, 86_400) if length_s / s <= 10),
        864_000,
    )
    first = math.ceil(start_clock_s / step) * step
    marks = []
    at = first - start_clock_s
    while at <= length_s:
        second = round(start_clock_s + at) % 86_400
        words = f"{second // 3600:02d}:{second % 3600 // 60:02d}" + (f":{second % 60:02d}" if step < 60 else "")
        marks.append((at, words))
        at += step
    return marks


def _lane(canvas: Canvas, lane: Lane, top: float, length: float, left: float, right: float) -> None:
    channel = lane.channel
    low_of, high_of = channel.samples.extremes(COLUMNS)
    known = ~np.isnan(low_of)
    marks = [line.value for line in lane.lines]
    low = min([float(np.min(low_of[known], initial=math.inf)), *marks])
    high = max([float(np.max(high_of[known], initial=-math.inf)), *marks])
    if not math.isfinite(low) or not math.isfinite(high):
        low, high = 0.0, 1.0
    margin = (high - low) * 0.06 or max(abs(high), 1.0) * 0.05
    low, high = low - margin, high + margin
    bottom = top + LANE

    def y_of(value: float) -> float:
        return bottom - (value - low) / (high - low) * LANE

    canvas.text(left, top - 3, f"{channel.name}, {channel.unit}".rstrip(", "), 7.5)
    for value in _nice_steps(low, high):
        canvas.line(left, y_of(value), right, y_of(value), GRID, 0.5)
        canvas.text(left - 4, y_of(value) + 2.5, f"{value:g}" if abs(value) >= 1e-9 else "0", 7.5, anchor="end")
    # A column reaches to the one before it, so that a step is a line and not a gap.
    joined = np.flatnonzero(known[1:] & known[:-1]) + 1
    highest, lowest = high_of.copy(), low_of.copy()
    low_of[joined] = np.minimum(low_of[joined], highest[joined - 1])
    high_of[joined] = np.maximum(high_of[joined], lowest[joined - 1])
    width = (right - left) * min(channel.length_s / length, 1.0) / max(len(low_of), 1)
    for i in np.flatnonzero(known).tolist():
        a, b = y_of(float(high_of[i])), y_of(float(low_of[i]))
        canvas.rect(left + i * width, a - 0.4, max(width, 0.5), b - a + 0.8, PETROL)
    for line in lane.lines:
        canvas.line(left, y_of(line.value), right, y_of(line.value), line.colour, 0.8, "5 3")
        canvas.text(right - 1, y_of(line.value) - 2, f"{line.value:g} {line.text}", 7, INK, "end", halo=True)
    for at in lane.ticks_s:
        x = left + at / length * (right - left)
        canvas.line(x, bottom - 5, x, bottom, INK, 0.7)
    canvas.line(left, bottom, right, bottom, SOFT, 0.5)

"""Channels over time as lanes in one SVG: quick to draw whatever the length, true to every peak."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np

from kumpel.core.recording import Channel, Flags, Floats
from kumpel.core.review import Stretch
from kumpel.reports.pictures import GRID, INK, PETROL, SOFT, Canvas, LimitLine

ASLEEP = "#e3eef1"
WIDTH, LANE, GAP, LEFT, TOP = 760.0, 92.0, 22.0, 54.0, 34.0
COLUMNS = 700
FEWEST_USUAL = 8
"""Readings from which on it can be said that one is far off."""


@dataclass(frozen=True)
class Point:
    """A reading at a moment (s after the start): its value, or the two ends of a bar; whether it counts."""

    at_s: float
    value: float
    counts: bool
    low: float | None = None


@dataclass(frozen=True)
class Lane:
    """A channel with its limit lines, and event ticks (s after the start).

    `points` are readings at uneven times, drawn in place of samples.
    """

    channel: Channel
    lines: Sequence[LimitLine] = ()
    ticks_s: Sequence[float] = field(default_factory=tuple)
    points: Sequence[Point] = ()


def _nice_steps(low: float, high: float) -> list[float]:
    rough = (high - low) / 4
    power = 10 ** math.floor(math.log10(rough))
    step = next(f * power for f in (1, 2, 5, 10) if f * power >= rough)
    first = math.ceil(low / step) * step
    return [first + i * step for i in range(int((high - first) / step + 1e-9) + 1)]


def draw(
    title: str,
    lanes: Sequence[Lane],
    length_s: float,
    start_clock_s: float,
    left_out: Sequence[Stretch] = (),
    asleep: Sequence[Stretch] = (),
    lane_height: float = LANE,
    width: float = WIDTH,
    gap: float = GAP,
) -> str:
    """The lanes under each other on one time axis, with the wall clock below; `start_clock_s` in s of the day."""
    above = TOP if title else gap
    height = above + len(lanes) * (lane_height + gap) + 18
    canvas = Canvas(width, height)
    canvas.text(LEFT, 11, title, 9, INK)
    length = max(length_s, 1e-9)

    def x_of(at_s: float) -> float:
        return LEFT + at_s / length * (width - LEFT - 14)

    talls = _shares(lanes, lane_height)
    bottom = above + sum(talls) + len(lanes) * gap - gap + 4
    for stretch in asleep:
        first, end = x_of(max(stretch.start_s, 0.0)), x_of(min(stretch.end_s, length))
        canvas.rect(first, above, end - first, bottom - above, ASLEEP)
    top = above
    for lane, tall in zip(lanes, talls, strict=True):
        _lane(canvas, lane, top, tall, length, x_of(0), x_of(length))
        top += tall + gap
    for stretch in left_out:
        canvas.hatch(
            x_of(stretch.start_s),
            above,
            max(x_of(min(stretch.end_s, length)) - x_of(stretch.start_s), 1.0),
            bottom - above,
        )
    for at, words in _clock_marks(length, start_clock_s):
        canvas.line(x_of(at), bottom, x_of(at), bottom + 3, SOFT, 0.5)
        canvas.text(x_of(at), bottom + 11, words, 7.5, anchor="middle")
    return canvas.svg()


def _shares(lanes: Sequence[Lane], each: float) -> list[float]:
    """The heights of lanes that have `each` on average: what is held against lines, and bars, have more."""
    weights = [1.0 + 0.6 * bool(lane.lines) + 0.6 * any(p.low is not None for p in lane.points) for lane in lanes]
    total = sum(weights)
    return [each * len(lanes) * weight / total for weight in weights]


def _usual(low_of: Floats, high_of: Floats) -> tuple[float, float]:
    """Between which values readings lie but for one far off: Tukey's far fences, three times the middle half beyond it."""
    if len(low_of) < FEWEST_USUAL:
        return -math.inf, math.inf
    (low, a), (b, high) = (np.nanquantile(values, (0.25, 0.75)) for values in (low_of, high_of))
    reach = 3 * max(a - low, high - b, 1e-9)
    return float(low - reach), float(high + reach)


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


def _lane(canvas: Canvas, lane: Lane, top: float, tall: float, length: float, left: float, right: float) -> None:
    channel = lane.channel
    low_of, high_of = channel.samples.extremes(COLUMNS)
    if lane.points:
        high_of = np.array([p.value for p in lane.points], dtype=np.float64)
        low_of = np.array([p.value if p.low is None else p.low for p in lane.points], dtype=np.float64)
    known = ~np.isnan(low_of)
    marks = [line.value for line in lane.lines]
    floor, ceiling = _usual(low_of[known], high_of[known]) if lane.points else (-math.inf, math.inf)
    low = min([max(float(np.min(low_of[known], initial=math.inf)), floor), *marks])
    high = max([min(float(np.max(high_of[known], initial=-math.inf)), ceiling), *marks])
    if not math.isfinite(low) or not math.isfinite(high):
        low, high = 0.0, 1.0
    margin = (high - low) * 0.06 or max(abs(high), 1.0) * 0.05
    low, high = low - margin, high + margin
    bottom = top + tall

    def y_of(value: float) -> float:
        # A reading far off ends at the edge.
        return bottom - (min(max(value, low), high) - low) / (high - low) * tall

    canvas.text(left, top - 3, f"{channel.name}, {channel.unit}".rstrip(", "), 7.5)
    words = [f"{line.value:.4g} {line.text}" for line in lane.lines if line.text]
    canvas.text(right, top - 3, "; ".join(words), 7, SOFT, "end")
    for value in _nice_steps(low, high):
        canvas.line(left, y_of(value), right, y_of(value), GRID, 0.5)
        canvas.text(left - 4, y_of(value) + 2.5, f"{value:g}" if abs(value) >= 1e-9 else "0", 7.5, anchor="end")
    for line in lane.lines:
        first, last = (min(max(s, 0.0), length) for s in line.span_s or (0.0, length))
        ends = [left + s / length * (right - left) for s in (first, last)]
        canvas.line(ends[0], y_of(line.value), ends[1], y_of(line.value), line.colour, 0.8, "5 3")
    for p in lane.points:
        x = left + p.at_s / length * (right - left)
        if p.low is None:
            canvas.dot(x, y_of(p.value), 2.1, PETROL, filled=p.counts)
        else:
            _bar(canvas, x, y_of(p.low), y_of(p.value), PETROL if p.counts else SOFT)
    if not lane.points:
        _columns(canvas, lane, low_of, high_of, known, length, left, right, y_of)
    for at in lane.ticks_s:
        x = left + at / length * (right - left)
        canvas.line(x, bottom - 5, x, bottom, INK, 0.7)
    canvas.line(left, bottom, right, bottom, SOFT, 0.5)


def _bar(canvas: Canvas, x: float, low: float, high: float, colour: str) -> None:
    """A reading with two ends, such as a pressure; one that does not count is paler."""
    canvas.line(x, low, x, high, colour, 1.4)
    for y in (low, high):
        canvas.line(x - 2, y, x + 2, y, colour, 1.0)


def _columns(
    canvas: Canvas,
    lane: Lane,
    low_of: Floats,
    high_of: Floats,
    known: Flags,
    length: float,
    left: float,
    right: float,
    y_of: Callable[[float], float],
) -> None:
    # A column reaches to the one before it, so that a step is a line and not a gap.
    joined = np.flatnonzero(known[1:] & known[:-1]) + 1
    highest, lowest = high_of.copy(), low_of.copy()
    low_of[joined] = np.minimum(low_of[joined], highest[joined - 1])
    high_of[joined] = np.maximum(high_of[joined], lowest[joined - 1])
    width = (right - left) * min(lane.channel.length_s / length, 1.0) / max(len(low_of), 1)
    for i in np.flatnonzero(known).tolist():
        a, b = y_of(float(high_of[i])), y_of(float(low_of[i]))
        canvas.rect(left + i * width, a - 0.4, max(width, 0.5), b - a + 0.8, PETROL)

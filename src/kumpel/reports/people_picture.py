"""Everybody of a group on one scale: each measurement a dot, the mean of each, the group beneath, lines at the limits."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from kumpel.reports.pictures import ABOVE, ACTION, GRID, INK, PETROL, SOFT, Canvas, LimitLine

ROW, HEAD, FOOT = 13.0, 12.0, 16.0
LEFT, RIGHT, WIDE = 138.0, 452.0, 510.0


@dataclass(frozen=True)
class Row:
    """Somebody's measurements; `words` stands in place of dots where there are none. `out` are those that do not count."""

    name: str
    values: Sequence[float]
    mean: float
    out: Sequence[float] = ()
    words: str = ""


@dataclass(frozen=True)
class Whole:
    """The group: its mean, the span that is told with it, its 95th percentile; nan where not known."""

    mean: float
    low: float
    high: float
    p95: float


def people_on_one_scale(
    rows: Sequence[Row], whole: Whole | None, lines: Sequence[LimitLine], unit: str, *, logarithmic: bool
) -> str:
    """Dots of all on a scale that holds every value and every line; logarithmic for concentrations."""
    bottom = HEAD + ROW * (len(rows) + (whole is not None))
    canvas = Canvas(WIDE, bottom + FOOT)
    known = [v for row in rows for v in (*row.values, *row.out) if math.isfinite(v) and (v > 0 or not logarithmic)]
    known += [line.value for line in lines if line.value > 0 or not logarithmic]
    if whole is not None:
        known += [v for v in (whole.low, whole.high, whole.p95) if math.isfinite(v) and (v > 0 or not logarithmic)]
    at = math.log10 if logarithmic else float
    low, high = (at(min(known)), at(max(known))) if known else (0.0, 1.0)
    room = max((high - low) * 0.06, 0.02 if logarithmic else 1.0)
    low, high = low - room, high + room

    def x_of(value: float) -> float:
        if logarithmic and value <= 0:
            return LEFT
        return LEFT + (at(value) - low) / (high - low) * (RIGHT - LEFT)

    for value in marks(low, high, logarithmic=logarithmic):
        canvas.line(x_of(value), HEAD, x_of(value), bottom, GRID, 0.5)
        canvas.text(x_of(value), bottom + 9, f"{value:g}", 7.5, anchor="middle")
    last = -math.inf
    for line in sorted(lines, key=lambda each: each.value):
        canvas.line(x_of(line.value), HEAD - 3, x_of(line.value), bottom, INK, 0.7, "4 3")
        if x_of(line.value) - last > 24:
            canvas.text(x_of(line.value), HEAD - 5, f"{line.value:g}", 7, INK, "middle")
            last = x_of(line.value)
    for index, row in enumerate(rows):
        y = HEAD + ROW * (index + 0.5)
        canvas.line(0, y + ROW / 2, WIDE, y + ROW / 2, GRID, 0.4)
        canvas.text(0, y + 2.8, row.name if len(row.name) < 30 else f"{row.name[:28]}…", 8, INK)
        for value in row.out:
            canvas.dot(x_of(value), y, 2.2, SOFT, filled=False)
        for value in row.values:
            canvas.dot(x_of(value), y, 2.4, PETROL)
        if math.isfinite(row.mean):
            canvas.line(x_of(row.mean), y - 5, x_of(row.mean), y + 5, INK, 1.4)
            canvas.text(WIDE, y + 2.8, f"{row.mean:.3g}", 7.5, INK, "end")
        if row.words:
            canvas.text(LEFT + 4, y + 2.8, row.words, 7.5)
    if whole is not None:
        _group(canvas, whole, bottom - ROW / 2, x_of)
    canvas.text(WIDE, bottom + 9, unit, 7, anchor="end")
    return canvas.svg()


def _group(canvas: Canvas, whole: Whole, y: float, place: Callable[[float], float]) -> None:
    canvas.text(0, y + 2.8, "Group", 8, INK)
    if math.isfinite(whole.low) and math.isfinite(whole.high):
        canvas.line(place(whole.low), y, place(whole.high), y, INK, 1.2)
        for end in (whole.low, whole.high):
            canvas.line(place(end), y - 3, place(end), y + 3, INK, 1.2)
    if math.isfinite(whole.mean):
        canvas.dot(place(whole.mean), y, 3, INK)
        canvas.text(WIDE, y + 2.8, f"{whole.mean:.3g}", 7.5, INK, "end")
    if math.isfinite(whole.p95):
        canvas.line(place(whole.p95), y - 5, place(whole.p95), y + 5, ABOVE, 1.4)
        canvas.text(place(whole.p95) - 3, y - 3, "95 %", 6.5, ACTION, "end")


def marks(low: float, high: float, *, logarithmic: bool) -> list[float]:
    """Round values of a scale, of a logarithmic one (given as powers of ten) 1, 2 and 5 of each."""
    if not logarithmic:
        wide = (high - low) / 6
        step = 10 ** math.floor(math.log10(wide))
        step = next(step * k for k in (1, 2, 5, 10) if step * k >= wide)
        return [step * n for n in range(math.ceil(low / step), math.floor(high / step) + 1)]
    every = [k * 10.0**power for power in range(math.floor(low), math.ceil(high) + 1) for k in (1, 2, 5)]
    inside = [value for value in every if low <= math.log10(value) <= high]
    return inside if len(inside) < 9 else [v for v in inside if math.isclose(math.log10(v) % 1, 0, abs_tol=1e-9)]

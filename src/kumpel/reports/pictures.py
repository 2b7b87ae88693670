"""Pictures for paper, as SVG, in the look's colours.

Written directly as SVG: a page with three pictures takes a few milliseconds, so that a report per person for a whole
team stays instant.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from html import escape

import numpy as np

from kumpel.core.recording import Floats

PETROL, ACTION, ABOVE, INK, SOFT, GRID = "#0e6076", "#b8740b", "#ad3a1f", "#1d2b33", "#5d6a71", "#ece8de"
FONT = "Barlow Semi Condensed, sans-serif"


@dataclass(frozen=True)
class LimitLine:
    """A line at a value; without a `span` (s after the start) over the whole picture. Without a verdict it is only counted from."""

    value: float
    text: str
    verdict: str
    span_s: tuple[float, float] | None = None

    @property
    def colour(self) -> str:
        return {"": SOFT, "above limit": ABOVE}.get(self.verdict, ACTION)


class Canvas:
    """An SVG drawing in points, y downward."""

    def __init__(self, width: float, height: float) -> None:
        self.width, self.height = width, height
        self._parts: list[str] = []

    def line(self, x1: float, y1: float, x2: float, y2: float, colour: str, width: float = 0.6, dash: str = "") -> None:
        dashes = f' stroke-dasharray="{dash}"' if dash else ""
        self._parts.append(
            f'<line x1="{x1:.2f}" y1="{y1:.2f}" x2="{x2:.2f}" y2="{y2:.2f}" stroke="{colour}" stroke-width="{width}"{dashes}/>'
        )

    def rect(self, x: float, y: float, width: float, height: float, colour: str) -> None:
        if width > 0 and height > 0:
            self._parts.append(
                f'<rect x="{x:.2f}" y="{y:.2f}" width="{width:.2f}" height="{height:.2f}" fill="{colour}"/>'
            )

    def dot(self, x: float, y: float, radius: float, colour: str, *, filled: bool = True) -> None:
        look = f'fill="{colour}"' if filled else f'fill="none" stroke="{colour}" stroke-width="0.7"'
        self._parts.append(f'<circle cx="{x:.2f}" cy="{y:.2f}" r="{radius}" {look}/>')

    def hatch(self, x: float, y: float, width: float, height: float) -> None:
        """A left-out stretch: slanting lines on the ground colour."""
        self.rect(x, y, width, height, "#f6f4ef")
        offset = 4.0
        while offset < width + height:
            from_x, to_x = max(offset - height, 0.0), min(offset, width)
            self.line(x + from_x, y + offset - from_x, x + to_x, y + offset - to_x, "#9aa4a8", 0.6)
            offset += 4

    def path(self, d: str, colour: str, width: float = 0.6) -> None:
        """Lines by the letters of SVG paths, not filled."""
        if d:
            self._parts.append(f'<path d="{d}" fill="none" stroke="{colour}" stroke-width="{width}"/>')

    def text(
        self,
        x: float,
        y: float,
        words: str,
        size: float = 8,
        colour: str = SOFT,
        anchor: str = "start",
    ) -> None:
        self._parts.append(
            f'<text x="{x:.2f}" y="{y:.2f}" font-family="{FONT}" font-size="{size}" fill="{colour}" '
            f'text-anchor="{anchor}">{escape(words)}</text>'
        )

    def svg(self) -> str:
        size = f'width="{self.width}pt" height="{self.height}pt" viewBox="0 0 {self.width} {self.height}"'
        return f'<svg xmlns="http://www.w3.org/2000/svg" {size}>{"".join(self._parts)}</svg>'


def _colours(levels: Floats, lines: Sequence[LimitLine]) -> list[str]:
    rising = sorted(lines, key=lambda line: line.value)
    classes = np.searchsorted([line.value for line in rising], levels, side="right")
    palette = [PETROL, *(line.colour for line in rising)]
    return [palette[int(c)] for c in classes]


def level_over_time(
    hours: Floats,
    levels: Floats,
    left_out: Sequence[tuple[float, float]],
    lines: Sequence[LimitLine],
    unit: str,
    clock: Callable[[float], str] = lambda hour: f"{hour % 24:02.0f}:00",
) -> str:
    """Minute levels as bars over the wall clock (hours, shape (n,)), limit lines, hatched left-out stretches.

    The hours run on over a clock change; `clock` says what the wall shows at one of them.
    """
    canvas = Canvas(510, 156)
    # The names of the limits stand beside the bars, not on them.
    left, right, top, bottom = 26.0, 424.0 if lines else 506.0, 14.0, 142.0
    shown = ~np.isnan(levels)
    low = max(math.floor(float(np.min(levels[shown], initial=60)) / 10) * 10, 30)
    high = max(float(np.max(levels[shown], initial=90)), *(line.value for line in lines), low + 20) + 3
    begin = float(hours[0]) if len(hours) else 0.0
    end = float(hours[-1]) + 1 / 60 if len(hours) else begin + 1

    def x_of(hour: float) -> float:
        return left + (hour - begin) / (end - begin) * (right - left)

    def y_of(level: float) -> float:
        return bottom - (level - low) / (high - low) * (bottom - top)

    for value in range(int(low), int(high) + 1, 10):
        canvas.line(left, y_of(value), right, y_of(value), GRID, 0.5)
        canvas.text(left - 4, y_of(value) + 2.5, str(value), 7.5, anchor="end")
    width = max((right - left) / max(len(levels), 60) * 0.8, 0.2)
    for hour, level, colour in zip(hours[shown], levels[shown], _colours(levels[shown], lines), strict=True):
        canvas.rect(x_of(float(hour)), y_of(level), width, bottom - y_of(level), colour)
    for start, stop in left_out:
        canvas.hatch(x_of(start), top, max(x_of(stop) - x_of(start), 1.5), bottom - top)
    last = math.inf
    for line in sorted(lines, key=lambda each: each.value):
        y = y_of(line.value)
        canvas.line(left, y, right + 3, y, INK, 0.7, "5 3")
        last = min(y, last - 7.5)
        canvas.text(right + 5, last + 2.5, f"{line.value:g} {line.text}", 7, INK)
    for hour in range(math.ceil(begin), math.floor(end) + 1):
        canvas.line(x_of(hour), bottom, x_of(hour), bottom + 2.5, SOFT, 0.5)
        canvas.text(x_of(hour), bottom + 10, clock(hour), 7.5, anchor="middle")
    canvas.line(left, bottom, right, bottom, SOFT, 0.5)
    canvas.text(0, 7, unit, 7)
    return canvas.svg()


def bars(labels: Sequence[str], values: Sequence[float], texts: Sequence[str], highlight: Sequence[bool]) -> str:
    """Bars with their value on top; the highlighted ones in the colour of "above"."""
    canvas = Canvas(250, 105)
    bottom, step = 92.0, 250 / max(len(values), 4)
    scale = 78 / max([*values, 1e-9])
    for i, (label, value, words, strong) in enumerate(zip(labels, values, texts, highlight, strict=True)):
        x = i * step + step * 0.14
        canvas.rect(x, bottom - value * scale, step * 0.72, value * scale, ABOVE if strong else PETROL)
        canvas.text(i * step + step / 2, bottom - value * scale - 2.5, words, 7, INK, "middle")
        canvas.text(i * step + step / 2, bottom + 9, label, 7.5, anchor="middle")
    return canvas.svg()


def spread(edges: Floats, minutes: Floats, lines: Sequence[LimitLine], unit: str) -> str:
    """Time in each 1 dB class."""
    canvas = Canvas(250, 105)
    left, bottom, top = 22.0, 92.0, 8.0
    step = (250 - left) / max(len(edges), 10)
    most = float(np.max(minutes, initial=1e-9))
    for value in (most, most / 2):
        y = bottom - value / most * (bottom - top)
        canvas.line(left, y, 250, y, GRID, 0.5)
        canvas.text(left - 3, y + 2.5, f"{value:.0f}" if most >= 4 else f"{value:.1f}", 7, anchor="end")
    canvas.text(0, bottom + 9, "min", 7)
    for i, (edge, value, colour) in enumerate(zip(edges, minutes, _colours(edges, lines), strict=True)):
        height = value / most * (bottom - top)
        canvas.rect(left + i * step + step * 0.08, bottom - height, step * 0.84, height, colour)
        if edge % 10 == 0 and left + i * step < 225:
            canvas.text(left + i * step, bottom + 9, f"{edge:.0f}", 7.5, anchor="middle")
    canvas.text(250, bottom + 9, unit, 7, anchor="end")
    return canvas.svg()


@dataclass(frozen=True)
class Moved:
    """A figure before and after, in words, with its difference and the span it moves in by itself (nan: not known)."""

    label: str
    before: str
    after: str
    difference: float
    words: str
    span: float
    beyond: bool


def changes(moved: Sequence[Moved]) -> str:
    """Each difference from nought, beside the pale span of what is usual: a filled dot lies beyond it, an open one does not."""
    row = 15.0
    canvas = Canvas(510, row * len(moved) + 18)
    left, right = 210.0, 430.0
    known = [abs(m.difference) for m in moved if not math.isnan(m.difference)]
    most = max([10.0, *known, *(min(m.span, 60.0) for m in moved if not math.isnan(m.span))]) * 1.1
    middle, bottom = (left + right) / 2, row * len(moved) + 2

    def x_of(value: float) -> float:
        return min(max(middle + value / most * (right - left) / 2, left), right)

    for i, m in enumerate(moved):
        y = row * i + row / 2 + 1
        canvas.text(0, y + 3, m.label, 8.5, INK)
        canvas.text(196, y + 3, f"{m.before} \u2192 {m.after}", 8.5, SOFT, "end")
        if not math.isnan(m.span):
            canvas.rect(x_of(-m.span), y - 4.5, x_of(m.span) - x_of(-m.span), 9, GRID)
        if not math.isnan(m.difference):
            canvas.line(middle, y, x_of(m.difference), y, PETROL, 1.2, "" if m.beyond else "2 2")
            if not m.beyond:
                canvas.dot(x_of(m.difference), y, 3.0, "#ffffff")
            canvas.dot(x_of(m.difference), y, 3.0, PETROL, filled=m.beyond)
        canvas.text(508, y + 3, m.words, 8.5, INK, "end")
    canvas.line(middle, 0, middle, bottom, SOFT, 0.6)
    step = next(s for s in (1, 2, 5, 10, 20, 50, 100) if most / s <= 3)
    for n in range(-3, 4):
        if abs(n * step) <= most:
            canvas.text(x_of(n * step), bottom + 10, f"{n * step:+d}" if n else "0", 7, SOFT, "middle")
    return canvas.svg()

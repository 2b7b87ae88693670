"""An electrocardiogram on paper, true to scale: lines of a strip on its grid, with what happened over them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from kumpel.reports.pictures import ABOVE, INK, SOFT, Canvas

if TYPE_CHECKING:
    from kumpel.core.recording import Floats

MM = 72 / 25.4
"""Points of a millimetre."""
WIDTH_MM, HEIGHT_MM, ABOVE_MM, BELOW_MM = 175.0, 24.0, 4.5, 3.5
FINE, COARSE, WAVE = "#f0e2c8", "#dfc492", INK
PULSE_MM = 10.0
"""The mark of 1 mV at the left end of each line."""


@dataclass(frozen=True)
class Mark:
    """What happened at a point of a line (mm from its left end); a `loud` one is drawn through the whole line."""

    at_mm: float
    text: str
    loud: bool = False


def line(x_mm: Floats, y_mm: Floats, seconds: Sequence[tuple[float, str]], marks: Sequence[Mark], gain: float) -> str:
    """One line of a strip as SVG of its true size: points in mm from the left end and from the base line, shape (n,), nan where nothing
    was measured; `seconds` are places (mm) with their time. `gain` is how many mm a millivolt is high."""
    canvas = Canvas(WIDTH_MM * MM, (ABOVE_MM + HEIGHT_MM + BELOW_MM) * MM)
    top, base = ABOVE_MM * MM, (ABOVE_MM + HEIGHT_MM / 2) * MM
    for step, colour, width in ((1.0, FINE, 0.25), (5.0, COARSE, 0.4)):
        across = [f"M{x * MM:.3f} {top:.3f}v{HEIGHT_MM * MM:.3f}" for x in np.arange(0, WIDTH_MM + 1e-9, step)]
        along = [f"M0 {top + y * MM:.3f}h{WIDTH_MM * MM:.3f}" for y in np.arange(0, HEIGHT_MM + 1e-9, step)]
        canvas.path("".join(across + along), colour, width)
    half = HEIGHT_MM / 2
    canvas.path(_wave(x_mm, np.clip(y_mm, -half, half), base), WAVE, 0.5)
    for at, words in seconds:
        canvas.path(f"M{at * MM:.3f} {top + HEIGHT_MM * MM:.3f}v{1.2 * MM:.3f}", SOFT, 0.5)
        canvas.text(at * MM, top + (HEIGHT_MM + 3.2) * MM, words, 6, SOFT)
    free = 0.0
    for mark in marks:
        colour = ABOVE if mark.loud else SOFT
        canvas.path(
            f"M{mark.at_mm * MM:.3f} {top - 1}v{(HEIGHT_MM if mark.loud else 2) * MM:.3f}",
            colour,
            0.9 if mark.loud else 0.6,
        )
        if mark.at_mm * MM >= free:
            canvas.text(mark.at_mm * MM + 2, top - 2.5, mark.text, 6.5, colour)
            free = mark.at_mm * MM + 3.2 * len(mark.text) + 6
    canvas.path(f"M{0.4 * MM:.3f} {base:.3f}v{-gain * MM:.3f}h{1.6 * MM:.3f}v{gain * MM:.3f}", SOFT, 0.6)
    return canvas.svg()


def _wave(x_mm: Floats, y_mm: Floats, base: float) -> str:
    """The path of a line that is broken where nothing was measured."""
    known = ~np.isnan(y_mm)
    begins = known & ~np.concatenate(([False], known[:-1]))
    pieces = [
        f"{'M' if begin else 'L'}{x * MM:.2f} {base - y * MM:.2f}"
        for x, y, begin in zip(x_mm[known].tolist(), y_mm[known].tolist(), begins[known].tolist(), strict=True)
    ]
    return "".join(pieces)

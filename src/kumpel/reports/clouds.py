"""Every compression by its rate and depth, with the targets as a field."""

from __future__ import annotations

import numpy as np

from kumpel.core.recording import Floats
from kumpel.reports.pictures import GRID, INK, PETROL, SOFT, Canvas

WIDTH, HEIGHT, LEFT, FOOT, TOP = 510.0, 150.0, 34.0, 22.0, 8.0
RATES, DEPTHS = (60.0, 160.0), (20.0, 80.0)
"""What the axes show at least; what lies beyond is drawn at the edge."""


def draw(rates: Floats, depths: Floats, rate_target: tuple[float, float], depth_target: tuple[float, float]) -> str:
    """Rates in 1/min and depths in mm, shape (n,) each, nan where a depth was not measured: such a one is left out."""
    canvas = Canvas(WIDTH, HEIGHT)

    def x(rate: float) -> float:
        return LEFT + (rate - RATES[0]) / (RATES[1] - RATES[0]) * (WIDTH - LEFT - 6)

    def y(depth: float) -> float:
        return TOP + (depth - DEPTHS[0]) / (DEPTHS[1] - DEPTHS[0]) * (HEIGHT - TOP - FOOT)

    canvas.rect(x(rate_target[0]), y(depth_target[0]), x(rate_target[1]) - x(rate_target[0]), y(depth_target[1]) - y(depth_target[0]), "#e3efe9")  # fmt: skip
    for rate in np.arange(RATES[0], RATES[1] + 1, 20).tolist():
        canvas.line(x(rate), TOP, x(rate), HEIGHT - FOOT, GRID, 0.5)
        canvas.text(x(rate), HEIGHT - FOOT + 9, f"{rate:g}", 7.5, SOFT, "middle")
    for depth in np.arange(DEPTHS[0], DEPTHS[1] + 1, 10).tolist():
        canvas.line(LEFT, y(depth), WIDTH - 6, y(depth), GRID, 0.5)
        canvas.text(LEFT - 4, y(depth) + 2.5, f"{depth:g}", 7.5, SOFT, "end")
    for rate, depth in zip(rates.tolist(), depths.tolist(), strict=True):
        if np.isfinite(rate) and np.isfinite(depth):
            canvas.dot(x(min(max(rate, RATES[0]), RATES[1])), y(min(max(depth, DEPTHS[0]), DEPTHS[1])), 1.1, PETROL)
    canvas.text(WIDTH - 6, HEIGHT - 3, "rate, /min", 7.5, INK, "end")
    canvas.text(0, TOP + 2, "mm", 7.5, INK)
    return canvas.svg()

"""The course of a session as a picture for paper: where time is lost and gained, corners, lines, scale and north."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from kumpel.core.recording import Floats
from kumpel.reports.pictures import INK, SOFT, Canvas

LOST, GAINED, GROUND = "#c0653a", "#4a6fa5", "#e7e2d6"
WIDTH, HEIGHT, MARGIN = 262.0, 160.0, 12.0
MOST_SWELL = 9.0
"""Points: how far the largest loss swells outside of the line."""
TICK, NAME_OFF = 5.0, 9.0
SCALES_M = (10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10_000)


def draw(
    x: Floats,
    y: Floats,
    closed: bool,
    lines: Sequence[tuple[float, str]],
    corners: Sequence[tuple[float, str]],
    rate: Floats | None = None,
) -> str:
    """The middle line of a course (m east and north, shape (n,), its start first) as SVG.

    `lines` and `corners` are (share of the way 0..1, name). `rate`, shape (n,): how much slower (positive) or faster a lap
    is there than the one it is held against; it swells to the outer side where time is lost, to the inner where it is gained.
    """
    canvas = Canvas(WIDTH, HEIGHT)
    if len(x) < 3:
        return canvas.svg()
    wide, high = float(np.ptp(x)) or 1.0, float(np.ptp(y)) or 1.0
    scale = min((WIDTH - 2 * MARGIN) / wide, (HEIGHT - 2 * MARGIN - 14) / high)
    px = (x - x.min()) * scale + (WIDTH - wide * scale) / 2
    py = HEIGHT - MARGIN - 12 - (y - y.min()) * scale
    nx, ny = _outwards(px, py, closed)
    for i in range(len(px) - (0 if closed else 1)):
        j = (i + 1) % len(px)
        canvas.line(float(px[i]), float(py[i]), float(px[j]), float(py[j]), GROUND, 5)
    if rate is not None:
        _swell(canvas, px, py, nx, ny, rate)
    for i in range(len(px) - (0 if closed else 1)):
        j = (i + 1) % len(px)
        canvas.line(float(px[i]), float(py[i]), float(px[j]), float(py[j]), INK, 1)
    for share, name in lines:
        i = _index(share, len(px))
        ax, ay = float(nx[i]) * TICK, float(ny[i]) * TICK
        canvas.line(px[i] - ax, py[i] - ay, px[i] + ax, py[i] + ay, INK, 1.6 if name == "start" else 0.9)
        canvas.text(px[i] + 2.6 * ax, py[i] + 2.6 * ay + 2.5, name, 7, SOFT, "middle")
    for share, name in corners:
        i = _index(share, len(px))
        canvas.text(px[i] - NAME_OFF * nx[i], py[i] - NAME_OFF * ny[i] + 2.8, name, 8, INK, "middle")
    metres = next((m for m in SCALES_M if m * scale >= 32), SCALES_M[-1])
    bottom = HEIGHT - 5
    canvas.line(4, bottom, 4 + metres * scale, bottom, SOFT, 0.8)
    for end in (4.0, 4 + metres * scale):
        canvas.line(end, bottom - 2.5, end, bottom + 2.5, SOFT, 0.8)
    canvas.text(8 + metres * scale, bottom + 2.5, f"{metres} m", 7)
    canvas.line(WIDTH - 8, bottom, WIDTH - 8, bottom - 14, SOFT, 0.9)
    canvas.line(WIDTH - 8, bottom - 14, WIDTH - 10.5, bottom - 10, SOFT, 0.9)
    canvas.line(WIDTH - 8, bottom - 14, WIDTH - 5.5, bottom - 10, SOFT, 0.9)
    canvas.text(WIDTH - 8, bottom - 17, "N", 7, anchor="middle")
    return canvas.svg()


def _index(share: float, n: int) -> int:
    return min(max(round(share * n), 0), n - 1)


def _outwards(px: Floats, py: Floats, closed: bool) -> tuple[Floats, Floats]:
    """At each point the direction across the way that leads out of a loop; on an open course to the left."""
    if closed:
        dx, dy = np.roll(px, -1) - np.roll(px, 1), np.roll(py, -1) - np.roll(py, 1)
    else:
        dx, dy = np.gradient(px), np.gradient(py)
    length = np.maximum(np.hypot(dx, dy), 1e-9)
    nx, ny = dy / length, -dx / length
    area = float(np.sum(px * np.roll(py, -1) - np.roll(px, -1) * py)) if closed else 1.0
    return (nx, ny) if area > 0 else (-nx, -ny)


def _swell(canvas: Canvas, px: Floats, py: Floats, nx: Floats, ny: Floats, rate: Floats) -> None:
    most = float(np.nanmax(np.abs(rate))) if np.isfinite(rate).any() else 0.0
    if most <= 0 or not math.isfinite(most):
        return
    for i, value in enumerate(np.nan_to_num(rate).tolist()):
        out = value / most * MOST_SWELL
        if abs(out) < 0.4:
            continue
        canvas.line(px[i], py[i], px[i] + nx[i] * out, py[i] + ny[i] * out, LOST if out > 0 else GAINED, 1.7)

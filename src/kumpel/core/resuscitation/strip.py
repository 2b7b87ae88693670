"""The standard ECG grid: 25 mm/s and 10 mm/mV, so that a printed strip is true to scale."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kumpel.core.recording import Floats

MM_PER_S = 25.0
MM_PER_MV = 10.0
SOURCE = "AHA/ACCF/HRS recommendations for the standardization of the ECG, 2007; IEC 60601-2-25"


@dataclass(frozen=True)
class Strip:
    """One line of an ECG strip: its time in s, and its points in mm from the left end of its base line.

    `x_mm` and `y_mm` have shape (n,); y grows upwards; nan breaks the line where nothing was measured.
    """

    start_s: float
    end_s: float
    x_mm: Floats
    y_mm: Floats


def strips(ecg_mv: Floats, interval_s: float, width_mm: float, gain: float = 1.0, speed: float = 1.0) -> list[Strip]:
    """Lines of a given width that hold the whole ECG, at 25 mm/s x speed and 10 mm/mV x gain.

    10 s fill 250 mm. `ecg_mv` in mV, shape (n,). Raises ValueError for a width, gain or speed that is not above 0.
    """
    if not (width_mm > 0 and gain > 0 and speed > 0):
        raise ValueError("width, gain and speed must be above 0")
    per_mm = MM_PER_S * speed
    each = max(int(width_mm / per_mm / interval_s + 1e-9), 1)
    found = []
    for first in range(0, len(ecg_mv), each):
        part = ecg_mv[first : first + each]
        x = np.arange(len(part), dtype=np.float64) * interval_s * per_mm
        found.append(Strip(first * interval_s, (first + len(part)) * interval_s, x, part * (MM_PER_MV * gain)))
    return found


def grid_lines(width_mm: float, height_mm: float) -> tuple[Floats, Floats, Floats, Floats]:
    """Positions in mm of the fine (1 mm) and coarse (5 mm) lines: fine x, coarse x, fine y, coarse y.

    A coarse square is 0.2 s wide and 0.5 mV high.
    """
    fine_x, fine_y = np.arange(0, width_mm + 1e-9, 1.0), np.arange(0, height_mm + 1e-9, 1.0)
    return fine_x, fine_x[::5], fine_y, fine_y[::5]

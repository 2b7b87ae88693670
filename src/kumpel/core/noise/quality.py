"""Bad data of a personal noise meter: overload, a meter lying in a drawer, knocks. Suggests, never acts."""

from __future__ import annotations

import numpy as np

from kumpel.core.assessment import Suggestion
from kumpel.core.recording import Flags, Floats
from kumpel.core.runs import merge, runs

FLAT_SPREAD_DB = 2.0
FLAT_RUN_S = 600.0
KNOCK_PEAK_ABOVE_LEVEL_DB = 40.0
KNOCK_MARGIN_S = 2.0
KNOCK_MIN_PEAK_DB = 120.0


def overloads(overload: Floats, interval_s: float) -> list[Suggestion]:
    """Stretches whose overload flag is set; neighbours within 5 s joined."""
    text = "the meter's input was overloaded: levels are too low"
    spans = runs(np.nan_to_num(overload) > 0).astype(np.float64) * interval_s
    return [Suggestion(a, b, "overload", text) for a, b in merge(spans, 5.0)]


def implausible(values: Floats, highest_db: float) -> Flags:
    """Flags of levels that no personal meter can have measured: below 0 dB or above `highest_db`, shape (n,)."""
    with np.errstate(invalid="ignore"):
        found: Flags = (values < 0) | (values > highest_db)
    return found


def flat_lines(levels: Floats, motion: Floats, interval_s: float) -> list[Suggestion]:
    """Stretches of at least ten minutes without motion in which the level stays within 2 dB."""
    shortest = max(int(FLAT_RUN_S / interval_s), 1)
    found: list[Suggestion] = []
    still = runs(np.nan_to_num(motion, nan=1.0) == 0)
    for first, end in still[still[:, 1] - still[:, 0] >= shortest].tolist():
        cursor = first
        while end - cursor >= shortest:
            stop = _flat_until(levels, cursor, end)
            if stop - cursor >= shortest:
                text = "no motion and less than 2 dB spread: was the meter worn?"
                found.append(Suggestion(cursor * interval_s, stop * interval_s, "flat", text))
            cursor = max(stop, cursor + 1)
    return found


def _flat_until(levels: Floats, first: int, end: int) -> int:
    """Index at which the spread since `first` reaches 2 dB; windows double so that noisy data stays cheap."""
    window = 64
    while True:
        part = levels[first : min(first + window, end)]
        spread = np.fmax.accumulate(part) - np.fmin.accumulate(part)
        over = np.flatnonzero(np.nan_to_num(spread) >= FLAT_SPREAD_DB)
        if len(over):
            return first + int(over[0])
        if first + window >= end:
            return end
        window *= 2


def knocks(levels: Floats, peaks: Floats, interval_s: float) -> list[Suggestion]:
    """Seconds with a C peak of 120 dB or more that stands 40 dB or more above the level of its second."""
    excess = peaks - levels
    with np.errstate(invalid="ignore"):
        hit = (peaks >= KNOCK_MIN_PEAK_DB) & (excess >= KNOCK_PEAK_ABOVE_LEVEL_DB)
    spans = runs(hit).astype(np.float64) * interval_s + np.array([-KNOCK_MARGIN_S, KNOCK_MARGIN_S])
    text = "a peak without level: the meter was probably knocked"
    return [Suggestion(a, b, "knock", text) for a, b in merge(np.maximum(spans, 0), 10.0)]

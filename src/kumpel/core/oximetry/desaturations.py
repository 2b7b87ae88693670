"""Desaturations and pulse rises of an overnight oximetry."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kumpel.core.recording import Flags, Floats
from kumpel.core.runs import runs

BASELINE_S = 120.0
SHORTEST_S = 10.0
LONGEST_S = 180.0
BACK_WITHIN = 1.0
FEWEST_BASELINE_S = 30.0
LARGEST_JUMP = 4.0
LOWEST = 50.0
_SLACK = 1e-9


@dataclass(frozen=True)
class Desaturation:
    """A fall of the saturation: start and end in s, baseline before it and its lowest value in %."""

    start_s: float
    end_s: float
    baseline: float
    lowest: float

    @property
    def fall(self) -> float:
        return self.baseline - self.lowest

    @property
    def length_s(self) -> float:
        return self.end_s - self.start_s


def jumps(spo2: Floats, interval_s: float, usable: Flags) -> Flags:
    """Samples that differ from the last good one by more than 4 points per second of the time between, shape (n,).

    A step to a new level is doubted only until the time since the last good sample allows it. Samples that are
    not usable are passed over.
    """
    flags = np.zeros(len(spo2), dtype=bool)
    good = np.flatnonzero(usable)
    if len(good) < 2:
        return flags
    steps = np.abs(np.diff(spo2[good])) > LARGEST_JUMP * interval_s * np.diff(good) + _SLACK
    cursor = 0
    for at in np.flatnonzero(steps).tolist():
        if at < cursor:
            continue
        last = good[at]
        cursor = at + 1
        while cursor < len(good):
            i = good[cursor]
            if abs(spo2[i] - spo2[last]) <= LARGEST_JUMP * interval_s * (i - last) + _SLACK:
                break
            flags[i] = True
            cursor += 1
    return flags


def baseline(spo2: Floats, interval_s: float) -> Floats:
    """Mean of the valid samples of the preceding 120 s for each sample, shape (n,).

    nan where fewer than 30 s of them were valid.
    """
    known = ~np.isnan(spo2)
    per = max(round(BASELINE_S / interval_s), 1)
    sums = np.concatenate(([0.0], np.cumsum(np.where(known, spo2, 0.0))))
    counts = np.concatenate(([0], np.cumsum(known))).astype(np.int32)
    n = len(spo2)
    result, used = sums[:n].copy(), counts[:n].copy()
    result[per:] -= sums[: max(n - per, 0)]
    used[per:] -= counts[: max(n - per, 0)]
    with np.errstate(invalid="ignore", divide="ignore"):
        result /= used
    result[used * interval_s < FEWEST_BASELINE_S - _SLACK] = np.nan
    return result


def desaturations(spo2: Floats, interval_s: float, points: float) -> list[Desaturation]:
    """Falls of at least `points` below the baseline for at least 10 s.

    A fall begins at a sample at least `points` below the mean of the valid samples of the 120 s before it, and
    that baseline stays with it. It counts when the saturation remains that low for 10 s. It ends when the
    saturation is back within 1 point of the baseline, or after 180 s; the next one begins after that. Samples
    of nan neither keep nor end a fall, but a gap of more than 10 s ends it at the last valid sample before.

    `spo2` in %, shape (n,), nan where not valid. Own rule of this kind, docs/methods/oximetry.md.
    """
    if not len(spo2):
        return []
    level = baseline(spo2, interval_s)
    with np.errstate(invalid="ignore"):
        low = spo2 <= level - points + _SLACK
    found: list[Desaturation] = []
    valid = np.flatnonzero(~np.isnan(spo2))
    after = 0
    for at in np.flatnonzero(low).tolist():
        if at < after:
            continue
        one = _follow(spo2, valid, at, float(level[at]), points, interval_s)
        if one is not None:
            found.append(one[0])
            after = one[1]
    return found


def _follow(
    spo2: Floats, valid: NDArray[np.intp], at: int, level: float, points: float, interval_s: float
) -> tuple[Desaturation, int] | None:
    """The fall that begins at sample `at`, and the sample from which the next may begin; None when it is too short."""
    end = int(at + round(LONGEST_S / interval_s))
    first = int(np.searchsorted(valid, at))
    samples = valid[first : int(np.searchsorted(valid, end))]
    apart = np.flatnonzero(np.diff(samples) * interval_s > SHORTEST_S + _SLACK)
    cut = len(apart) > 0
    if cut:
        samples = samples[: apart[0] + 1]
    values = spo2[samples]
    above = np.flatnonzero(values > level - points + _SLACK)
    # The samples cover the time from the first one to the one that is no longer low.
    until = samples[above[0]] if len(above) else samples[-1] + 1
    if (until - at) * interval_s < SHORTEST_S - _SLACK:
        return None
    back = np.flatnonzero(values >= level - BACK_WITHIN - _SLACK)
    if len(back):
        stop = int(samples[back[0]])
        inside = values[: back[0]]
    else:
        stop = int(samples[-1]) + 1
        inside = values
    return Desaturation(at * interval_s, stop * interval_s, level, float(inside.min())), stop


def pulse_rises(
    pulse: Floats, interval_s: float, rise: float = 6.0, within_s: float = 10.0
) -> list[tuple[float, float]]:
    """Start and end in s of rises of the pulse by at least `rise` bpm within `within_s`.

    A sample is in a rise when it stands that far above the lowest valid one of the preceding `within_s`;
    neighbours closer than `within_s` are one rise.
    """
    n, per = len(pulse), max(round(within_s / interval_s), 1)
    if n < 2:
        return []
    lowest = np.full(n, np.nan)
    for back in range(1, min(per, n - 1) + 1):
        lowest[back:] = np.fmin(lowest[back:], pulse[:-back])
    with np.errstate(invalid="ignore"):
        hit = pulse - lowest >= rise - _SLACK
    spans: list[tuple[float, float]] = []
    for first, end in runs(hit).tolist():
        if spans and first * interval_s - spans[-1][1] < within_s:
            spans[-1] = (spans[-1][0], end * interval_s)
        else:
            spans.append((first * interval_s, end * interval_s))
    return spans

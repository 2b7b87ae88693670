"""Synthetic ECG leads: P, QRS and T waves as sums of Gaussians at known beat times."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
# Offset from the R peak in s, width in s, height in mV: P, Q, R, S, T of a sinus beat.
SINUS = ((-0.17, 0.022, 0.12), (-0.026, 0.009, -0.12), (0.0, 0.011, 1.0), (0.028, 0.010, -0.22), (0.26, 0.045, 0.28))
# A ventricular beat: no P, broad and tall, T opposite.
ECTOPIC = ((0.0, 0.035, 1.15), (0.085, 0.035, -0.45), (0.28, 0.06, -0.30))


@dataclass(frozen=True)
class Heart:
    """A heart: rate in bpm at knots (s), beat-to-beat variation (standard deviation, s), share of ectopic beats."""

    rate_bpm: tuple[tuple[float, float], ...] = ((0.0, 58.0),)
    variation_s: float = 0.02
    ectopic_share: float = 0.0
    amplitude_mv: float = 1.0
    inverted: bool = False


def beat_times(heart: Heart, length_s: float, rng: np.random.Generator) -> tuple[Floats, NDArray[np.bool_]]:
    """Times of the R peaks in s, and which beats are ectopic (early, followed by a pause)."""
    knots = np.array(heart.rate_bpm)
    times: list[float] = []
    ectopic: list[bool] = []
    at, owed = 0.4, 0.0
    while at < length_s - 0.4:
        rr = 60.0 / float(np.interp(at, knots[:, 0], knots[:, 1]))
        early = bool(times) and owed == 0.0 and rng.random() < heart.ectopic_share
        if early:
            at -= rr * 0.32
            owed = rr * 0.32
        times.append(at)
        ectopic.append(early)
        breath = 0.6 * heart.variation_s * np.sin(2 * np.pi * at / 4.2)
        at += rr + (owed if early else 0.0) + float(breath) + rng.normal(0, 0.5 * heart.variation_s)
        if not early:
            owed = 0.0
    return np.array(times), np.array(ectopic, dtype=bool)


def lead(
    times_s: Floats,
    ectopic: NDArray[np.bool_],
    length_s: float,
    interval_s: float,
    heart: Heart,
    rng: np.random.Generator,
) -> Floats:
    """The lead in mV, shape (n,), without noise."""
    n = round(length_s / interval_s)
    found = np.zeros(n)
    heights = heart.amplitude_mv * (1 + 0.08 * rng.normal(0, 1, len(times_s))) * (-1 if heart.inverted else 1)
    for waves, which in ((SINUS, ~ectopic), (ECTOPIC, ectopic)):
        for offset, width, height in waves:
            reach = int(4 * width / interval_s) + 1
            steps = np.arange(-reach, reach + 1)
            centres = (times_s[which] + offset) / interval_s
            at = np.rint(centres).astype(int)[:, None] + steps[None, :]
            distance = (at - centres[:, None]) * interval_s
            wave = height * heights[which][:, None] * np.exp(-0.5 * (distance / width) ** 2)
            inside = (at >= 0) & (at < n)
            np.add.at(found, at[inside], wave[inside])
    return found

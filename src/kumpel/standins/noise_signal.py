"""Synthetic shifts of a personal noise meter, seeded, with everything an analysis should find as a parameter."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Segment:
    """A stretch of the shift: task, length in s, mean level in dB(A), spread in dB; worn or lying in a drawer."""

    task: str
    length_s: int
    level_db: float
    spread_db: float = 3.0
    worn: bool = True


@dataclass(frozen=True)
class Shift:
    """A shift's segments and faults. Times in s from the start."""

    segments: tuple[Segment, ...]
    seed: int
    knocks_s: tuple[int, ...] = ()
    overloads_s: tuple[tuple[int, int], ...] = ()
    gaps_s: tuple[tuple[int, int], ...] = ()
    impacts_s: tuple[int, ...] = ()
    impact_peak_db: float = 133.0


@dataclass(frozen=True)
class Signal:
    """Channels by key, shape (n,) each, and the shift that made them."""

    channels: dict[str, Floats]
    shift: Shift
    length_s: int = field(default=0)


def usual_shift(seed: int, length_s: int = 27_660, loud_db: float = 93.0, base_db: float = 80.0) -> Shift:
    """Feed control, break, liner change (loud), break, washing down; one knock and one impact."""
    rng = np.random.default_rng(seed)
    shares = [
        ("feed control", 0.34, base_db + rng.normal(0, 1), 3.0),
        ("break", 0.055, 63.0, 2.5),
        ("feed control", 0.13, base_db + rng.normal(0, 1), 3.0),
        ("liner change", 0.14, loud_db + rng.normal(0, 1), 2.5),
        ("feed control", 0.03, base_db, 3.0),
        ("break", 0.07, 64.0, 2.5),
        ("washing down", 0.235, base_db + 1.5 + rng.normal(0, 1), 3.0),
    ]
    segments = [Segment(t, int(length_s * s), float(level), spread) for t, s, level, spread in shares]
    rest = length_s - sum(s.length_s for s in segments)
    segments[-1] = Segment(*_of(segments[-1], segments[-1].length_s + rest))
    at = int(length_s * 0.41)
    return Shift(tuple(segments), seed, knocks_s=(at,), impacts_s=(int(length_s * rng.uniform(0.55, 0.65)),))


def _of(segment: Segment, length_s: int) -> tuple[str, int, float, float, bool]:
    return segment.task, length_s, segment.level_db, segment.spread_db, segment.worn


def make(shift: Shift, setups: int = 3) -> Signal:
    """One sample a second: levels and maxima per set-up, C peak, motion, overload."""
    rng = np.random.default_rng(shift.seed)
    levels = np.concatenate([_segment(rng, s) for s in shift.segments] or [np.empty(0)])
    motion = np.concatenate(
        [(rng.random(s.length_s) < 0.7).astype(float) if s.worn else np.zeros(s.length_s) for s in shift.segments]
        or [np.empty(0)]
    )
    n = len(levels)
    peak = levels + 14 + np.abs(rng.normal(0, 2.5, n)) + rng.exponential(1.2, n)
    overload = np.zeros(n)
    for at in shift.knocks_s:
        peak[at] = max(levels[at] + 48, 128.0)
    for at in shift.impacts_s:
        levels[at] = max(levels[at], shift.impact_peak_db - 32)
        peak[at] = shift.impact_peak_db
    for a, b in shift.overloads_s:
        overload[a:b] = 1
    channels: dict[str, Floats] = {}
    for number in range(1, setups + 1):
        shown = levels if number == 1 else _slow(levels)
        channels[f"leq.{number}"] = shown
        channels[f"max.{number}"] = shown + np.abs(rng.normal(0, 1.5, n))
    channels |= {"peak": peak, "motion": motion, "overload": overload}
    for a, b in shift.gaps_s:
        for values in channels.values():
            values[a:b] = np.nan
    return Signal({k: np.asarray(v) for k, v in channels.items()}, shift, n)


def _segment(rng: np.random.Generator, segment: Segment) -> Floats:
    """A slow wander (minutes) and a fast flicker (seconds) about the mean level."""
    n = segment.length_s
    if not segment.worn:
        return segment.level_db + rng.uniform(-0.4, 0.4, n)
    knots = rng.normal(0, segment.spread_db * 0.6, n // 90 + 3)
    wander = np.interp(np.arange(n) / 90, np.arange(len(knots)), knots)
    return segment.level_db + wander + rng.normal(0, segment.spread_db * 0.7, n)


def _slow(levels: Floats) -> Floats:
    """About what a slow (1 s) time weighting makes of the second's levels: a one-pole smoothing of energy."""
    energy = 10 ** (levels / 10)
    smooth = energy.copy()
    smooth[1:] = 0.63 * energy[1:] + 0.37 * energy[:-1]
    return 10 * np.log10(smooth)

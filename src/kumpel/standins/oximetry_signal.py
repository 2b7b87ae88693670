"""Synthetic nights of an oximeter: a steady saturation, falls of known depth, artefacts, probe off, movement."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kumpel.formats.krec import Recording
from kumpel.standins.made import Made, channel

EVENING = 1_795_125_600.0
"""2026-11-19 22:00 UTC."""


@dataclass(frozen=True)
class Fall:
    """A desaturation: start, time down to the lowest value, time there, time back (s), depth in points."""

    start_s: float
    down_s: float
    low_s: float
    back_s: float
    depth: float


@dataclass(frozen=True)
class Night:
    """A night. Levels in % and bpm; spans in s. `noise` is the standard deviation before rounding to whole percent."""

    seed: int = 1
    length_s: float = 8 * 3600.0
    interval_s: float = 1.0
    level: float = 96.5
    noise: float = 0.3
    falls: tuple[Fall, ...] = ()
    probe_off_s: tuple[tuple[float, float], ...] = ()
    movement_s: tuple[tuple[float, float], ...] = ()
    spikes_s: tuple[float, ...] = ()
    pulse: float = 62.0
    pulse_rises_s: tuple[float, ...] = ()


def usual_night(seed: int, falls: int = 40, length_s: float = 8 * 3600.0) -> Night:
    """Falls of 3 to 12 points at least three minutes apart, one probe off, some movement, three spikes."""
    rng = np.random.default_rng(seed)
    slots = rng.permutation(np.arange(2, int(length_s / 240) - 3))[:falls]
    made = tuple(
        Fall(
            float(s) * 240 + 10,
            float(rng.integers(8, 20)),
            float(rng.integers(12, 35)),
            float(rng.integers(5, 15)),
            float(rng.choice([3.5, 5.5, 6.5, 8.5, 12.5])),
        )
        for s in sorted(slots.tolist())
    )
    free = [s for s in range(2, int(length_s / 240) - 3) if s not in set(slots.tolist())]
    spikes = tuple(float(s) * 240 + 100 for s in free[:3])
    rises = tuple(float(s) * 240 + 60 for s in free[3:13])
    return Night(
        seed,
        length_s,
        falls=made,
        spikes_s=spikes,
        pulse_rises_s=rises,
        probe_off_s=((length_s - 300, length_s),),
        movement_s=((20.0, 60.0),),
    )


def make(night: Night) -> Made:
    """Channels spo2, pulse, movement, probe_off, and the falls put in."""
    rng = np.random.default_rng(night.seed)
    n = int(night.length_s / night.interval_s)
    at = np.arange(n) * night.interval_s
    spo2, steady = np.full(n, night.level), np.ones(n)
    for f in night.falls:
        knots = f.start_s + np.cumsum([0, f.down_s, f.low_s, f.back_s])
        spo2 -= np.interp(at, knots, [0, f.depth, f.depth, 0])
        steady -= np.interp(at, knots, [0, 1, 1, 0])
    # At its lowest a fall is free of noise, so that its length is what was put in.
    spo2 += rng.normal(0, night.noise, n) * np.clip(steady, 0, 1)
    pulse = night.pulse + rng.normal(0, 0.6, n)
    for start in night.pulse_rises_s:
        pulse += np.interp(at, [start, start + 6, start + 12, start + 25], [0, 12, 12, 0])
    spo2 = np.minimum(np.rint(spo2), 100.0)
    for start in night.spikes_s:
        spo2[int(start / night.interval_s)] -= 25

    def flags(spans: tuple[tuple[float, float], ...]) -> np.ndarray:
        found = np.zeros(n)
        for a, b in spans:
            found[(at >= a) & (at < b)] = 1
        return found

    off, moving = flags(night.probe_off_s), flags(night.movement_s)
    spo2[off > 0] = np.nan
    channels = {
        "spo2": channel("spo2", "SpO2", "%", night.interval_s, spo2),
        "pulse": channel("pulse", "Pulse", "bpm", night.interval_s, np.where(off > 0, np.nan, np.rint(pulse))),
        "movement": channel("movement", "Movement", "flag", night.interval_s, moving),
        "probe_off": channel("probe_off", "Probe off", "flag", night.interval_s, off),
    }
    bad = int(np.count_nonzero((off > 0) | (moving > 0))) + len(night.spikes_s)
    truth = {
        "falls": [[f.start_s, f.depth] for f in night.falls],
        "count3": sum(f.depth >= 3.4 for f in night.falls),
        "count4": sum(f.depth >= 4.5 for f in night.falls),
        "valid_s": (n - bad) * night.interval_s,
        "pulse_rises": len(night.pulse_rises_s),
    }
    setup = {"run_length_min": night.length_s / 60, "interval_s": night.interval_s}
    return Made(
        Recording("oximetry", EVENING, 60, channels, (), setup, {"serial": "OX-0001", "model": "made up"}), truth
    )

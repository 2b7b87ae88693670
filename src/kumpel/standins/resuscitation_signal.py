"""Synthetic resuscitations: trains of compressions of known rate and depth, shocks, prompts, an ECG."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from kumpel.formats.krec import Event, Recording
from kumpel.standins.heart_signal import Heart, beat_times, lead
from kumpel.standins.made import START, Made, channel


@dataclass(frozen=True)
class Train:
    """Compressions from `start_s` on: how many, rate in 1/min, depth in mm."""

    start_s: float
    count: int
    rate: float = 110.0
    depth: float = 55.0


@dataclass(frozen=True)
class Resuscitation:
    """A resuscitation. `jitter` is the standard deviation of intervals (share) and depths (mm x 100)."""

    seed: int = 1
    length_s: float = 600.0
    interval_s: float = 0.004
    trains: tuple[Train, ...] = ()
    shocks_s: tuple[float, ...] = ()
    jitter: float = 0.0
    pads_off_s: tuple[tuple[float, float], ...] = ()


def usual_resuscitation(seed: int) -> Resuscitation:
    """Two minutes of compressions, analysis and shock, and so on, five times."""
    rng = np.random.default_rng(seed)
    trains, shocks, at = [], [], 35.0
    for _ in range(5):
        rate = float(rng.uniform(96, 124))
        count = int(rng.uniform(80, 100) / 60 * rate)
        trains.append(Train(at, count, rate, float(rng.uniform(44, 62))))
        at += count * 60 / rate + float(rng.uniform(6, 14))
        shocks.append(at - 3.0)
    return Resuscitation(seed, at + 20, trains=tuple(trains), shocks_s=tuple(shocks[:3]), jitter=0.03)


def make(given: Resuscitation) -> Made:
    """Events and an ECG in mV, and the truth: compressions, mean rate and depth, pauses."""
    rng = np.random.default_rng(given.seed)
    times: list[float] = []
    depths: list[float] = []
    spans = []
    for train in given.trains:
        steps = 60 / train.rate * (1 + given.jitter * rng.normal(0, 1, train.count - 1))
        moments_s = train.start_s + np.concatenate(([0.0], np.cumsum(steps)))
        times += moments_s.tolist()
        depths += (train.depth + 100 * given.jitter * rng.normal(0, 1, train.count)).tolist()
        spans.append((float(moments_s[0]), float(moments_s[-1]), train.count))
    events = [Event(0.0, "switch-on", "switched on"), Event(2.0, "prompt", "attach pads to the bare chest")]
    events += [Event(t, "compression", "", {"depth_mm": round(d, 1)}) for t, d in zip(times, depths, strict=True)]
    for at in given.shocks_s:
        events += [
            Event(at - 2, "prompt", "shock advised, stand clear"),
            Event(at, "shock", "shock delivered", {"energy_j": 150}),
        ]
    events.append(Event(given.length_s, "switch-off", "switched off"))
    heart = Heart(((0.0, 70.0),), 0.02)
    beats, ectopic = beat_times(heart, given.length_s, rng)
    ecg = lead(beats, ectopic, given.length_s, given.interval_s, heart, rng)
    moments = np.arange(len(ecg)) * given.interval_s
    for first, last, count in spans:
        inside = (moments >= first) & (moments <= last)
        rate = (count - 1) / (last - first) if count > 1 else 1.8
        ecg[inside] += 0.8 * np.sin(2 * np.pi * rate * (moments[inside] - first))
    ecg += rng.normal(0, 0.02, len(ecg))
    for a, b in given.pads_off_s:
        ecg[(moments >= a) & (moments < b)] = np.nan
    in_trains = sum(b - a for a, b, _ in spans)
    truth = {
        "compressions": len(times),
        "rate": 60 * sum(n - 1 for _, _, n in spans) / in_trains if in_trains else None,
        "depth": float(np.mean(np.round(depths, 1))) if depths else None,
        "fraction": 100 * in_trains / (spans[-1][1] - spans[0][0]) if spans else None,
        "pauses": [b[0] - a[1] for a, b in pairwise(spans)],
        "shocks": list(given.shocks_s),
    }
    channels = {"ecg": channel("ecg", "ECG", "mV", given.interval_s, ecg)}
    ordered = tuple(sorted(events, key=lambda e: e.at_s))
    return Made(
        Recording("resuscitation", START, 60, channels, ordered, {}, {"serial": "RD-0001", "model": "made up"}), truth
    )

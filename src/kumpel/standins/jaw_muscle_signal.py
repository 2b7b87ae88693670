"""Synthetic nights of jaw muscles and heart: known contractions, known beats, and everything that spoils them."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kumpel.formats.krec import Recording
from kumpel.standins.heart_signal import Heart, beat_times, lead
from kumpel.standins.made import Made, channel

Floats = NDArray[np.float64]
BEDTIME = 1_795_129_200.0
"""2026-11-19 23:00 UTC."""


@dataclass(frozen=True)
class Burst:
    """A contraction: side ("left", "right", "both"), start and length in s, level as a share of the clench."""

    side: str
    start_s: float
    length_s: float
    level: float


@dataclass(frozen=True)
class Group:
    """An episode: its bursts, its type, and by how much the heart rate rises at its start (share)."""

    kind: str
    bursts: tuple[Burst, ...]
    heart_rise: float = 0.0


@dataclass(frozen=True)
class Night:
    """A night. Levels in microvolt and millivolt (standard deviations of noise); spans in s."""

    seed: int = 1
    length_s: float = 1800.0
    interval_s: float = 0.001
    groups: tuple[Group, ...] = ()
    clench_uv: float = 200.0
    clenches: int = 3
    quiet_uv: float = 2.0
    heart: Heart = field(default_factory=Heart)
    ecg_noise_mv: float = 0.02
    wander_mv: float = 0.0
    mains_mv: float = 0.0
    mains_uv: float = 0.0
    movements_s: tuple[tuple[float, float], ...] = ()
    off_s: dict[str, tuple[tuple[float, float], ...]] = field(default_factory=dict)
    saturated_s: dict[str, tuple[tuple[float, float], ...]] = field(default_factory=dict)
    mains_s: dict[str, tuple[tuple[float, float], ...]] = field(default_factory=dict)
    gaps_s: tuple[tuple[float, float], ...] = ()


def usual_groups(seed: int, length_s: float, per_hour: float = 12.0) -> tuple[Group, ...]:
    """Episodes of every type, at least 30 s apart, the first after four minutes; half of them with the heart."""
    rng = np.random.default_rng(seed)
    groups, at = [], 240.0
    while at < length_s - 60:
        kind = str(rng.choice(["phasic", "tonic", "mixed", "single"]))
        side = str(rng.choice(["left", "right", "both"]))
        lengths = {
            "phasic": [float(v) for v in rng.uniform(0.45, 1.5, int(rng.integers(3, 7)))],
            "tonic": [float(rng.uniform(2.6, 8))],
            "mixed": [float(rng.uniform(2.6, 5)), *(float(v) for v in rng.uniform(0.45, 1.5, 2))],
            "single": [float(rng.uniform(0.45, 1.5))],
        }[kind]
        bursts, cursor = [], at
        for length in lengths:
            bursts.append(Burst(side, cursor, length, float(rng.uniform(0.25, 0.9))))
            cursor += length + float(rng.uniform(0.6, 1.8))
        groups.append(Group(kind, tuple(bursts), 0.25 if rng.random() < 0.5 else 0.0))
        at = cursor + 30 + float(rng.exponential(3600 / per_hour))
    return tuple(groups)


def usual_night(seed: int, length_s: float = 8 * 3600.0, interval_s: float = 0.001) -> Night:
    """A restless sleeper; the right electrode comes loose for a while, the sleeper turns over now and then."""
    rng = np.random.default_rng(seed)
    turns = tuple((float(t), float(t) + 4.0) for t in rng.uniform(300, length_s - 60, max(int(length_s / 2400), 1)))
    loose = length_s * 0.8
    return Night(
        seed,
        length_s,
        interval_s,
        groups=usual_groups(seed, length_s),
        heart=Heart(((0.0, 64.0), (length_s, 54.0)), 0.03, 0.003),
        wander_mv=0.2,
        movements_s=turns,
        off_s={"right": ((loose, loose + length_s * 0.03),)},
    )


def _inside(at: Floats, spans: tuple[tuple[float, float], ...]) -> NDArray[np.bool_]:
    flags = np.zeros(len(at), dtype=bool)
    for a, b in spans:
        first, end = np.searchsorted(at, [a, b])
        flags[first:end] = True
    return flags


def _band_passed(values: Floats, low_hz: float, high_hz: float, interval_s: float) -> Floats:
    # Imported where it is needed: it takes longer than everything else that a dock of other recorders starts with.
    from scipy.signal import butter, sosfilt

    sos = butter(2, [low_hz, high_hz], "bandpass", fs=1 / interval_s, output="sos")
    found: Floats = sosfilt(sos, values)
    return found


def _muscle(night: Night, side: str, at: Floats, rng: np.random.Generator) -> Floats:
    """Band-limited noise: quiet, and louder in clenches and bursts."""
    n, dt = len(at), night.interval_s
    noise = _band_passed(rng.normal(0, 1, n), 25, min(300, 0.45 / dt), dt)
    noise /= noise.std() if n > 1 else 1.0
    level = np.full(n, night.quiet_uv)
    for k in range(night.clenches):
        first, end = np.searchsorted(at, [20.0 + 15 * k, 22.0 + 15 * k])
        level[first:end] = night.clench_uv
    for group in night.groups:
        for burst in group.bursts:
            if burst.side in (side, "both"):
                first, end = np.searchsorted(at, [burst.start_s, burst.start_s + burst.length_s])
                level[first:end] = burst.level * night.clench_uv
    found: Floats = noise * level + night.mains_uv * np.sin(2 * np.pi * 50 * at)
    return found


def _spoil(values: Floats, at: Floats, night: Night, side: str, rail: float, rng: np.random.Generator) -> None:
    for a, b in night.off_s.get(side, ()):
        values[_inside(at, ((a, b),))] = 0.0
    for a, b in night.saturated_s.get(side, ()):
        where = _inside(at, ((a, b),))
        values[where] = np.clip(3 * rail * np.sin(2 * np.pi * 1.3 * at[where]), -rail, rail)
    for a, b in night.mains_s.get(side, ()):
        where = _inside(at, ((a, b),))
        values[where] += rail * 0.2 * np.sin(2 * np.pi * 50 * at[where])
    for a, b in night.gaps_s:
        values[_inside(at, ((a, b),))] = np.nan


def _rates(night: Night) -> tuple[tuple[float, float], ...]:
    """The heart's knots with a rise of 12 s at each heart-linked episode."""
    knots = list(night.heart.rate_bpm)
    times, rates = np.array(knots).T
    for group in night.groups:
        if group.heart_rise > 0:
            start = group.bursts[0].start_s
            usual = float(np.interp(start, times, rates))
            top = usual * (1 + group.heart_rise)
            knots += [(start - 0.5, usual), (start + 0.5, top), (start + 11.0, top), (start + 16.0, usual)]
    return tuple(sorted(knots))


def make(night: Night) -> Made:
    """Channels emg.left, emg.right (uV), ecg (mV), and the truth: episodes, contractions, beats."""
    rng = np.random.default_rng(night.seed)
    n = round(night.length_s / night.interval_s)
    at: Floats = np.arange(n, dtype=np.float64) * night.interval_s
    channels = {}
    for side in ("left", "right"):
        values = _muscle(night, side, at, rng)
        _spoil(values, at, night, side, 2500.0, rng)
        channels[f"emg.{side}"] = channel(f"emg.{side}", f"Masseter {side}", "uV", night.interval_s, values)
    heart = Heart(
        _rates(night),
        night.heart.variation_s,
        night.heart.ectopic_share,
        night.heart.amplitude_mv,
        night.heart.inverted,
    )
    beats, ectopic = beat_times(heart, night.length_s, rng)
    ecg = lead(beats, ectopic, night.length_s, night.interval_s, heart, rng)
    ecg += rng.normal(0, night.ecg_noise_mv, n)
    ecg += night.wander_mv * np.sin(2 * np.pi * 0.23 * at) + night.mains_mv * np.sin(2 * np.pi * 50 * at + 1.0)
    for a, b in night.movements_s:
        where = _inside(at, ((a, b),))
        ecg[where] += 2.0 * _band_passed(rng.normal(0, 4, int(where.sum())), 1, 12, night.interval_s)
    _spoil(ecg, at, night, "heart", 5.0, rng)
    channels["ecg"] = channel("ecg", "ECG", "mV", night.interval_s, ecg)
    setup = {"threshold_percent": 10, "hysteresis_percent": 20, "run_length_min": night.length_s / 60}
    recorder = {"serial": "JM-0001", "model": "made up"}
    return Made(Recording("jaw_muscle", BEDTIME, 60, channels, (), setup, recorder), _truth(night, beats, ectopic))


def _truth(night: Night, beats: Floats, ectopic: NDArray[np.bool_]) -> dict[str, Any]:
    groups = [
        {
            "kind": g.kind,
            "side": g.bursts[0].side,
            "start_s": g.bursts[0].start_s,
            "end_s": g.bursts[-1].start_s + g.bursts[-1].length_s,
            "contractions": len(g.bursts),
            "linked": g.heart_rise > 0,
        }
        for g in night.groups
    ]
    return {
        "episodes": groups,
        "clench_uv": night.clench_uv,
        "beats_s": [round(float(t), 4) for t in beats],
        "ectopic": int(ectopic.sum()),
        "off_s": {k: [list(s) for s in v] for k, v in night.off_s.items()},
    }

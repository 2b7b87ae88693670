"""Nights that are hard to read, with the truth beside: muscle of many strengths against a background, and everything that looks like it.

Muscle noise has the spectrum of surface EMG: P(f) ~ f2 fh4 / ((f2 + fl2) (f2 + fh2)2), fl = 60 Hz, fh = 120 Hz (E. Shwedyk, R. Balasubramanian,
R. Scott, IEEE Trans Biomed Eng 1977;24:417), rises and falls over 60 ms and flutters at 3 to 9 Hz.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from kumpel.formats.krec import Recording
from kumpel.standins.heart_signal import Heart, beat_times, lead
from kumpel.standins.jaw_muscle_signal import BEDTIME, Floats, Group, usual_groups
from kumpel.standins.made import Made, channel

LOW_HZ, HIGH_HZ = 60.0, 120.0
RAMP_S = 0.06
SIDES = ("left", "right")


@dataclass(frozen=True)
class Spell:
    """Something that is no episode: what ("swallowing", "talking", "turning over"), from when to when (s)."""

    what: str
    start_s: float
    end_s: float


@dataclass(frozen=True)
class HardNight:
    """A night of a bed partner's stories.

    `snr_db` is the RMS of a burst of `level` (share of the clench) over the RMS of the background. `spells` are no episodes.
    `hum_uv` is mains that drifts around 50 Hz in frequency and size, with two harmonics; `drying` the side whose electrode dries:
    its gain falls by a third and its background trebles to the end. `crosstalk` is how much of a masseter (uV) the ECG lead picks up (mV).
    """

    seed: int = 1
    length_s: float = 1800.0
    interval_s: float = 0.001
    groups: tuple[Group, ...] = ()
    level: float = 0.2
    snr_db: float = 18.0
    clench_uv: float = 200.0
    spells: tuple[Spell, ...] = ()
    hum_uv: float = 0.0
    drying: str = ""
    heart: Heart = field(default_factory=lambda: Heart(((0.0, 62.0),), 0.03, 0.02))
    wander_mv: float = 0.3
    crosstalk: float = 0.0005


def hard_night(seed: int, snr_db: float, length_s: float = 1800.0, spoilt: bool = True) -> HardNight:
    """Forty episodes an hour, all of one strength; with swallowing, talking, turning over, hum and a drying electrode unless not `spoilt`."""
    rng = np.random.default_rng(1000 + seed)
    groups = usual_groups(seed, length_s, 60.0)
    if not spoilt:
        return HardNight(seed, length_s, groups=groups, snr_db=snr_db)
    busy = [(g.bursts[0].start_s - 8, g.bursts[-1].start_s + g.bursts[-1].length_s + 8) for g in groups]
    spells = []
    for what, an_hour, shortest, longest in (
        ("swallowing", 12, 0.5, 1.0),
        ("talking", 4, 2.0, 8.0),
        ("turning over", 4, 3.0, 8.0),
    ):
        for _ in range(round(an_hour * length_s / 3600)):
            start, length = float(rng.uniform(240, length_s - 30)), float(rng.uniform(shortest, longest))
            if all(start + length < a or start > b for a, b in busy):
                spells.append(Spell(what, start, start + length))
                busy.append((start - 8, start + length + 8))
    return HardNight(
        seed,
        length_s,
        groups=groups,
        snr_db=snr_db,
        spells=tuple(spells),
        hum_uv=4.0,
        drying=("", *SIDES)[seed % 3],
    )


def shaped(count: int, interval_s: float, rng: np.random.Generator) -> Floats:
    """Noise with the spectrum of surface EMG and an RMS of 1, shape (count,)."""
    frequencies = np.fft.rfftfreq(count, interval_s)
    height = frequencies / np.sqrt(frequencies**2 + LOW_HZ**2) / (frequencies**2 + HIGH_HZ**2)
    found: Floats = np.fft.irfft(np.fft.rfft(rng.normal(0, 1, count)) * height, count)
    found /= found.std()
    return found


def pink(count: int, rng: np.random.Generator) -> Floats:
    """Noise whose power falls with the frequency, with an RMS of 1, shape (count,): the wander of a base line."""
    frequencies = np.fft.rfftfreq(count)
    frequencies[0] = frequencies[1]
    found: Floats = np.fft.irfft(np.fft.rfft(rng.normal(0, 1, count)) / np.sqrt(frequencies), count)
    found -= found.mean()
    found /= found.std()
    return found


def _raise(level: Floats, at: float, until: float, height: float, interval_s: float, rng: np.random.Generator) -> None:
    """Muscle that tightens and lets go again, with a flutter; over what is there already."""
    first, end = max(round(at / interval_s), 0), min(round(until / interval_s), len(level))
    if end <= first:
        return
    t = np.arange(end - first) * interval_s
    ramp = np.minimum(np.minimum(t, t[::-1]) / RAMP_S, 1.0)
    flutter = 1 + 0.2 * np.sin(2 * np.pi * rng.uniform(3, 9) * t + rng.uniform(0, 6))
    level[first:end] = np.maximum(level[first:end], height * ramp * flutter)


def _efforts(night: HardNight, side: str, rng: np.random.Generator) -> Floats:
    """How tight a muscle is at each moment, in microvolt (RMS)."""
    level = np.zeros(round(night.length_s / night.interval_s))

    def tighten(at: float, until: float, height: float) -> None:
        _raise(level, at, until, height * night.clench_uv, night.interval_s, rng)

    for k in range(3):
        tighten(20.0 + 15 * k, 22.5 + 15 * k, 1.0)
    for group in night.groups:
        for burst in group.bursts:
            if burst.side in (side, "both"):
                tighten(burst.start_s, burst.start_s + burst.length_s, night.level)
    for spell in night.spells:
        if spell.what == "swallowing":
            tighten(spell.start_s, spell.end_s, float(rng.uniform(0.06, 0.16)))
        elif spell.what == "talking":
            at = spell.start_s
            while at < spell.end_s:
                length = float(rng.uniform(0.08, 0.3))
                tighten(at, at + length, float(rng.uniform(0.04, 0.2)))
                at += length + float(rng.uniform(0.03, 0.25))
        else:
            tighten(spell.start_s, spell.end_s, float(rng.uniform(0.08, 0.3)))
    return level


def make(night: HardNight) -> Made:
    """Channels emg.left, emg.right (uV), ecg (mV), and the truth: episodes, spells, beats, the background in uV."""
    rng = np.random.default_rng(night.seed)
    count = round(night.length_s / night.interval_s)
    at: Floats = np.arange(count, dtype=np.float64) * night.interval_s
    background = night.level * night.clench_uv / 10 ** (night.snr_db / 20)
    channels = {}
    muscles: Floats = np.zeros(count)
    for side in SIDES:
        effort = _efforts(night, side, rng)
        muscle: Floats = effort * shaped(count, night.interval_s, rng)
        rest = background * shaped(count, night.interval_s, rng)
        if night.drying == side:
            muscle *= np.linspace(1.0, 0.67, count)
            rest *= np.linspace(1.0, 3.0, count)
        values = muscle + rest + _hum(night, at, rng) + _turns(night, at, rng)
        channels[f"emg.{side}"] = channel(f"emg.{side}", f"Masseter {side}", "uV", night.interval_s, values)
        muscles += muscle
    beats, ectopic = beat_times(night.heart, night.length_s, rng)
    ecg = lead(beats, ectopic, night.length_s, night.interval_s, night.heart, rng)
    ecg += night.wander_mv * pink(count, rng) + night.crosstalk * muscles + 0.02 * rng.normal(0, 1, count)
    ecg += _turns(night, at, rng) / 400
    channels["ecg"] = channel("ecg", "ECG", "mV", night.interval_s, ecg)
    setup = {"threshold_percent": 10, "hysteresis_percent": 20, "run_length_min": night.length_s / 60}
    recorder = {"serial": "JM-0001", "model": "made up"}
    truth = {
        "episodes": _episodes(night.groups),
        "spells": [(s.what, s.start_s, s.end_s) for s in night.spells],
        "beats_s": beats,
        "background_uv": background,
    }
    return Made(Recording("jaw_muscle", BEDTIME, 60, channels, (), setup, recorder), truth)


def _hum(night: HardNight, at: Floats, rng: np.random.Generator) -> Floats:
    if not night.hum_uv:
        return np.zeros(len(at))
    knots = np.arange(0, night.length_s + 60, 60)
    slow = np.interp(at, knots, rng.normal(0, 1, len(knots)))
    turn = 2 * np.pi * np.cumsum(50 + 0.15 * slow) * night.interval_s
    size = night.hum_uv * (1 + 0.6 * np.sin(2 * np.pi * at / 700 + rng.uniform(0, 6)))
    found: Floats = size * (np.sin(turn) + 0.3 * np.sin(2 * turn + 1) + 0.15 * np.sin(3 * turn + 2))
    return found


def _turns(night: HardNight, at: Floats, rng: np.random.Generator) -> Floats:
    """What the cables say while somebody turns over: slow and large, in microvolt."""
    found = np.zeros(len(at))
    for spell in night.spells:
        if spell.what == "turning over":
            first, end = np.searchsorted(at, [spell.start_s, spell.end_s])
            n = int(end - first)
            found[first:end] = 300 * pink(n, rng) * np.hanning(n)
    return found


def _episodes(groups: Sequence[Group]) -> list[dict[str, Any]]:
    return [
        {
            "kind": g.kind,
            "side": g.bursts[0].side,
            "start_s": g.bursts[0].start_s,
            "end_s": g.bursts[-1].start_s + g.bursts[-1].length_s,
        }
        for g in groups
    ]

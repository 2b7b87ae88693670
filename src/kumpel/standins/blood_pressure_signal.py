"""Synthetic days of a cuff recorder with activity: a night that dips or fails to, failed tries, artefacts."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kumpel.formats.krec import Event, Recording
from kumpel.standins.made import Made, channel

NOON = 1_795_089_600.0
"""2026-11-19 12:00 UTC."""


@dataclass(frozen=True)
class Day:
    """A day: means awake in mmHg and bpm, dip in %, when the wearer sleeps (s after the start), share of tries that
    fail, readings spoilt by an artefact, minutes without activity, nights up."""

    seed: int = 1
    length_s: float = 86_400.0
    awake_systolic: float = 138.0
    awake_diastolic: float = 84.0
    awake_pulse: float = 74.0
    dip_percent: float = 13.0
    spread: float = 8.0
    asleep: tuple[tuple[float, float], ...] = ((38_700.0, 65_700.0),)
    interval_awake_min: float = 30.0
    interval_asleep_min: float = 60.0
    failing: float = 0.05
    artefacts: int = 0
    ups_s: tuple[tuple[float, float], ...] = ()
    no_activity_s: tuple[tuple[float, float], ...] = ()
    utc_offset_min: int = 60
    start: float = NOON
    offset_changes: tuple[tuple[float, int], ...] = ()
    night: tuple[tuple[float, float], ...] | None = None
    """When readings come at the interval of the night: as set, or when the wearer sleeps."""
    quiet: tuple[tuple[float, float], ...] = ()
    """Stretches without a reading."""
    excited_mmhg: float = 0.0
    """By how much the first readings are higher, in front of whoever puts the cuff on; half an hour later half of it."""
    loose: tuple[tuple[float, float], ...] = ()
    """Stretches in which the cuff sits loosely: most tries fail there."""
    presses: tuple[tuple[float, str], ...] = ()
    """Presses of the button, with what the wearer noted; each is followed by a reading by hand."""


def usual_day(seed: int) -> Day:
    """Somebody whose pressure is a little too high; sleeps seven to eight hours, is up once."""
    rng = np.random.default_rng(seed)
    down = 36_000.0 + float(rng.integers(0, 90)) * 60
    up = down + 25_200.0 + float(rng.integers(0, 60)) * 60
    at = down + 12_000.0
    return Day(
        seed,
        awake_systolic=float(rng.uniform(122, 148)),
        awake_diastolic=float(rng.uniform(74, 92)),
        dip_percent=float(rng.uniform(-4, 24)),
        asleep=((down, up),),
        artefacts=1,
        ups_s=((at, at + 600),),
    )


def _sleeping(day: Day, at: np.ndarray) -> np.ndarray:
    flags = np.zeros(len(at), bool)
    for a, b in day.asleep:
        flags |= (at >= a) & (at < b)
    return flags


def _times(day: Day) -> list[float]:
    times, at = [], 0.0
    night = day.asleep if day.night is None else day.night
    while at < day.length_s:
        if not any(a <= at < b for a, b in day.quiet):
            times.append(at)
        asleep = any(a <= at < b for a, b in night)
        at += 60 * (day.interval_asleep_min if asleep else day.interval_awake_min)
    return times


_ERRORS = (1, 2, 3, 2)
_LOOSE = (4, 3)


def _error(day: Day, at: float) -> int:
    """Why a try at a moment fails; by a stream of its own, so that it changes no value."""
    rng = np.random.default_rng((day.seed, int(at)))
    loose = any(a <= at < b for a, b in day.loose)
    return int(rng.choice(_LOOSE if loose else _ERRORS))


def _daily(day: Day, n: int, rng: np.random.Generator) -> np.ndarray:
    """How much the wearer moves in each minute of being awake, as a share: walking about, at a desk, on a sofa."""
    share = np.ones(n)
    minute = 0
    while minute < n:
        length = int(rng.integers(8, 55))
        share[minute : minute + length] = rng.choice((1.0, 0.9, 0.75, 0.28, 0.2))
        minute += length
    # Whoever has just got up, or goes to bed, is on their feet.
    for a, b in day.asleep:
        for edge in (a, b):
            share[max(int(edge / 60) - 25, 0) : int(edge / 60) + 25] = 1.0
    return share


def make(day: Day) -> Made:
    """Readings as events, three activity axes once a minute, and the truth: sleep, every reading, dip put in."""
    rng = np.random.default_rng(day.seed)
    times = _times(day)
    asleep = _sleeping(day, np.array(times))
    fall = np.where(asleep, 1 - day.dip_percent / 100, 1.0)
    systolic = np.rint(day.awake_systolic * fall + rng.normal(0, day.spread, len(times)))
    diastolic = np.rint(day.awake_diastolic * fall + rng.normal(0, day.spread * 0.7, len(times)))
    diastolic = np.minimum(diastolic, systolic - 22)
    pulse = np.rint(day.awake_pulse * np.where(asleep, 0.85, 1.0) + rng.normal(0, 5, len(times)))
    failed = rng.random(len(times)) < day.failing
    at_s = np.array(times)
    systolic += np.rint(day.excited_mmhg * 0.5 ** (at_s / 1800))
    diastolic += np.rint(0.5 * day.excited_mmhg * 0.5 ** (at_s / 1800))
    for a, b in day.loose:
        loose = (at_s >= a) & (at_s < b)
        failed |= loose & (np.arange(len(times)) % 4 != 0)
    spoilt = rng.choice(np.flatnonzero(~failed), size=min(day.artefacts, int((~failed).sum())), replace=False)
    events = []
    for i, at in enumerate(times):
        if failed[i]:
            events.append(Event(at, "reading", "", {"error": _error(day, at), "tries": 2, "by": "plan"}))
            continue
        s, d = float(systolic[i]), float(diastolic[i])
        if i in spoilt:
            s = 268.0
        data = {
            "systolic": s,
            "diastolic": d,
            "map": float(round(d + (s - d) / 3)),
            "pulse": float(pulse[i]),
            "tries": 1,
            "by": "plan",
        }
        events.append(Event(at, "reading", "", data))
    events += [
        Event(at, "utc-offset", "clock changed", {"utc_offset_min": minutes}) for at, minutes in day.offset_changes
    ]
    by_hand = np.random.default_rng((day.seed, 7))
    for at, text in day.presses:
        events.append(Event(at, "button", text, {}))
        s = float(round(day.awake_systolic + 8 + by_hand.normal(0, day.spread)))
        d = float(round(day.awake_diastolic + 4 + by_hand.normal(0, day.spread * 0.7)))
        data = {"systolic": s, "diastolic": d, "map": float(round(d + (s - d) / 3)), "pulse": 84.0}
        events.append(Event(at + 60, "reading", "", data | {"tries": 1, "by": "hand"}))
    n = int(day.length_s / 60)
    minute = np.arange(n) * 60.0
    quiet = _sleeping(day, minute)
    for a, b in day.ups_s:
        quiet &= ~((minute >= a) & (minute < b))
    share = _daily(day, n, np.random.default_rng((day.seed, 11)))
    channels = {}
    for axis in "xyz":
        counts = np.where(quiet, rng.exponential(3, n) * (rng.random(n) < 0.15), rng.gamma(2.0, 160, n) * share)
        for a, b in day.no_activity_s:
            counts[(minute >= a) & (minute < b)] = np.nan
        channels[f"activity.{axis}"] = channel(f"activity.{axis}", f"Activity {axis}", "counts", 60.0, np.rint(counts))
    good = [i for i in range(len(times)) if not failed[i] and i not in spoilt]
    truth = {
        "asleep": [list(s) for s in day.asleep],
        "dip_percent": day.dip_percent,
        "failed": int(failed.sum()),
        "spoilt_s": sorted(float(times[i]) for i in spoilt),
        "readings": [
            [times[i], float(systolic[i]), float(diastolic[i]), float(pulse[i]), bool(asleep[i])] for i in good
        ],
    }
    setup = {
        "awake_from": "06:30",
        "asleep_from": "22:30",
        "interval_awake_min": day.interval_awake_min,
        "interval_asleep_min": day.interval_asleep_min,
        "run_length_min": day.length_s / 60,
    }
    recorder = {"serial": "BP-0001", "model": "made up"}
    return Made(
        Recording("blood_pressure", day.start, day.utc_offset_min, channels, tuple(events), setup, recorder), truth
    )

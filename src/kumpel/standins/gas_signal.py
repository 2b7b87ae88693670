"""Synthetic shifts of a personal gas monitor: a steady background, rectangular episodes, gaps, faults."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from kumpel.formats.krec import Channel, Event, Recording
from kumpel.standins.made import START, Made, channel

ALARMS = {"o2": (19.5, 23.5), "lel": (10.0, 20.0), "co": (20.0, 100.0), "h2s": (5.0, 10.0), "no2": (0.5, 1.0)}
"""Usual low and high alarms of the gases of a monitor, in the unit of each."""
AGAIN_S = 300.0
"""A monitor that latches does not begin to sound again within so many seconds."""
BOTTLE = {
    "o2": 18.0,
    "lel": 50.0,
    "co": 100.0,
    "h2s": 25.0,
    "no2": 10.0,
    "so2": 5.0,
    "nh3": 25.0,
    "cl2": 5.0,
    "voc": 100.0,
}
"""What the bottle of a bump test holds, in the unit of each gas."""
UNITS = {"o2": "vol %", "lel": "% LEL"}
BACKGROUND = {
    "o2": 20.9,
    "lel": 0.0,
    "co": 3.0,
    "h2s": 0.2,
    "no2": 0.05,
    "so2": 0.05,
    "nh3": 1.0,
    "cl2": 0.0,
    "voc": 2.0,
}


@dataclass(frozen=True)
class Episode:
    """A gas at a steady level from `start_s` for `length_s`."""

    gas: str
    start_s: float
    length_s: float
    level: float


@dataclass(frozen=True)
class Shift:
    """A shift of a gas monitor. `noise` is the standard deviation within a log interval, in the gas's unit; `place` where its wearer stands
    (latitude, longitude in degrees), which a monitor with a receiver logs."""

    seed: int = 1
    length_s: float = 28_800.0
    interval_s: float = 10.0
    gases: tuple[str, ...] = ("o2", "lel", "co", "h2s", "no2")
    episodes: tuple[Episode, ...] = ()
    gaps_s: tuple[tuple[float, float], ...] = ()
    switched_off: tuple[str, ...] = ()
    failed_bump: tuple[str, ...] = ()
    noise: float = 0.02
    top: float | None = None
    place: tuple[float, float] | None = None


def usual_shift(seed: int, length_s: float = 28_800.0, interval_s: float = 10.0) -> Shift:
    """Blasting: carbon monoxide and nitrogen dioxide after each of three rounds, oxygen a little down."""
    rng = np.random.default_rng(seed)
    episodes = []
    for share in (0.2, 0.5, 0.8):
        start = round(length_s * share / 60) * 60
        episodes.append(Episode("co", start, 1200, float(rng.uniform(40, 110))))
        episodes.append(Episode("no2", start, 900, float(rng.uniform(0.3, 1.2))))
        episodes.append(Episode("o2", start, 600, float(rng.uniform(19.2, 20.4))))
    return Shift(seed, length_s, interval_s, episodes=tuple(episodes))


def make(shift: Shift) -> Made:
    """Channels avg, min and max per gas, bump tests in the event log, and the truth by gas."""
    rng = np.random.default_rng(shift.seed)
    n = int(shift.length_s / shift.interval_s)
    middle = (np.arange(n) + 0.5) * shift.interval_s
    unlogged = np.zeros(n, bool)
    for a, b in shift.gaps_s:
        unlogged |= (middle >= a) & (middle < b)
    channels: dict[str, Channel] = {}
    truth: dict[str, object] = {}
    for gas in shift.gases:
        clean = np.full(n, BACKGROUND[gas])
        for each in shift.episodes:
            if each.gas == gas:
                clean[(middle >= each.start_s) & (middle < each.start_s + each.length_s)] = each.level
        if shift.top is not None:
            clean = np.minimum(clean, shift.top)
        average = clean + rng.normal(0, shift.noise, n)
        spread = np.abs(rng.normal(0, shift.noise, n))
        for name, values in (("avg", average), ("min", average - spread), ("max", average + spread)):
            values = np.where(unlogged, np.nan, values)
            unit = UNITS.get(gas, "ppm")
            channels[f"{gas}.{name}"] = channel(f"{gas}.{name}", f"{gas} {name}", unit, shift.interval_s, values)
        logged = clean[~unlogged]
        truth[gas] = {
            "mean": float(logged.mean()) if len(logged) else None,
            "twa8h": float(logged.sum()) * shift.interval_s / 28_800,
            "highest": float(logged.max()) if len(logged) else None,
            "lowest": float(logged.min()) if len(logged) else None,
        }
    if shift.place is not None:
        for key, degrees in zip(("lat", "lon"), shift.place, strict=True):
            # About 2 m of a receiver's wandering.
            values = np.where(unlogged, np.nan, degrees + rng.normal(0, 2e-5, n))
            channels[key] = channel(key, key, "deg", shift.interval_s, values)
    truth["unlogged_min"] = float(unlogged.sum()) * shift.interval_s / 60
    events = [
        Event(
            0.0,
            "bump-test",
            f"bump test {gas}",
            {
                "gas": gas,
                "applied": BOTTLE.get(gas, 10.0),
                "before": round(BOTTLE.get(gas, 10.0) * (0.5 if gas in shift.failed_bump else 0.98), 2),
                "after": round(BOTTLE.get(gas, 10.0) * (0.5 if gas in shift.failed_bump else 0.98), 2),
                "passed": gas not in shift.failed_bump,
                "length_s": 60,
            },
        )
        for gas in shift.gases
    ]
    setup = {
        "run_length_min": shift.length_s / 60,
        "interval_s": shift.interval_s,
        "sensors": [
            {"gas": gas, "on": gas not in shift.switched_off} | ({"range": shift.top} if shift.top else {})
            for gas in shift.gases
        ],
    }
    recording = Recording("gas", START, 60, channels, tuple(events), setup, {"serial": "GM-0001", "model": "made up"})
    return Made(recording, truth)


def with_log(made: Made, sensors: Sequence[Mapping[str, Any]], seed: int) -> Made:
    """With what the monitor writes into its log beside bump tests: alarms by its settings, what its wearer did."""
    alarms = alarms_of(made, sensors)
    events = (*made.recording.events, *alarms, *confirmed_by(alarms, seed))
    ordered = tuple(sorted(events, key=lambda e: e.at_s))
    return Made(replace(made.recording, events=ordered), made.truth)


def alarms_of(made: Made, sensors: Sequence[Mapping[str, Any]]) -> list[Event]:
    """When a reading first passes an alarm: upwards, for oxygen below the low one too."""
    found = []
    for sensor in sensors:
        gas = str(sensor.get("gas"))
        for name, of, sign in (("low", "min" if gas == "o2" else "max", -1 if gas == "o2" else 1), ("high", "max", 1)):
            channel = made.recording.channels.get(f"{gas}.{of}")
            level = sensor.get(name)
            if channel is None or level is None:
                continue
            beyond = sign * channel.values > sign * float(level)
            last = -math.inf
            for i in np.flatnonzero(beyond & ~np.concatenate(([False], beyond[:-1]))).tolist():
                if i * channel.interval_s - last < AGAIN_S:
                    last = i * channel.interval_s
                    continue  # it sounds still
                last = i * channel.interval_s
                about = {"gas": gas, "level": name, "value": round(float(channel.values[i]), 2)}
                found.append(Event(i * channel.interval_s, "alarm", f"{name} alarm {gas}", about))
    return found


def confirmed_by(alarms: Sequence[Event], seed: int) -> list[Event]:
    """Its wearer confirms each alarm after 5 to 60 s; one in eight is never confirmed, and one in ten is followed by a man-down."""
    rng = np.random.default_rng(seed + 77)
    found = []
    for alarm in alarms:
        after, never, down = float(rng.uniform(5, 60)), rng.random() < 0.125, rng.random() < 0.1
        if not never:
            about = {"gas": alarm.data["gas"]}
            found.append(Event(round(alarm.at_s + after, 1), "confirmed", f"alarm {about['gas']} confirmed", about))
        if down:
            rest = {"length_s": round(after + 20, 1), "confirmed_s": round(after + 20, 1)}
            found.append(Event(round(alarm.at_s + 90, 1), "man-down", "man-down", rest))
    return found

"""A driver's logger: courses on it, raw values to calibrate by, a picture at switching on, a radio link."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from kumpel.formats.krec import Channel
from kumpel.standins import further_sensors, lap_driver, vehicle_signal
from kumpel.standins.device import Began, Device, Measured, Recorded, Screen, Sensor, Wishes, of_made, seed_of
from kumpel.standins.made import Made

Points = tuple[tuple[float, float], ...]
LAP_S = 62.0
RATES = (
    ("lateral_g", 50),
    ("forward_g", 50),
    ("steering", 50),
    ("throttle", 50),
    ("brake", 50),
    ("rpm", 20),
    ("water_temp", 2),
    ("mixture", 20),
    ("heart_rate", 1),
)
MISTAKES: tuple[lap_driver.What, ...] = ("early brake", "late brake", "slow apex", "late throttle", "lifted throttle")
FACTORY_SETUP: dict[str, Any] = {
    "name": "Practice",
    "recorder_name": "",
    "radio": "own network",
    "machine": "",
    "vehicle": "kart",
    "number": "",
    "run": "",
    "series": "",
    "team": "",
    "course": "",
    "position_hz": 10,
    "channels": [{"key": key, "on": True, "hz": hz, "off_because": ""} for key, hz in RATES],
    "further": [],
    "brightness": 90,
    "night_brightness": 25,
    "night_from": "20:00",
    "night_to": "06:00",
}


HAULER = vehicle_signal.Vehicle(grip=0.45, brakes=0.4, power=22.0, top_m_s=13.0, gears=(3.0, 4.5, 6.5))


def record(began: Began, wishes: Wishes) -> Recorded:
    """Wishes: laps, spoilt (lap numbers), improvement, water_c (added to the water's temperature), belt (False: not worn)."""
    if began.setup.get("vehicle") == "hauler":
        return _hauled(began, wishes)
    seed, setup = seed_of(began, wishes), began.setup
    rng = np.random.default_rng(seed)
    laps = max(int(wishes.get("laps", began.length_s / LAP_S)), 1)
    spun = tuple(int(n) - 1 for n in wishes.get("spoilt", ()) if n <= laps)
    skill = 1 - float(wishes.get("improvement", 0.03)) * np.exp(-np.arange(laps) / 3)
    track = vehicle_signal.practice_loop()
    usual = lap_driver.drive(track, vehicle_signal.KART, 1, (), 0.0, rng)
    mistakes = []
    for lap in range(laps):
        if lap in spun or rng.random() < 0.4:
            continue
        what = MISTAKES[int(rng.integers(len(MISTAKES)))]
        fit = [c for c in range(len(usual.bends)) if lap_driver.suits(usual, c, what)]
        # One corner is a habit; the other mistakes are made here and there.
        corner = fit[seed % len(fit)] if rng.random() < 0.6 else int(rng.choice(fit))
        mistakes.append(lap_driver.Mistake(lap, corner, what, float(rng.uniform(0.15, 0.5))))
    driven = lap_driver.drive(
        track, vehicle_signal.KART, laps, tuple(mistakes), 0.04, rng, skill=skill.tolist(), spun=spun
    )
    sensors = lap_driver.Sensors(interval_s=1 / float(setup.get("position_hz") or 10), white_m=0.4, drift_m=1.0)
    made = lap_driver.recorded(driven, rng, sensors)
    return _logged(made, began, wishes)


def _hauled(began: Began, wishes: Wishes) -> Recorded:
    """A hauler on the ramp: up loaded, down empty."""
    laps = max(int(wishes.get("laps", began.length_s / 280)), 1)
    drive = vehicle_signal.Drive(
        vehicle_signal.ramp("Ramp", 900, 1),
        HAULER,
        laps,
        seed_of(began, wishes),
        position_noise_m=0.8,
        noise_memory_s=20.0,
    )
    return _logged(vehicle_signal.make(drive), began, wishes)


def _logged(made: Made, began: Began, wishes: Wishes) -> Recorded:
    """What the logger keeps of it: the channels that are on, as often as they are to be."""
    setup = began.setup
    wished = {str(c["key"]): c for c in setup.get("channels") or ()}
    channels = {
        key: _at_rate(each, wished.get(key, {}).get("hz"))
        for key, each in made.recording.channels.items()
        if wished.get(key, {}).get("on", True) and (key != "heart_rate" or wishes.get("belt", True))
    }
    water = channels.get("water_temp")
    if water is not None and wishes.get("water_c"):
        warmer = np.asarray(water.values) + float(wishes["water_c"])
        channels["water_temp"] = Channel(water.key, water.name, water.unit, water.interval_s, warmer)
    channels |= further_sensors.logged(setup, made.recording.channels, np.random.default_rng(seed_of(began, wishes)))
    return of_made(Made(replace(made.recording, channels=channels, setup={}), made.truth), began)


def _at_rate(channel: Channel, hz: float | None) -> Channel:
    """A channel as often as it is to be logged; never more often than its sensor measures."""
    step = max(round(1 / (float(hz) * channel.interval_s)), 1) if hz else 1
    if step == 1:
        return channel
    return Channel(channel.key, channel.name, channel.unit, channel.interval_s * step, channel.values[::step])


def _wire(key: str, name: str, unit: str, gives: Points, believed: Points, turns: tuple[float, ...]) -> Measured:
    """A channel of a sensor on a wire: 0 to 5 V."""
    return Measured(key, name, unit, 50.0, 0.0, 0.0, Sensor("V", gives, believed, 0.003, turns))


def _axis(key: str, name: str, level: float, offset: float) -> Measured:
    """An axis of the acceleration sensor; `offset` in g is what its zero is off by."""
    return Measured(key, name, "g", 50.0, level, 0.0, Sensor("g", ((level + offset, level),), (), 0.002))


DEVICE = Device(
    "vehicle",
    "VL-16",
    "4.3.0",
    FACTORY_SETUP,
    record,
    (
        _wire(
            "steering",
            "Steering angle",
            "deg",
            ((3.942, 90.0), (2.487, 0.0), (1.058, -90.0)),
            ((4.1, 90.0), (2.5, 0.0), (0.9, -90.0)),
            (90.0, 0.0, -90.0, 0.0),
        ),
        _wire(
            "throttle",
            "Throttle",
            "%",
            ((0.612, 0.0), (4.105, 100.0)),
            ((0.5, 0.0), (4.5, 100.0)),
            (0.0, 0.0, 100.0, 0.0),
        ),
        _wire("brake", "Brake", "%", ((0.588, 0.0), (3.87, 100.0)), ((0.5, 0.0), (4.5, 100.0)), (0.0, 100.0, 0.0, 0.0)),
        _axis("lateral_g", "Lateral acceleration", 0.0, -0.018),
        _axis("forward_g", "Forward acceleration", 0.0, 0.031),
        _axis("vertical_g", "Vertical acceleration", 1.0, 0.027),
        Measured("water_temp", "Water temperature", "°C", 1.0, 24.0, 0.3),
        Measured("rpm", "Engine speed", "rpm", 50.0, 0.0, 0.0),
    ),
    ("live", "raw", "calibrations", "courses", "picture", "maker-picture", "firmware", "radio", "names"),
    further=further_sensors.measured,
    planned_s=lambda setup: 900.0,
    names=("driver",),
    screen=Screen(160, 80, 16),
)

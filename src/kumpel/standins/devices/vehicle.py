"""A driver's logger: courses on it, raw values to calibrate by, a picture at switching on, a radio link."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from kumpel.standins import vehicle_signal
from kumpel.standins.device import Began, Device, Measured, Recorded, Screen, Wishes, of_made, seed_of
from kumpel.standins.made import Made

LAP_S = 62.0
FACTORY_SETUP: dict[str, Any] = {
    "name": "Practice",
    "recorder_name": "",
    "radio": "own network",
    "vehicle": "kart",
    "number": "",
    "series": "",
    "team": "",
    "course": "",
    "position_hz": 10,
    "brightness": 70,
    "night_look": False,
}


def practice_loop() -> vehicle_signal.Track:
    return vehicle_signal.loop("Practice loop", 1200, 7)


def record(began: Began, wishes: Wishes) -> Recorded:
    """Wishes: laps, spoilt (lap numbers), improvement."""
    seed, setup = seed_of(began, wishes), began.setup
    drive = vehicle_signal.usual_drive(seed, 1 / float(setup.get("position_hz") or 10))
    laps = max(int(wishes.get("laps", began.length_s / LAP_S)), 1)
    spoilt = tuple(int(n) for n in wishes.get("spoilt", drive.spoilt) if n <= laps)
    made = vehicle_signal.make(
        replace(drive, laps=laps, spoilt=spoilt, improvement=float(wishes.get("improvement", drive.improvement)))
    )
    return of_made(Made(replace(made.recording, setup={}), made.truth), began)


DEVICE = Device(
    "vehicle",
    "VL-16",
    "4.3.0",
    FACTORY_SETUP,
    record,
    (
        Measured("steering", "Steering angle", "deg", 50.0, 0.0, 2.0),
        Measured("throttle", "Throttle", "%", 50.0, 0.0, 0.5),
        Measured("brake", "Brake", "%", 50.0, 0.0, 0.5),
        Measured("lateral_g", "Lateral acceleration", "g", 50.0, 0.0, 0.01),
        Measured("forward_g", "Forward acceleration", "g", 50.0, 0.0, 0.01),
        Measured("vertical_g", "Vertical acceleration", "g", 50.0, 1.0, 0.01),
        Measured("water_temp", "Water temperature", "°C", 1.0, 24.0, 0.3),
        Measured("rpm", "Engine speed", "rpm", 50.0, 0.0, 0.0),
    ),
    ("live", "raw", "calibrations", "courses", "picture", "firmware", "names"),
    planned_s=lambda setup: 900.0,
    names=("driver",),
    screen=Screen(160, 80, 16),
)

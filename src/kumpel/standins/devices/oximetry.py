"""A night oximeter: keeps one night, has to be stopped before it can be read."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from kumpel.standins import oximetry_signal
from kumpel.standins.device import Began, Device, Measured, Recorded, Setup, Wishes, of_made, run_length_s, seed_of
from kumpel.standins.made import Made

FACTORY_SETUP: dict[str, Any] = {
    "name": "Night",
    "start_at": None,
    "stop_at": None,
    "run_length_min": 480,
    "low_spo2": None,
    "low_pulse": None,
    "high_pulse": None,
    "interval_s": 1,
}


def planned_s(setup: Setup) -> float:
    start, stop = setup.get("start_at"), setup.get("stop_at")
    if start and stop:
        return float((_minute(stop) - _minute(start)) % 1440 or 1440) * 60
    return run_length_s(setup)


def _minute(text: str) -> int:
    hours, _, minutes = text.partition(":")
    return 60 * int(hours) + int(minutes)


def record(began: Began, wishes: Wishes) -> Recorded:
    """Wishes: falls (how many), level (%), probe_off_s, movement_s."""
    length = max(began.length_s, 60.0)
    most = max(int(length / 240) - 6, 0)
    night = oximetry_signal.usual_night(seed_of(began, wishes), min(int(wishes.get("falls", 40)), most), length)
    night = replace(
        night,
        interval_s=float(began.setup.get("interval_s") or 1),
        level=float(wishes.get("level", night.level)),
        probe_off_s=tuple((float(a), float(b)) for a, b in wishes.get("probe_off_s", night.probe_off_s)),
        movement_s=tuple((float(a), float(b)) for a, b in wishes.get("movement_s", night.movement_s)),
    )
    made = oximetry_signal.make(night)
    return of_made(Made(replace(made.recording, setup={}), made.truth), began)


DEVICE = Device(
    "oximetry",
    "OX-1",
    "2.4.0",
    FACTORY_SETUP,
    record,
    (Measured("spo2", "SpO2", "%", 1.0, 97.0, 1.0), Measured("pulse", "Pulse", "bpm", 1.0, 62.0, 3.0)),
    ("live", "names"),
    keeps_one=True,
    stop_first=True,
    planned_s=planned_s,
    begins=lambda setup: setup.get("start_at") or "22:30",
    names=("wearer",),
)

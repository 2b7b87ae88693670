"""A personal gas monitor: six sensors, alarms by its settings, bump tests; one that is switched off measures nothing."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from kumpel.formats.krec import Event
from kumpel.link.abilities import CHECKS, LIVE
from kumpel.standins import gas_signal
from kumpel.standins.device import Began, Device, Measured, Recorded, Wishes, of_made, seed_of
from kumpel.standins.gas_signal import BACKGROUND, UNITS, Episode
from kumpel.standins.made import Made

ALARMS = {"o2": (19.5, 23.5), "lel": (10.0, 20.0), "co": (20.0, 100.0), "h2s": (5.0, 10.0), "no2": (0.5, 1.0)}


def _sensor(gas: str) -> dict[str, Any]:
    low, high = ALARMS[gas]
    return {"gas": gas, "on": True, "low": low, "high": high, "calibration_days": 180, "bump_days": 1}


FACTORY_SETUP: dict[str, Any] = {
    "name": "Four gases",
    "sensors": [_sensor(gas) for gas in ("o2", "lel", "co", "h2s")],
    "interval_s": 10,
    "run_length_min": 480,
    "latching": True,
    "man_down_s": 60,
    "language": "English",
    "display": "values",
}


def record(began: Began, wishes: Wishes) -> Recorded:
    """Wishes: episodes (gas, start s, length s, level), gaps_s, failed_bump, top."""
    sensors = [s for s in began.setup.get("sensors") or FACTORY_SETUP["sensors"] if isinstance(s, dict)]
    on = tuple(str(s["gas"]) for s in sensors if s.get("on", True) and s.get("gas") in BACKGROUND)
    interval = float(began.setup.get("interval_s") or 10)
    shift = gas_signal.usual_shift(seed_of(began, wishes), max(began.length_s, interval), interval)
    extra = tuple(Episode(str(g), float(a), float(n), float(v)) for g, a, n, v in wishes.get("episodes", ()))
    shift = replace(
        shift,
        gases=on or ("o2",),
        episodes=extra or shift.episodes,
        gaps_s=tuple((float(a), float(b)) for a, b in wishes.get("gaps_s", ())),
        failed_bump=tuple(wishes.get("failed_bump", ())),
        top=wishes.get("top"),
    )
    made = gas_signal.make(shift)
    alarms = _alarms(made, sensors)
    events = (*made.recording.events, *alarms, *_confirmed(alarms, seed_of(began, wishes)))
    ordered = tuple(sorted(events, key=lambda e: e.at_s))
    return of_made(Made(replace(made.recording, events=ordered, setup={}), made.truth), began)


def _alarms(made: Made, sensors: list[dict[str, Any]]) -> list[Event]:
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
            for i in np.flatnonzero(beyond & ~np.concatenate(([False], beyond[:-1]))).tolist():
                about = {"gas": gas, "level": name, "value": round(float(channel.values[i]), 2)}
                found.append(Event(i * channel.interval_s, "alarm", f"{name} alarm {gas}", about))
    return found


def _confirmed(alarms: list[Event], seed: int) -> list[Event]:
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


DEVICE = Device(
    "gas",
    "GM-6",
    "2.1.0",
    FACTORY_SETUP,
    record,
    tuple(Measured(f"{g}.avg", g.upper(), UNITS.get(g, "ppm"), 1.0, level, 0.1) for g, level in BACKGROUND.items()),
    (LIVE, CHECKS),
    checks={"bump": tuple(BACKGROUND), "span": tuple(BACKGROUND), "zero": tuple(BACKGROUND)},
    check_s=60.0,
)

"""A training watch with belt, stride sensor or paddle: splits by its setup, pages on a small display, stored names."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from kumpel.formats.krec import Event
from kumpel.standins import training_signal
from kumpel.standins.device import Began, Device, Measured, Recorded, Screen, Wishes, of_made, seed_of
from kumpel.standins.made import Made

FACTORY_SETUP: dict[str, Any] = {
    "name": "Run",
    "mode": "run",
    "zones": {"by": "highest", "edges": [50, 60, 70, 80, 90]},
    "speed_source": "satellite",
    "split_m": 1000.0,
    "split_s": None,
    "pages": [{"fields": ["time", "distance", "heart_rate"]}, {"fields": ["pace", "split_time", "zone"]}],
    "sound": "low",
    "back_light": "always",
    "units": "km",
    "language": "English",
    "date_order": "day.month",
    "light_colour": "white",
    "ground": "light",
}
OFFERS = (
    ("time", "Time", "0:41:07"),
    ("distance", "km", "6.42"),
    ("heart_rate", "bpm", "152"),
    ("pace", "min/km", "5:48"),
    ("speed", "km/h", "10.3"),
    ("split_time", "Split", "5:51"),
    ("split_distance", "Split m", "420"),
    ("zone", "Zone", "3.4"),
    ("cadence", "/min", "164"),
    ("ascent", "up m", "260"),
    ("clock", "Clock", "07:53"),
    ("battery", "Batt %", "81"),
)


def record(began: Began, wishes: Wishes) -> Recorded:
    """Wishes: no_heart_rate_s, no_position_s (spans), legs (length s, m/s, bpm), hill_m."""
    seed, setup = seed_of(began, wishes), began.setup
    usual = training_signal.usual_session(seed)
    legs = [(float(a), float(b), float(c)) for a, b, c in wishes.get("legs", usual.legs)]
    stretch = max(began.length_s, 30.0) / sum(leg[0] for leg in legs)
    on_water = setup.get("mode") in ("paddle", "row")
    legs = [(n * stretch, v * (0.75 if on_water else 1.0), bpm) for n, v, bpm in legs]
    session = replace(
        usual,
        legs=tuple(legs),
        hill_m=0.0 if on_water else float(wishes.get("hill_m", usual.hill_m)),
        strokes_per_min=34.0 if on_water else 0.0,
        no_position_s=_spans(wishes, "no_position_s", stretch, usual.no_position_s),
        no_heart_rate_s=_spans(wishes, "no_heart_rate_s", stretch, usual.no_heart_rate_s),
    )
    made = training_signal.make(session)
    events = [e for e in made.recording.events if e.code != "interval"] + _splits(made, setup)
    ordered = tuple(sorted(events, key=lambda e: e.at_s))
    return of_made(Made(replace(made.recording, events=ordered, setup={}), made.truth), began)


def _spans(
    wishes: Wishes, key: str, stretch: float, usual: tuple[tuple[float, float], ...]
) -> tuple[tuple[float, float], ...]:
    if key in wishes:
        return tuple((float(a), float(b)) for a, b in wishes[key])
    return tuple((a * stretch, b * stretch) for a, b in usual)


def _splits(made: Made, setup: Any) -> list[Event]:
    """Splits as the watch makes them by itself: every so many metres, or seconds."""
    speed = made.recording.channels["speed"]
    length = made.recording.length_s
    if setup.get("split_s"):
        times = np.arange(float(setup["split_s"]), length, float(setup["split_s"]))
    else:
        along = np.cumsum(np.nan_to_num(speed.values)) * speed.interval_s
        marks = np.arange(1, int(along[-1] / float(setup.get("split_m") or 1000)) + 1) * float(
            setup.get("split_m") or 1000
        )
        times = np.searchsorted(along, marks) * speed.interval_s
    return [Event(float(t), "lap", f"split {i + 1}", {"by": "itself"}) for i, t in enumerate(times) if 0 < t < length]


DEVICE = Device(
    "training",
    "TW-2",
    "5.0.2",
    FACTORY_SETUP,
    record,
    (
        Measured("heart_rate", "Heart rate", "bpm", 1.0, 72.0, 6.0),
        Measured("cadence", "Cadence", "/min", 1.0, 0.0, 0.0),
    ),
    ("live", "display", "picture", "maker-picture", "firmware", "radio", "names"),
    update_press="Hold both keys on its left until an arrow stands on its display.",
    planned_s=lambda setup: 2700.0,
    begins=lambda setup: None,
    names=("wearer", "greeting"),
    screen=Screen(128, 128, 8, OFFERS, 4, 5, round=True),
)

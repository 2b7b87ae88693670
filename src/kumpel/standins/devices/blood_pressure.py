"""A cuff recorder: readings by the wall times of its setup, none in a quiet window, activity if it is switched on."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from kumpel.standins import blood_pressure_signal
from kumpel.standins.device import Began, Device, Measured, Recorded, Setup, Wishes, of_made, run_length_s, seed_of
from kumpel.standins.made import Made

FACTORY_SETUP: dict[str, Any] = {
    "name": "24 h",
    "awake_from": "06:30",
    "asleep_from": "22:30",
    "interval_awake_min": 30,
    "interval_asleep_min": 60,
    "quiet": [],
    "start_at": None,
    "run_length_min": 1440,
    "highest_cuff_mmhg": 280,
    "shown": False,
    "button": True,
    "activity": True,
}


def spans_between(began: Began, first: str, last: str) -> tuple[tuple[float, float], ...]:
    """Every stretch of the session between two wall times (HH:MM), in s after its start."""
    from_h, to_h = _hour(first), _hour(last)
    length_h = (to_h - from_h) % 24
    start = (from_h - began.local_hour(0)) % 24 - 24
    spans = []
    while start * 3600 < began.length_s:
        a, b = max(start * 3600, 0.0), min((start + length_h) * 3600, began.length_s)
        if b > a:
            spans.append((a, b))
        start += 24
    return tuple(spans)


def _hour(text: str) -> float:
    hours, _, minutes = text.partition(":")
    return int(hours) + int(minutes) / 60


def full_h(setup: Setup) -> float:
    """The pump takes most of it: some 110 readings with a full battery, over days no longer than two and a half."""
    a_day = 16 * 60 / float(setup.get("interval_awake_min") or 30) + 8 * 60 / float(
        setup.get("interval_asleep_min") or 60
    )
    return min(110 / a_day * 24, 60.0)


def record(began: Began, wishes: Wishes) -> Recorded:
    """Wishes: awake_systolic, awake_diastolic, dip_percent, failing, artefacts, excited_mmhg, loose and asleep (spans in s), presses."""
    setup, seed = began.setup, seed_of(began, wishes)
    night = spans_between(began, str(setup.get("asleep_from") or "22:30"), str(setup.get("awake_from") or "06:30"))
    rng = np.random.default_rng(seed)
    # Nobody falls asleep on the minute that was set.
    slept = tuple((a + 60.0 * int(rng.integers(0, 40)), b - 60.0 * int(rng.integers(0, 20))) for a, b in night)
    slept = tuple((float(a), float(b)) for a, b in wishes.get("asleep", slept) if b > a)
    quiet = [
        span
        for window in setup.get("quiet") or []
        for span in spans_between(began, str(window["start"]), str(window["end"]))
    ]
    day = replace(
        blood_pressure_signal.usual_day(seed),
        length_s=max(began.length_s, 600.0),
        start=began.start,
        utc_offset_min=began.utc_offset_min,
        asleep=slept,
        night=night,
        quiet=tuple(quiet),
        interval_awake_min=float(setup.get("interval_awake_min") or 30),
        interval_asleep_min=float(setup.get("interval_asleep_min") or 60),
        ups_s=tuple((a + 12_000, a + 12_600) for a, b in slept if b - a > 15_000),
        **{
            k: wishes[k]
            for k in (
                "awake_systolic",
                "awake_diastolic",
                "dip_percent",
                "failing",
                "artefacts",
                "excited_mmhg",
                "loose",
                "presses",
            )
            if k in wishes
        },
    )
    made = blood_pressure_signal.make(day)
    channels = made.recording.channels if setup.get("activity", True) else {}
    return of_made(Made(replace(made.recording, channels=channels, setup={}), made.truth), began)


DEVICE = Device(
    "blood_pressure",
    "BP-24",
    "3.0.1",
    FACTORY_SETUP,
    record,
    (Measured("cuff", "Cuff pressure", "mmHg", 10.0, 0.0, 0.0),),
    ("live", "names"),
    planned_s=run_length_s,
    full_h=full_h,
    begins=lambda setup: setup.get("start_at"),
    names=("wearer",),
)

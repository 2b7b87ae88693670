"""A defibrillator: one case, overwritten at the next switching on."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from kumpel.standins import rescue_signal
from kumpel.standins.device import Began, Device, Measured, Recorded, Wishes, of_made, seed_of
from kumpel.standins.made import Made

FACTORY_SETUP: dict[str, Any] = {"name": "Pit head", "place": "pit head", "prompts": "English"}


def record(began: Began, wishes: Wishes) -> Recorded:
    """Wishes: shocks (how many), pause_s (of the third train, s), ecg (False: events only)."""
    case = rescue_signal.usual_case(seed_of(began, wishes))
    trains = tuple(t for t in case.trains if t.start_s + 60 * t.count / t.rate < began.length_s - 10) or case.trains[:1]
    longer = float(wishes.get("pause_s", 0.0))
    trains = tuple(replace(t, start_s=t.start_s + (longer if i > 1 else 0.0)) for i, t in enumerate(trains))
    end = max(began.length_s, max(t.start_s + 60 * t.count / t.rate for t in trains) + 10)
    shocks = tuple(s for s in case.shocks_s[: int(wishes.get("shocks", 2))] if s < end - 5)
    case = replace(case, trains=trains, length_s=end, shocks_s=shocks)
    made = rescue_signal.make(case)
    channels = made.recording.channels if wishes.get("ecg", True) else {}
    return of_made(Made(replace(made.recording, channels=channels, setup={}), made.truth), began)


DEVICE = Device(
    "rescue",
    "AED-1",
    "6.1.0",
    FACTORY_SETUP,
    record,
    (Measured("ecg", "ECG", "mV", 50.0, 0.0, 0.02),),
    ("checks",),
    keeps_one=True,
    planned_s=lambda setup: 540.0,
    checks={"self-test": ("battery", "pads")},
    check_s=10.0,
)

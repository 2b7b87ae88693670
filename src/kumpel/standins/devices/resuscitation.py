"""A defibrillator: one recording, overwritten at the next switching on."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from kumpel.standins import resuscitation_signal
from kumpel.standins.device import Began, Device, Measured, Recorded, Wishes, of_made, seed_of
from kumpel.standins.made import Made

FACTORY_SETUP: dict[str, Any] = {"name": "Pit head", "place": "pit head", "prompts": "English"}


def record(began: Began, wishes: Wishes) -> Recorded:
    """Wishes: shocks (how many), pause_s (of the third train, s), ecg (False: events only)."""
    given = resuscitation_signal.usual_resuscitation(seed_of(began, wishes))
    trains = (
        tuple(t for t in given.trains if t.start_s + 60 * t.count / t.rate < began.length_s - 10) or given.trains[:1]
    )
    longer = float(wishes.get("pause_s", 0.0))
    trains = tuple(replace(t, start_s=t.start_s + (longer if i > 1 else 0.0)) for i, t in enumerate(trains))
    end = max(began.length_s, max(t.start_s + 60 * t.count / t.rate for t in trains) + 10)
    shocks = tuple(s for s in given.shocks_s[: int(wishes.get("shocks", 2))] if s < end - 5)
    given = replace(given, trains=trains, length_s=end, shocks_s=shocks)
    made = resuscitation_signal.make(given)
    channels = made.recording.channels if wishes.get("ecg", True) else {}
    return of_made(Made(replace(made.recording, channels=channels, setup={}), made.truth), began)


DEVICE = Device(
    "resuscitation",
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

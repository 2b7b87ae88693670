"""From the samples to the loss list and the table: `./kumpel bench laps`. Two hours at 25 Hz, 16 channels, beside one NumPy pass."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from kumpel.core.laps_wish import LapsWish
from kumpel.core.recording import Channel, Recording
from kumpel.core.review import Review
from kumpel.core.vehicle.bins import Asked, bin_sheet
from kumpel.core.vehicle.drive import drive_of
from kumpel.core.vehicle.lap_view import lap_sheet
from kumpel.standins.lap_driver import Sensors, drive, recorded
from kumpel.standins.vehicle_signal import KART, practice_loop

HZ = 25


def session(laps: int) -> Recording:
    """Laps of the practice loop with every channel at 25 Hz, sixteen of them."""
    rng = np.random.default_rng(1)
    made = recorded(drive(practice_loop(), KART, laps, (), 0.04, rng), rng, Sensors(interval_s=1 / HZ)).recording
    at = np.arange(made.channels["lat"].count) / HZ
    channels = {
        key: Channel(key, c.name, c.unit, 1 / HZ, np.interp(at, np.arange(c.count) * c.interval_s, c.values))
        for key, c in made.channels.items()
    }
    for number in range(16 - len(channels)):
        channels[f"spare.{number}"] = Channel(f"spare.{number}", "Spare", "V", 1 / HZ, np.zeros(len(at)))
    return replace(made, channels=channels)


def spent(work: Callable[[], Any]) -> float:
    began = time.perf_counter()
    work()
    return 1000 * (time.perf_counter() - began)


def measured(recording: Recording) -> list[tuple[str, float]]:
    """Milliseconds of each step; the first two on a recording that nothing was derived of yet."""
    asked, review = Asked("mixture", "rpm", "throttle", target=(0.8, 0.95)), Review()
    return [
        ("course and laps", spent(lambda: drive_of(recording, review))),
        ("loss list, first", spent(lambda: lap_sheet(recording, review))),
        ("loss list of another lap", min(spent(lambda: lap_sheet(recording, review, LapsWish(3))) for _ in range(5))),
        ("table", min(spent(lambda: bin_sheet(recording, review, asked)) for _ in range(5))),
    ]


def one_pass(values: np.ndarray[Any, Any]) -> float:
    return min(spent(lambda: (values * 2.0).sum()) for _ in range(5))


def main() -> None:
    # SciPy loads its parts when they are first used: that is no work of a session.
    measured(session(3))
    print("| session | what | ms | of one NumPy pass |\n|---|---|---|---|")
    for laps, name in ((30, "30 min"), (120, "2 h")):
        recording = session(laps)
        values = np.stack([c.values for c in recording.channels.values()])
        one = one_pass(values)
        for what, took in measured(recording):
            print(
                f"| {name}, {values.shape[1]:,} x {len(values)} | {what} | {took:.0f} | {took / one:.0f} |", flush=True
            )


if __name__ == "__main__":
    main()

"""A night recorder of jaw muscles and heart: three channels at the full rate, written in pieces of ten minutes."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import numpy as np

from kumpel.formats import krec
from kumpel.standins import jaw_muscle_signal
from kumpel.standins.device import Began, Device, Measured, Recorded, Wishes, seed_of

PIECE_S = 600.0
FACTORY_SETUP: dict[str, Any] = {
    "name": "Night",
    "rate_hz": 1000,
    "threshold_percent": 10.0,
    "hysteresis_percent": 20.0,
    "notch_hz": 0,
    "asleep_from": None,
    "awake_from": None,
    "run_length_min": 480,
}
CHANNELS = (("emg.left", "Masseter left", "uV"), ("emg.right", "Masseter right", "uV"), ("ecg", "ECG", "mV"))


def record(began: Began, wishes: Wishes) -> Recorded:
    """Wishes: calm (no clench at the beginning and no episode), off_s (right electrode loose, spans in s)."""
    rate = int(began.setup.get("rate_hz") or 1000)
    length = max(round(began.length_s), 60)
    return Recorded(float(length), _items(began, wishes, rate, float(length)))


def _items(began: Began, wishes: Wishes, rate: int, length_s: float) -> Iterator[bytes]:
    heads = tuple(
        krec.ChannelHead(key, name, unit, 1 / rate, "i16", 0.2 if unit == "uV" else 0.001, 0.0, -32_768)
        for key, name, unit in CHANNELS
    )
    about = krec.Head(
        "jaw_muscle",
        began.session,
        began.start,
        began.utc_offset_min,
        began.recorder,
        dict(began.setup),
        heads,
        began.slip,
    )
    writer = krec.Writer(about)
    yield writer.head()
    held: list[list[np.ndarray]] = [[] for _ in heads]
    at = 0.0
    while at < length_s:
        piece_s = min(PIECE_S, length_s - at)
        channels = jaw_muscle_signal.make(_night(began, wishes, rate, at, piece_s)).recording.channels
        for number, head in enumerate(heads):
            held[number].append(channels[head.key].values)
        at += piece_s
        for number in range(len(heads)):
            values = np.concatenate(held[number])
            whole = len(values) if at >= length_s else len(values) // krec.MAX_BLOCK_SAMPLES * krec.MAX_BLOCK_SAMPLES
            for first in range(0, whole, krec.MAX_BLOCK_SAMPLES):
                yield writer.block(number, values[first : min(first + krec.MAX_BLOCK_SAMPLES, whole)])
            held[number] = [values[whole:]]
    yield writer.tail()


def _night(began: Began, wishes: Wishes, rate: int, at: float, piece_s: float) -> jaw_muscle_signal.Night:
    """Ten minutes of the night; only the first have the clenches that the threshold is taken from."""
    calm = bool(wishes.get("calm", False))
    seed = seed_of(began, wishes) + int(at)
    night = jaw_muscle_signal.Night(
        seed,
        piece_s,
        1 / rate,
        groups=() if calm or piece_s < 400 else jaw_muscle_signal.usual_groups(seed, piece_s, 24.0),
        clenches=0 if calm or at > 0 else 3,
        heart=replace(jaw_muscle_signal.Night().heart, rate_bpm=((0.0, 60.0), (piece_s, 57.0))),
        wander_mv=0.2,
    )
    loose = tuple(
        (max(a - at, 0.0), min(b - at, piece_s)) for a, b in wishes.get("off_s", ()) if a < at + piece_s and b > at
    )
    return replace(night, off_s={"right": loose}) if loose else night


DEVICE = Device(
    "jaw_muscle",
    "JM-3",
    "1.2.5",
    FACTORY_SETUP,
    record,
    tuple(Measured(key, name, unit, 50.0, 0.0, 5.0) for key, name, unit in CHANNELS),
    ("live",),
    heavy=True,
    begins=lambda setup: setup.get("asleep_from") or "22:45",
)

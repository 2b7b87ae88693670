"""A synthetic recording with the truth that an analysis should find in it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kumpel.formats import krec
from kumpel.formats.krec import Channel, Recording

START = 1_795_068_000.0
"""2026-11-19 06:00:00 UTC: made-up recordings begin then unless told otherwise."""


@dataclass(frozen=True)
class Made:
    """`truth` holds plain numbers, texts and lists: what was put in, by name."""

    recording: Recording
    truth: Mapping[str, Any]


def as_file(made: Made, session: str, start: float, utc_offset_min: int, recorder: Mapping[str, object]) -> bytes:
    """The recording file that a recorder would give of it, begun at another time (Unix seconds)."""
    recording = replace(made.recording, start=start, utc_offset_min=utc_offset_min, recorder=recorder)
    return krec.write_recording(recording, session)


def channel(key: str, name: str, unit: str, interval_s: float, values: NDArray[np.float64]) -> Channel:
    return Channel(key, name, unit, interval_s, np.ascontiguousarray(values, dtype=np.float64))

"""A type of simulated recorder: what it measures, how it is set up, what its sessions are made of."""

from __future__ import annotations

import zlib
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from kumpel.formats import krec
from kumpel.standins.made import Made

Setup = Mapping[str, Any]


@dataclass(frozen=True)
class Began:
    """A session as the recorder begins to write it: its name, its start by the recorder's clock, and what was set."""

    session: str
    start: float
    utc_offset_min: int
    length_s: float
    setup: Setup
    slip: Mapping[str, Any]
    recorder: Mapping[str, Any]

    def local_hour(self, at_s: float) -> float:
        """Hour of the day (0 to 24) by the recorder's wall clock, `at_s` after the start."""
        return (self.start + at_s + 60 * self.utc_offset_min) % 86_400 / 3600


@dataclass(frozen=True)
class Recorded:
    """A finished session: how long it became and the items of its file."""

    length_s: float
    items: Iterable[bytes]


Wishes = Mapping[str, Any]
"""Parameters of a signal, told over the control port by tests and the demo; `seed` is always one."""
Record = Callable[[Began, Wishes], Recorded]


@dataclass(frozen=True)
class Sensor:
    """What is behind a channel: the raw values it really gives and those the recorder believes in before any calibration, as
    (raw, true); its noise in raw units; what somebody moves it to in turn (true values) while nobody tells it otherwise."""

    unit: str
    gives: tuple[tuple[float, float], ...]
    believed: tuple[tuple[float, float], ...]
    noise: float
    turns: tuple[float, ...] = ()


@dataclass(frozen=True)
class Measured:
    """A channel as live values show it: how often at the most, about which level, how far it swings."""

    key: str
    name: str
    unit: str
    most_hz: float = 1.0
    level: float = 0.0
    swing: float = 0.0
    sensor: Sensor | None = None


@dataclass(frozen=True)
class Screen:
    """A display: its size in pixels and greys, and the values it can show (key, label, example)."""

    width: int
    height: int
    greys: int
    offers: tuple[tuple[str, str, str], ...] = ()
    most_pages: int = 1
    most_fields: int = 1
    round: bool = False


def run_length_s(setup: Setup) -> float:
    """The planned length that most kinds write into their setup."""
    return 60.0 * float(setup.get("run_length_min") or 480)


@dataclass(frozen=True)
class Device:
    kind: str
    model: str
    firmware: str
    setup: dict[str, Any]
    record: Record
    measured: tuple[Measured, ...] = ()
    can: tuple[str, ...] = ()
    keeps_one: bool = False
    stop_first: bool = False
    """Nothing is read while it records."""
    heavy: bool = False
    """Making a session takes seconds."""
    planned_s: Callable[[Setup], float] = run_length_s
    begins: Callable[[Setup], str | None] = field(default=lambda setup: None)
    """The wall time (HH:MM) at which a recording of this kind begins, if it hangs on one."""
    update_press: str = ""
    """What somebody does on it before it takes another program; empty: nothing."""
    full_h: Callable[[Setup], float] = field(default=lambda setup: 60.0)
    """Hours that a full battery lasts with a setup."""
    stores: Callable[[Setup], bool] = field(default=lambda setup: True)
    checks: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    """Sensors by the check that can be made of them."""
    check_s: float = 20.0
    names: tuple[str, ...] = ()
    screen: Screen | None = None
    further: Callable[[Setup], tuple[Measured, ...]] = field(default=lambda setup: ())
    """Channels of sensors that a setup declares."""


def of_made(made: Made, began: Began) -> Recorded:
    """A session from a synthetic recording, begun when and set up as the recorder was."""
    setup = dict(made.recording.setup) | dict(began.setup)
    recording = krec.Recording(
        made.recording.kind,
        began.start,
        began.utc_offset_min,
        made.recording.channels,
        made.recording.events,
        setup,
        began.recorder,
    )
    return Recorded(recording.length_s, krec.recording_items(recording, began.session, began.slip))


def seed_of(began: Began, wishes: Wishes) -> int:
    return int(wishes.get("seed", zlib.crc32(began.session.encode())))

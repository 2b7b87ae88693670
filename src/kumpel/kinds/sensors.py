"""What a kind says of the sensors of its recorders: how each is calibrated, what is to be checked how often."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from kumpel.core.vehicle.calibration import RawRange


@dataclass(frozen=True)
class Position:
    """Where a sensor is held for a point of its calibration, and what it should read there; `channel` where each has its own."""

    words: str
    true: float
    channel: str = ""


@dataclass(frozen=True)
class ProofStep:
    """Something to be seen on the live value before a calibration counts as proved: a value from `low` to `high`."""

    words: str
    low: float
    high: float


@dataclass(frozen=True)
class SensorWord:
    """A sensor that is calibrated on the recorder.

    One "press" takes all its channels at once while it stands as `stands` says; "positions" are held one after the other, and
    their true values may be typed. `at_rest` is a channel whose value has to be under a limit meanwhile (the engine).
    `every_days` is how long a calibration is taken to be right, as long as nobody says otherwise.
    """

    key: str
    label: str
    way: Literal["press", "positions"]
    unit: str
    positions: tuple[Position, ...]
    within: RawRange
    every_days: int
    stands: str = ""
    at_rest: tuple[str, float] | None = None
    proof: tuple[ProofStep, ...] = ()

    @property
    def channels(self) -> tuple[str, ...]:
        own = tuple(position.channel for position in self.positions if position.channel)
        return own or (self.key,)


@dataclass(frozen=True)
class Watched:
    """A check that a recorder is expected to have had within so many days: what is checked, of which sensor, in words."""

    check: str
    sensor: str
    label: str
    every_days: float

"""How a kind's recorders are checked at the bench: what is applied to which sensor, and what deviation is allowed."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from kumpel.core.check_rules import Allowed, DriftAllowed, Steady


@dataclass(frozen=True)
class BenchSensor:
    """A sensor of a recorder as it is set up: what is applied to it (None: what the reference says), in which unit, with which decimals;
    the live `channel` that shows it, and, where somebody reads it step by step, what they `do` first."""

    key: str
    label: str
    unit: str
    applied: float | None
    decimals: int = 1
    channel: str = ""
    do: str = ""


@dataclass(frozen=True)
class BenchCheck:
    """A check at the bench. `needs` is what sort of reference it takes, empty where none; `connect` what somebody does first; one that
    `adjusts` sets the sensor to what is applied, and reads again."""

    key: str
    label: str
    connect: str
    allowed: Allowed
    sensors: Callable[[Mapping[str, Any]], tuple[BenchSensor, ...]]
    needs: str = ""
    adjusts: bool = False
    drift: DriftAllowed | None = None
    """How far it may have moved since the check before, so that what was recorded between the two counts."""
    beside: bool = False
    """It stands for the check before and after a recording that has none of its own."""
    days: int | None = None
    """For how long it holds, where no setup says."""
    steady: Steady | None = None
    """Of a recorder that cannot check itself: somebody applies something, and its live value is read once it is steady."""

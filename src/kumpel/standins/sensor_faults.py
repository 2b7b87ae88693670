"""How a simulated sensor answers what is applied to it: aged, stuck, slow, saturated, dead."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

FRESH = 0.98
"""A sensor some weeks after it was set reads this share of what is applied."""
SETS_WITHIN = (0.5, 2.0)
"""By such factors a recorder lets itself be set, and by no others."""


@dataclass(frozen=True)
class SensorState:
    """`share` of what is applied it reads in the end, `t90_s` how long it takes to nine tenths of that, `most` what it reads at the most; one
    that `sticks` reads that whatever is applied, and one that is not `is_settable` cannot be set."""

    share: float = FRESH
    t90_s: float = 12.0
    most: float = math.inf
    sticks: float | None = None
    is_settable: bool = True

    def reads(self, applied: float, after_s: float) -> float:
        """What it reads after so long in what is applied: of first order, 1 - 10^(-t / t90)."""
        if self.sticks is not None:
            return self.sticks
        return min(applied * self.share * (1 - 10 ** (-after_s / self.t90_s)), self.most)

    def can_be_set(self, applied: float, read: float) -> bool:
        """Whether its factor can make a reading of what is applied: not of one that is stuck or at its end."""
        if not self.is_settable or self.sticks is not None or read >= self.most or read <= 0:
            return False
        return SETS_WITHIN[0] <= applied / read <= SETS_WITHIN[1]


def state_of(raw: Mapping[str, Any], sensor: str) -> SensorState:
    """As it was told over the control port: `fails` lists those that are dead by half, `sensors` has the states of others."""
    if sensor in raw.get("fails", []):
        return SensorState(share=0.5, is_settable=False)
    return SensorState(**raw.get("sensors", {}).get(sensor, {}))

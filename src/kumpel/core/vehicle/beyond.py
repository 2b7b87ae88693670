"""How long, when and how often a channel was beyond the first step of its limit.

Source: docs/methods/vehicle.md, "Limits".
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from kumpel.core.assessment import Detected, Rule
from kumpel.core.recording import Floats

JOINED_S = 1.0
"""Times beyond a limit with less than this between them are one."""
MOST_EVENTS = 200


@dataclass(frozen=True)
class Beyond:
    """A channel beyond the first step of a rule: the whole time (s), and the stretches (s after the start), the first one first."""

    rule: Rule
    channel: str
    seconds: float
    stretches: tuple[tuple[float, float], ...]

    @property
    def words(self) -> str:
        """ "above 15000 rpm"."""
        step = self.rule.steps[0]
        return f"{'below' if step.below else 'above'} {step.value:g} {self.rule.unit}".strip()

    def events(self) -> list[Detected]:
        """The stretches as events of the code "beyond." and the channel."""
        return [
            Detected(a, b, f"beyond.{self.channel}", f"{self.rule.name} {self.words} for {b - a:.1f} s")
            for a, b in self.stretches[:MOST_EVENTS]
        ]


def beyond(rule: Rule, channel: str, values: Floats, interval_s: float) -> Beyond | None:
    """Samples in the unit of the rule, shape (n,), nan where nothing was measured, against its first step; None without steps.

    A sample stands for its interval. The time is nan where nothing at all was measured.
    """
    if not rule.steps:
        return None
    if np.isnan(values).all():
        return Beyond(rule, channel, math.nan, ())
    step = rule.steps[0]
    with np.errstate(invalid="ignore"):
        there = values <= step.value if step.below else values >= step.value
        if step.beyond:
            there &= values != step.value
    edges = np.flatnonzero(np.diff(np.concatenate(([False], there, [False])).astype(np.int8)))
    runs = [(float(a) * interval_s, float(b) * interval_s) for a, b in edges.reshape(-1, 2).tolist()]
    return Beyond(rule, channel, float(np.count_nonzero(there)) * interval_s, tuple(_joined(runs)))


def _joined(runs: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    if not runs:
        return []
    cuts = [i for i, ((_, end), (start, _)) in enumerate(pairwise(runs), 1) if start - end >= JOINED_S]
    return [(runs[a][0], runs[b - 1][1]) for a, b in pairwise([0, *cuts, len(runs)])]

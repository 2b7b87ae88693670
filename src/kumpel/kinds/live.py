"""What of a recorder is looked at while it is worn: channels with the steps at which somebody has to look, or be called."""

from __future__ import annotations

from dataclasses import dataclass

from kumpel.core.assessment import Step, Verdict
from kumpel.core.rounding import stated

ATTENTION = (Verdict.ACTION, Verdict.ABOVE)


@dataclass(frozen=True)
class LiveFigure:
    """A channel of live values as it stands on the wall. `steps`: an action level is to be watched, a limit is an alarm."""

    channel: str
    label: str
    unit: str
    decimals: int
    steps: tuple[Step, ...] = ()

    def nearness(self, value: float) -> float:
        """How near a value is to its first step, 1 at it; 0 of what has none above it, or was not measured."""
        above = [step.value for step in self.steps if not step.below]
        if not above or any(step.below for step in self.steps) or value != value:
            return 0.0
        return max(value / min(above), 0.0)

    def step_at(self, value: float) -> Step | None:
        """The step of most attention that a value reaches, as it is stated."""
        reached = [step for step in self.steps if step.reached_by(stated(value, self.decimals))]
        return max(reached, key=lambda step: ATTENTION.index(step.verdict), default=None)

"""What the figures of a noise session rest on: the samples that count, how long they and the working day are."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kumpel.core.noise import levels
from kumpel.core.noise.setup import planned_s, weightings
from kumpel.core.reckoning import Reckoning
from kumpel.core.recording import Flags, Floats, Recording
from kumpel.core.review import Review, Stretch, samples_inside


@dataclass(frozen=True)
class Basis:
    """The samples that count, and how long they and the working day are."""

    recording: Recording
    stretches: tuple[Stretch, ...]
    interval_s: float
    counted: Flags
    left_out: Flags
    measured_s: float
    working_day_s: float
    planned_s: float
    coverage: float

    def levels(self, key: str) -> Floats | None:
        """A channel with nan where it was left out, by the channel's own interval."""
        channel = self.recording.channels.get(key)
        if channel is None:
            return None
        out = samples_inside(self.stretches, channel.count, channel.interval_s)
        return np.where(out, np.nan, channel.values)

    def reckoning(self) -> Reckoning:
        """What the figures share: coverage, samples used and left out."""
        out = int(np.sum(self.left_out))
        return Reckoning(self.coverage, int(np.sum(self.counted)), out, out * self.interval_s)

    def share_of(self, values: Floats, interval_s: float) -> float:
        """Share (0..1) of the planned time for which a channel has values that count."""
        measured = float(np.count_nonzero(~np.isnan(values))) * interval_s
        return min(measured / self.planned_s, 1.0) if self.planned_s > 0 else 0.0

    @property
    def equal_energy_levels(self) -> tuple[Floats | None, str, int]:
        """Levels for LAeq: the first A-weighted, equal-energy set-up without a threshold in the meter; what is to be said of it;
        its number, 0 when there is none."""
        setups = weightings(self.recording.setup)
        for number, setup in enumerate(setups, 1):
            if setup.frequency == "A" and setup.is_equal_energy:
                return self.levels(f"leq.{number}"), "", number
        for number, setup in enumerate(setups, 1):
            if setup.frequency == "A":
                return self.levels(f"leq.{number}"), f"from set-up {number} ({setup.name})", number
        return None, "no A-weighted set-up was recorded", 0


def basis_of(recording: Recording, review: Review) -> Basis:
    """The samples that count under a review. Raises ValueError when there is no level channel `leq.1`."""
    main = recording.channels.get("leq.1")
    if main is None:
        raise ValueError("the recording has no level channel (leq.1): nothing to assess")
    left_out = samples_inside(review.left_out, main.count, main.interval_s)
    counted = levels.measured_flags(main.values, left_out)
    measured_s = float(np.sum(counted)) * main.interval_s
    recorded_s = float(np.sum(~np.isnan(main.values))) * main.interval_s
    planned = planned_s(recording.setup)
    # The day is not shorter because a part of it was left out, and not shorter than what was measured.
    working_day = review.working_day_s or max(planned or 0.0, recorded_s)
    expected = review.working_day_s or planned or recording.length_s
    coverage = min(measured_s / expected, 1.0) if expected > 0 else 0.0
    return Basis(
        recording, review.left_out, main.interval_s, counted, left_out, measured_s, working_day, expected, coverage
    )

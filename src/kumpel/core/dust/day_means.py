"""The moving mean of 24 h as a channel, to be seen beside what was logged. Figures never come from it."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from kumpel.core.recording import Channel, Floats, Recording
from kumpel.core.timebase import DAY_S
from kumpel.core.units import channel_in

LEAST_SHARE = 0.75
STEP_S = 600.0
"""A mean of 24 h moves slowly: one each ten minutes is enough to be looked at."""


def day_means(values: Floats, interval_s: float, step_s: float = STEP_S) -> tuple[Floats, float]:
    """Means of the 24 h that end with each step, in the unit of the values (shape (n,), nan where not measured), and the step in s.

    nan over the first 24 h but for what three quarters of them say (WHO 2021, table 0.1), and where less than that was measured.

    >>> day_means(np.full(144, 2.0), 600.0)[0][[0, 106, 107, 143]].tolist()
    [nan, nan, 2.0, 2.0]
    """
    step = max(round(step_s / interval_s), 1)
    per = round(DAY_S / interval_s)
    known = ~np.isnan(values)
    sums, counts = np.zeros(len(values) + 1), np.zeros(len(values) + 1)
    np.cumsum(np.where(known, values, 0.0), out=sums[1:])
    np.cumsum(known, out=counts[1:])
    ends = np.arange(step, len(values) + 1, step)
    begins = np.maximum(ends - per, 0)
    used = counts[ends] - counts[begins]
    with np.errstate(invalid="ignore", divide="ignore"):
        means = (sums[ends] - sums[begins]) / used
    means[used < max(math.ceil(per * LEAST_SHARE), 1)] = np.nan
    return means, step * interval_s


def moving_day(recording: Recording) -> Mapping[str, Channel]:
    """The channel "mass.mean24h": the moving mean of 24 h of what was read, in mg/m3, before the photometric factor."""
    main = recording.channels.get("mass")
    if main is None or recording.length_s < LEAST_SHARE * DAY_S:
        return {}
    mass = channel_in(main, "mg/m3")
    means, step_s = day_means(mass.values, mass.interval_s)
    return {"mass.mean24h": Channel("mass.mean24h", "Mean of 24 h", "mg/m3", step_s, means)}

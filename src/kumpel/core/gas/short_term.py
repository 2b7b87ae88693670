"""The 15-minute mean of each sensor as a channel, to be seen beside what was logged. Figures never come from it."""

from __future__ import annotations

from collections.abc import Mapping

from kumpel.core.averages import moving_means
from kumpel.core.gas.figures import NOT_AVERAGED
from kumpel.core.gas.sensors import sensors
from kumpel.core.recording import Channel, Recording
from kumpel.core.units import channel_in

MEAN = "mean15"


def short_term_means(recording: Recording) -> Mapping[str, Channel]:
    """A channel "co.mean15" for each sensor that is on and has a short-term limit to be held against, in the unit of its gas.

    The mean of the 15 min that end at a moment (2000/39/EC, art. 2); nan over the first 15 min and across gaps.
    """
    found = {}
    for each in sensors(recording):
        main = recording.channels.get(f"{each.gas.key}.avg")
        if main is None or not each.on or each.gas.key in NOT_AVERAGED:
            continue
        average = channel_in(main, each.gas.unit)
        key = f"{each.gas.key}.{MEAN}"
        means = moving_means(average.values, average.interval_s)
        found[key] = Channel(key, f"{each.gas.name}, 15-min mean", each.gas.unit, average.interval_s, means)
    return found

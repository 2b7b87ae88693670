"""An episode closely: the moving RMS of both muscles and the beats around it, worked out of those seconds alone."""

from __future__ import annotations

import numpy as np

from kumpel.core.close_up import CloseUp, Curve, Moments
from kumpel.core.jaw_muscle.beats import find_beats
from kumpel.core.jaw_muscle.muscle import STEP_S, activity
from kumpel.core.jaw_muscle.signals import SIDES
from kumpel.core.reckoning import setup_number
from kumpel.core.recording import Channel, Recording
from kumpel.core.review import Review
from kumpel.core.samples import ArraySamples

SETTLES_S = 2.0
"""So long before, the filter has forgotten how it began (20 Hz high-pass, second order)."""
BEATS_FROM_S = 20.0
"""The threshold of the beats follows the last seconds: so many are looked at on each side."""


def close_up(recording: Recording, review: Review, start_s: float, end_s: float) -> CloseUp:
    """RMS over 100 ms in microvolt every 10 ms ("rms.left", "rms.right"), beats with the rate of the interval that ends with each
    ("beats", bpm). The same filters as over the whole night; what differs by their beginning is below a hundredth."""
    notch = review.number("notch_hz", setup_number(recording.setup, "notch_hz", 0.0))
    curves = []
    for side in SIDES:
        channel = recording.channels.get(f"emg.{side}")
        if channel is None:
            continue
        first, part = _cut(channel, start_s - SETTLES_S, end_s + SETTLES_S)
        if not part.count:
            continue
        found = activity(part, notch).rms
        begins = first * channel.interval_s
        skip = max(round((start_s - begins) / STEP_S), 0)
        many = round((end_s - max(start_s, begins)) / STEP_S)
        curves.append(Curve(f"rms.{side}", "uV", begins + skip * STEP_S, STEP_S, found[skip : skip + many]))
    ecg = recording.channels.get("ecg")
    if ecg is None:
        return CloseUp(tuple(curves), ())
    first, part = _cut(ecg, start_s - BEATS_FROM_S, end_s + BEATS_FROM_S)
    beats = find_beats(part.samples, ecg.interval_s) if part.count else None
    if beats is None:
        return CloseUp(tuple(curves), ())
    begins = first * ecg.interval_s
    at = beats.at_s + begins
    times, rates = beats.rates
    values = np.full(len(at), np.nan)
    values[np.searchsorted(beats.at_s, times)] = rates
    seen = (at >= start_s) & (at <= end_s)
    return CloseUp(tuple(curves), (Moments("beats", "bpm", at[seen], values[seen]),))


def _cut(channel: Channel, start_s: float, end_s: float) -> tuple[int, Channel]:
    """The samples of a span as a channel of their own, and which is the first of them."""
    first = max(round(start_s / channel.interval_s), 0)
    end = min(round(end_s / channel.interval_s), channel.count)
    values = channel.samples.read(first, max(end, first))
    return first, Channel(channel.key, channel.name, channel.unit, channel.interval_s, ArraySamples(values))

"""Which gear was in, from the speed and the engine's.

With a gear in and the clutch closed, engine speed n and speed v are in one fixed ratio. The logarithms of n / v of a session therefore
heap up at as many places as gears were driven; what lies between them is a shift, a slipping clutch, a locked wheel. So

    gear(t) = the heap within 4 % of which n / v lies, counted from the largest ratio (the lowest gear driven) as 1

Source: docs/methods/vehicle.md, "Gears".
"""

from __future__ import annotations

import numpy as np
import scipy

from kumpel.core.recording import Channel, Floats, Recording
from kumpel.core.samples import ArraySamples
from kumpel.core.vehicle.channels import at_times, in_units

BIN = 0.01
"""Ratios are counted in steps of one per cent, blurred over as much as the noise of the speed."""
BLUR_BINS = 1.2
APART = 0.09
"""Two gears differ by more than this (of the logarithm); less is a worn tyre."""
WITHIN = 0.04
LEAST_S, LEAST_SHARE = 3.0, 0.004
"""A heap is a gear when it was driven for so long, and for this share of the time."""
LEAST_SPEED_M_S, LEAST_RPM = 4.0, 800.0
MOST_GEARS = 10


def ratios_of(rpm: Floats, speed_m_s: Floats, interval_s: float) -> Floats:
    """The ratios of the gears driven, in rpm for each m/s, the largest (the lowest gear) first, shape (gears,).

    `rpm` and `speed_m_s` have shape (n,), samples `interval_s` apart; nan where nothing was measured. Empty when the vehicle was hardly
    driven.
    """
    logs = _logs(rpm, speed_m_s)
    known = logs[~np.isnan(logs)]
    need = max(LEAST_S / interval_s, LEAST_SHARE * len(known))
    if len(known) < need:
        return np.empty(0)
    first = float(known.min()) - 10 * BIN
    counts = np.bincount(((known - first) / BIN).astype(np.intp), minlength=2)
    counts = np.concatenate((counts, np.zeros(10, dtype=counts.dtype)))
    heaps = scipy.ndimage.gaussian_filter1d(counts.astype(np.float64), BLUR_BINS, mode="constant")
    peaks, about = scipy.signal.find_peaks(
        heaps, distance=round(APART / BIN), prominence=0.3 * heaps.max() * LEAST_SHARE
    )
    found = []
    for at, prominence in zip(first + (peaks + 0.5) * BIN, about["prominences"], strict=True):
        near = known[np.abs(known - at) < WITHIN]
        # A heap stands out of what lies between the gears.
        if len(near) >= need and prominence * 2 > heaps[round((at - first) / BIN - 0.5)]:
            found.append((len(near), float(np.median(near))))
    most = sorted(sorted(found, reverse=True)[:MOST_GEARS], key=lambda each: -each[1])
    ratios: Floats = np.exp(np.array([each[1] for each in most], dtype=np.float64))
    return ratios


def _logs(rpm: Floats, speed_m_s: Floats) -> Floats:
    with np.errstate(invalid="ignore", divide="ignore"):
        driven = (speed_m_s > LEAST_SPEED_M_S) & (rpm > LEAST_RPM)
        return np.where(driven, np.log(rpm / speed_m_s), np.nan)


def gears_of(rpm: Floats, speed_m_s: Floats, ratios: Floats) -> Floats:
    """The gear at each sample, from 1; nan while none is in, or while the vehicle all but stands. Shapes (n,)."""
    logs = _logs(rpm, speed_m_s)
    if not len(ratios):
        return np.full(len(logs), np.nan)
    away = np.abs(logs[:, None] - np.log(ratios)[None, :])
    nearest = np.argmin(np.where(np.isnan(away), np.inf, away), axis=1)
    with np.errstate(invalid="ignore"):
        inside = away[np.arange(len(logs)), nearest] < WITHIN
    found: Floats = np.where(inside, nearest + 1.0, np.nan)
    return found


def gear_channel(recording: Recording) -> Channel | None:
    """The gear as a channel at the samples of the engine's speed; None when it was recorded, cannot be told, or never changed."""
    rpm, speed = in_units(recording, "rpm"), in_units(recording, "speed")
    if "gear" in recording.channels or rpm is None or speed is None:
        return None
    at: Floats = np.arange(rpm.count, dtype=np.float64) * rpm.interval_s
    on_rpm = at_times(speed, at)
    ratios = ratios_of(rpm.values, on_rpm, rpm.interval_s)
    if len(ratios) < 2:
        return None
    gears = gears_of(rpm.values, on_rpm, ratios)
    return Channel("gear", "Gear, computed", "", rpm.interval_s, ArraySamples(gears))

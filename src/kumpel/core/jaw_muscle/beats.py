"""Heartbeats in one ECG lead: found by the energy of the slopes, doubtful ones masked.

The lead may be inverted; its size does not matter. Steps: mean to about 125 Hz, band-pass 5-15 Hz (both ways, no
delay), derivative, square, mean over 0.12 s, peaks above a threshold that follows the last seconds, at least 0.25 s
apart, then a second look with a lower threshold where a beat seems to be missing. The idea of slope energy with an
adaptive threshold is that of Pan and Tompkins, IEEE Trans Biomed Eng 1985;32:230; the threshold is our own.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from kumpel.core.recording import Flags, Floats
from kumpel.core.runs import runs
from kumpel.core.samples import ArraySamples, Samples

WORK_HZ = 125.0
LOCATE_S = 0.004
BEFORE_S, AFTER_S, BASE_LINE_S, WAVE_S, FIRST_WAVE = 0.15, 0.1, 0.6, 0.032, 0.6
WAVE_STEEP = 0.4
BAND_HZ = (5.0, 15.0)
REFRACTORY_S = 0.25
ENERGY_WINDOW_S = 0.12
LEVEL_WINDOW_S = 2.0
LEVEL_WINDOWS = 9
THRESHOLD = 0.25
SECOND_LOOK = 0.08
BURST = 5.0
T_WAVE_S, T_WAVE_SHARE = 0.31, 0.75
LONGEST_RR_S, SHORTEST_RR_S = 2.5, 0.3
BLOCK_S, OVERLAP_S = 600.0, 10.0


@dataclass(frozen=True)
class Beats:
    """Beats of a lead: times in s, shape (n,), rising; `doubtful` flags beats in noise or beside a gap.

    `masked` lists spans (start, end in s) in which beats cannot be told: no signal, or bursts of movement. No
    heart rate is given across them.
    """

    at_s: Floats
    doubtful: Flags
    masked: tuple[tuple[float, float], ...]
    length_s: float

    @property
    def rates(self) -> tuple[Floats, Floats]:
        """Times (s) and rates (bpm) of intervals between neighbouring beats that can be trusted, shape (m,) each.

        rate = 60 / interval, at the later beat; intervals under 0.3 s or over 2.5 s, those across a masked span or
        at a doubtful beat, and those that differ by more than 30 % from the median of the 9 around (early beats
        and the pause after them) are gaps, never zero.
        """
        if len(self.at_s) < 2:
            return np.empty(0), np.empty(0)
        step = np.diff(self.at_s)
        good = (step >= SHORTEST_RR_S) & (step <= LONGEST_RR_S) & ~self.doubtful[1:] & ~self.doubtful[:-1]
        for a, b in self.masked:
            first, end = np.searchsorted(self.at_s, [a, b])
            good[max(first - 1, 0) : end] = False
        usual = scipy.ndimage.median_filter(step, size=9, mode="mirror")
        good &= np.abs(step - usual) <= 0.3 * usual
        return self.at_s[1:][good], 60.0 / step[good]

    def mean_rate(self, start_s: float, end_s: float, fewest: int = 3) -> float:
        """Mean heart rate in a time span: 60 x intervals / their sum; nan with fewer than `fewest` intervals."""
        times, rates = self.rates
        return mean_rate(times, rates, start_s, end_s, fewest)


def mean_rate(times_s: Floats, rates: Floats, start_s: float, end_s: float, fewest: int = 3) -> float:
    """Mean of rates whose interval ends in a time span, weighted by the intervals; nan when too few."""
    first, end = np.searchsorted(times_s, [start_s, end_s])
    part = rates[first:end]
    return 60.0 * len(part) / float(np.sum(60.0 / part)) if len(part) >= fewest else math.nan


def _thinned(ecg: Floats, factor: int) -> Floats:
    """Means of `factor` neighbouring samples, shape (n // factor,); nan where one of them is."""
    n = len(ecg) // factor * factor
    if factor == 1:
        return ecg[:n]
    found: Floats = ecg[:n].reshape(-1, factor) @ np.full(factor, 1 / factor)
    return found


def _filled(values: Floats) -> tuple[Floats, Flags]:
    """Missing samples bridged by straight lines, and which they were."""
    missing = np.isnan(values)
    if not missing.any():
        return values, missing
    known = np.flatnonzero(~missing)
    filled = values.copy()
    if len(known):
        filled[missing] = np.interp(np.flatnonzero(missing), known, values[known])
    else:
        filled[:] = 0.0
    return filled, missing


def slope_energy(ecg: Floats, interval_s: float) -> Floats:
    """Energy of the slopes in the band of the QRS, shape (n,): band-pass, derivative, square, mean over 0.12 s."""
    sos = scipy.signal.butter(1, BAND_HZ, "bandpass", fs=1 / interval_s, output="sos")
    # Forwards and backwards, so that a beat's energy lies at the beat.
    once = scipy.signal.sosfilt(sos, ecg - ecg[0])[::-1]
    band = scipy.signal.sosfilt(sos, once)[::-1]
    slope = np.empty_like(band)
    slope[1:-1] = band[2:] - band[:-2]
    slope[:1] = slope[-1:] = 0.0
    np.square(slope, out=slope)
    width = max(round(ENERGY_WINDOW_S / interval_s), 1)
    found: Floats = scipy.ndimage.uniform_filter1d(slope, width)
    return found


def find_beats(ecg: Samples | Floats, interval_s: float) -> Beats:
    """Beats of one ECG lead, any unit, nan where nothing was measured; samples, or an array of shape (n,).

    Works from 100 Hz up, in blocks of ten minutes. Empty for less than 2 s of signal. Found beats lie within 20 ms of the R
    peak, broad ones too, where the R wave stands out at least six tenths as far as the S wave; else they lie on the S wave.
    """
    samples = ecg if isinstance(ecg, Samples) else ArraySamples(ecg)
    length = samples.count * interval_s
    factor = max(int(1 / interval_s / WORK_HZ + 1e-6), 1)
    dt = interval_s * factor
    nothing = Beats(np.empty(0), np.zeros(0, bool), ((0.0, length),) if samples.count else (), length)
    if samples.count // factor * dt < 2.0:
        return nothing
    energy, missing = _slopes(samples, factor, dt)
    if missing.all():
        return nothing
    level, burst = _level(energy, dt)
    window = max(round(LEVEL_WINDOW_S / dt), 1)
    if level.max() <= 0:
        return nothing
    masked = _masked(missing, burst, window, dt, len(energy))
    peaks = _peaks(energy, max(float(level.min()) * SECOND_LOOK, 1e-30), dt)
    local = np.interp(peaks, (np.arange(len(level)) + 0.5) * window, level)
    strong = energy[peaks] >= THRESHOLD * local
    strong &= ~_t_waves(peaks, energy, strong, dt)
    chosen = _second_look(peaks, energy, local, strong, len(energy))
    inside = np.zeros(len(chosen), dtype=bool)
    for a, b in masked:
        inside |= (chosen * dt >= a) & (chosen * dt < b)
    chosen = chosen[~inside]
    at = _at_peaks(samples, interval_s, (chosen.astype(np.float64) + 0.5) * dt)
    if len(at) > 1:
        keep = np.concatenate(([True], np.diff(at) >= REFRACTORY_S))
        at, chosen = at[keep], chosen[keep]
    return Beats(at, _doubtful(energy, chosen, dt), tuple(masked), length)


def _slopes(ecg: Samples, factor: int, dt: float) -> tuple[Floats, Flags]:
    """Energy of the slopes at about 125 Hz, and which samples are missing, shape (count // factor,) each; block by block.

    The blocks overlap by far more than the filters ring, so that their seams cannot be told.
    """
    count = ecg.count // factor
    energy, missing = np.empty(count), np.empty(count, dtype=bool)
    size, around = max(round(BLOCK_S / dt), 1), max(round(OVERLAP_S / dt), 1)
    for first in range(0, count, size):
        end = min(first + size, count)
        low, high = max(first - around, 0), min(end + around, count)
        part, gone = _filled(_thinned(ecg.read(low * factor, high * factor), factor))
        missing[first:end] = gone[first - low : end - low]
        energy[first:end] = slope_energy(part, dt)[first - low : end - low]
    return energy, missing


def _peaks(energy: Floats, height: float, dt: float) -> NDArray[np.intp]:
    """Samples of the peaks of at least a height, at least 0.25 s apart; the higher one of two stays. Block by block, overlapping."""
    size, around = max(round(BLOCK_S / dt), 1), max(round(OVERLAP_S / dt), 1)
    found = []
    for first in range(0, len(energy), size):
        low = max(first - around, 0)
        at, _ = scipy.signal.find_peaks(
            energy[low : first + size + around], distance=max(round(REFRACTORY_S / dt), 1), height=height
        )
        found.append(at[(at + low >= first) & (at + low < first + size)] + low)
    return np.concatenate(found)


def _t_waves(peaks: NDArray[np.intp], energy: Floats, strong: Flags, dt: float) -> Flags:
    """Strong peaks within 0.31 s of a beat with much less energy than it: its T wave, not the next beat."""
    flags = np.zeros(len(peaks), dtype=bool)
    at = np.flatnonzero(strong)
    close = np.flatnonzero(np.diff(peaks[at]) * dt < T_WAVE_S)
    for i in close.tolist():
        before, here = at[i], at[i + 1]
        if not flags[before] and energy[peaks[here]] < T_WAVE_SHARE * energy[peaks[before]]:
            flags[here] = True
    return flags


def _level(energy: Floats, dt: float) -> tuple[Floats, Flags]:
    """Usual height of a beat's energy by windows of 2 s (median of the highest of 9 windows), and windows of bursts."""
    window = max(round(LEVEL_WINDOW_S / dt), 1)
    tops = np.maximum.reduceat(energy, np.arange(0, len(energy), window))
    level: Floats = scipy.ndimage.median_filter(tops, size=LEVEL_WINDOWS, mode="mirror")
    return level, tops > BURST * level


def _masked(missing: Flags, burst: Flags, window: int, dt: float, n: int) -> list[tuple[float, float]]:
    """Spans without a signal for more than half a second, and windows of bursts."""
    flags = np.zeros(n, dtype=bool)
    for first, end in runs(missing).tolist():
        if (end - first) * dt > 0.5:
            flags[first:end] = True
    for first, end in runs(burst).tolist():
        flags[first * window : end * window] = True
    return [(a * dt, b * dt) for a, b in runs(flags).tolist()]


def _second_look(peaks: NDArray[np.intp], energy: Floats, local: Floats, strong: Flags, end: int) -> NDArray[np.intp]:
    """Strong peaks, and between two that lie far apart, before the first and after the last (up to sample `end`), the best
    weaker one."""
    chosen = peaks[strong]
    if len(chosen) < 3:
        return chosen
    steps = np.diff(chosen)
    # Mirrored at the ends, so that a long last step does not count as the usual one.
    usual = scipy.ndimage.median_filter(steps, size=9, mode="mirror")
    added: list[int] = []

    def look(from_at: float, to_at: float, step: float) -> None:
        first, last = np.searchsorted(peaks, [from_at, to_at])
        while first < last:
            best = first + int(np.argmax(energy[peaks[first:last]]))
            if energy[peaks[best]] < SECOND_LOOK * local[best]:
                return
            added.append(int(peaks[best]))
            first = int(np.searchsorted(peaks, peaks[best] + 0.6 * step))

    for i in np.flatnonzero(steps > 1.6 * usual).tolist():
        look(chosen[i] + 0.4 * usual[i], chosen[i + 1] - 0.4 * usual[i], float(usual[i]))

    def look_on(at: float, step: float, sign: int) -> None:
        while 0 < at + sign * 0.8 * step < end:
            near, far = sorted((at + sign * 0.6 * step, at + sign * 1.4 * step))
            before = len(added)
            look(max(near, 0.0), min(far, end), 2 * step)
            if len(added) == before:
                return
            at = float(added[-1])

    # Beyond the outer beats, one usual step at a time, as long as a beat is to be expected there.
    look_on(float(chosen[-1]), float(usual[-1]), 1)
    look_on(float(chosen[0]), float(usual[0]), -1)
    return np.sort(np.concatenate((chosen, np.array(added, dtype=chosen.dtype))))


def _at_peaks(ecg: Samples, interval_s: float, near_s: Floats) -> Floats:
    """Times of the R peaks in s, see `_at_peak`; ten minutes at a time."""
    margin = round((BASE_LINE_S + 0.1) / interval_s) + 4
    found = []
    for part in np.split(near_s, np.flatnonzero(np.diff(near_s // BLOCK_S)) + 1):
        if len(part):
            first = max(int(part[0] / interval_s) - margin, 0)
            end = min(int(part[-1] / interval_s) + margin, ecg.count)
            found.append(_at_peak(ecg.read(first, end), interval_s, part - first * interval_s) + first * interval_s)
    return np.concatenate(found) if found else np.empty(0)


def _at_peak(ecg: Floats, interval_s: float, near_s: Floats) -> Floats:
    """Times of the R peaks in s, refined by a parabola: the first wave that stands out from the base line at least six
    tenths as far as the highest one, from 0.15 s before to 0.1 s after the peak of the slopes' energy.

    In a broad beat that energy lies between R and a deep S, and the S may stand out as far. The base line is straight
    over 0.6 s around. A mean over 20 ms takes mains hum out first (one period of 50 Hz); a wave is the highest point within 32 ms.
    """
    step = max(round(LOCATE_S / interval_s), 1)
    dt = step * interval_s
    width, reach = max(round(0.02 / dt), 1) | 1, max(round(BASE_LINE_S / 2 / dt), 4)
    first = np.rint(near_s / interval_s).astype(np.intp) - (reach + width // 2) * step
    at = np.clip(first[:, None] + np.arange(2 * reach + width) * step, 0, len(ecg) - 1)
    sums = np.cumsum(np.nan_to_num(ecg[at]), axis=1)
    sums = np.concatenate((np.zeros((len(sums), 1)), sums), axis=1)
    rows = (sums[:, width:] - sums[:, :-width]) / width
    # The base line may slope: by the median of how the signal changes over half of the window.
    slope = np.median(rows[:, reach:] - rows[:, :-reach], axis=1, keepdims=True) / reach
    rows = rows - slope * np.arange(rows.shape[1])
    cut = reach - max(round(BEFORE_S / dt), 2)
    height = np.abs(rows - np.median(rows, axis=1, keepdims=True))[:, cut : reach + max(round(AFTER_S / dt), 2) + 1]
    first = first + cut * step
    apart = 2 * max(round(WAVE_S / dt), 1) + 1
    high = height >= FIRST_WAVE * height.max(axis=1, keepdims=True)
    # A T or P wave that stands out as far, on a base line that moves, is not as steep.
    steep = np.zeros_like(height)
    steep[:, 1:-1] = np.abs(np.diff(rows[:, cut : cut + height.shape[1]], axis=1)[:, 1:])
    steep = scipy.ndimage.maximum_filter1d(steep, apart, axis=1, mode="nearest")
    high &= steep >= WAVE_STEEP * steep.max(axis=1, keepdims=True)
    waves = high & (height >= scipy.ndimage.maximum_filter1d(height, apart, axis=1, mode="nearest"))
    best = np.clip(np.argmax(waves, axis=1), 1, height.shape[1] - 2)
    row = np.arange(len(near_s))
    left, top, right = height[row, best - 1], height[row, best], height[row, best + 1]
    bend = left - 2 * top + right
    with np.errstate(invalid="ignore", divide="ignore"):
        shift = np.where(bend < 0, np.clip(0.5 * (left - right) / bend, -0.5, 0.5), 0.0)
    found: Floats = (first + (best + shift + width // 2) * step) * interval_s
    return found


def _doubtful(energy: Floats, chosen: NDArray[np.intp], dt: float) -> Flags:
    """Beats between which the energy does not fall: noise as large as the beats."""
    if len(chosen) < 2:
        return np.zeros(len(chosen), dtype=bool)
    middle = ((chosen[1:] + chosen[:-1]) // 2).astype(np.intp)
    ratio = energy[middle] / np.minimum(energy[chosen[1:]], energy[chosen[:-1]])
    wide = np.diff(chosen) * dt > 2 * REFRACTORY_S
    bad = (ratio > 0.3) & wide
    return np.append(bad, False) | np.concatenate(([False], bad))

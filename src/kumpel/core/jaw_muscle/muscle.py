"""Muscle activity: moving RMS of the band-passed EMG, the state of electrodes, clenches, contractions, episodes.

The signal is worked on in blocks of a minute, so that eight hours at 1 kHz need little memory beside themselves.
"""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from enum import IntEnum
from functools import cached_property, lru_cache
from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

from kumpel.core.recording import Channel, Flags, Floats
from kumpel.core.review import MOVED_S, Edge, named
from kumpel.core.runs import runs
from kumpel.core.units import converted

BAND_HZ = (20.0, 400.0)
RMS_WINDOW_S = 0.1
STEP_S = 0.01
BLOCK_S = 60.0
STATE_S = 10.0
BACKGROUND_BLOCKS = 13
DROWNS = 0.85
"""From this share of the level at which a contraction ends the background holds contractions that are none (`./kumpel bench detection`)."""
LEAST_CLENCH_UV = 15.0
SHORTEST_S, LONG_S, EPISODE_GAP_S = 0.25, 2.0, 3.0
MAINS_HZ = (50.0, 60.0)


class Electrode(IntEnum):
    """State of an electrode in 10 s."""

    CONNECTED = 0
    DOUBTFUL = 1
    OFF = 2


@dataclass(frozen=True)
class Limits:
    """When an electrode is taken as flat, and from which size mains counts, in the channel's unit (rms)."""

    flat: float
    mains: float
    swing: float


EMG_LIMITS = Limits(flat=0.5, mains=10.0, swing=200.0)
"""Microvolt."""
ECG_LIMITS = Limits(flat=0.005, mains=0.3, swing=1.0)
"""Millivolt."""


@dataclass(frozen=True)
class Activity:
    """Moving RMS (100 ms) every 10 ms in microvolt, shape (n,), nan where not measured; electrode states every 10 s."""

    rms: Floats
    states: NDArray[np.int8]
    length_s: float

    @cached_property
    def background(self) -> Floats:
        """What the RMS (uV) does not fall below for three quarters of two minutes around, every 10 s: no contraction lasts so long.

        nan where nothing was measured for 10 s.
        """
        per = round(STATE_S / STEP_S)
        n = len(self.rms) // per
        if not n:
            return np.empty(0)
        rows = np.sort(self.rms[: n * per].reshape(n, per), axis=1)
        quiet = rows[:, per // 4]
        known = ~np.isnan(quiet)
        if not known.any():
            return quiet
        # A gap says nothing of what is beside it.
        filled = np.interp(np.arange(n), np.flatnonzero(known), quiet[known])
        found: Floats = scipy.ndimage.percentile_filter(filled, 25, size=BACKGROUND_BLOCKS, mode="nearest")
        found[~known] = np.nan
        return found

    def drowned(self, level_uv: float) -> Flags:
        """Samples of `rms` where the background alone comes near a level: whether a muscle is tight there cannot be told."""
        flags = np.zeros(len(self.rms), dtype=bool)
        with np.errstate(invalid="ignore"):
            high = np.repeat(self.background >= DROWNS * level_uv, round(STATE_S / STEP_S))
        flags[: len(high)] = high
        return flags

    def valid(self) -> Flags:
        """Samples of `rms` that were measured with an electrode that was not off."""
        per = round(STATE_S / STEP_S)
        off = np.repeat(self.states == Electrode.OFF, per)[: len(self.rms)]
        good = ~np.isnan(self.rms)
        good[: len(off)] &= ~off
        return good


def _scale(channel: Channel, unit: str) -> float:
    return float(converted(np.ones(1), channel.unit, unit, f"channel “{channel.name}”")[0])


def _filters(rate_hz: float, notch_hz: float) -> list[tuple[Floats, Floats]]:
    """Band-pass 20-400 Hz of second order (high-pass alone when 400 Hz is beyond the signal), with a notch on demand.

    As coefficients (b, a) each: at these orders and frequencies they are as exact as sections, and faster.
    """
    high = BAND_HZ[1] < 0.48 * rate_hz
    band = scipy.signal.butter(2, BAND_HZ if high else BAND_HZ[0], "bandpass" if high else "highpass", fs=rate_hz)
    return [band, *([scipy.signal.iirnotch(notch_hz, 30.0, fs=rate_hz)] if notch_hz > 0 else [])]


def activity(channel: Channel, notch_hz: float = 0.0) -> Activity:
    """RMS and electrode states of an EMG channel in microvolt.

    Band-pass 20-400 Hz, optionally a notch; RMS over 100 ms, every 10 ms, centred. Raises ValueError below 100 Hz.
    """
    rate = 1 / channel.interval_s
    if rate < 100:
        raise ValueError(f"channel “{channel.name}” has {rate:.0f} samples a second; 100 and more are needed")
    per = max(round(STEP_S * rate), 1)
    size = per * round(BLOCK_S / STEP_S)
    scale = _scale(channel, "uV")
    filters = _filters(rate, notch_hz)
    memory = [np.zeros(len(a) - 1) for _, a in filters]
    smooth = _MovingRms(channel.count // per, per)
    states: list[NDArray[np.int8]] = []
    for block in channel.samples.blocks(size):
        part = block if scale == 1 else block * scale
        missing = np.isnan(part.sum())
        gone = np.isnan(part) if missing else None
        if gone is not None:
            part = np.where(gone, 0.0, part)
        states.append(electrode_states(part, gone, rate, EMG_LIMITS))
        band = part
        for i, (b, a) in enumerate(filters):
            band, memory[i] = scipy.signal.lfilter(b, a, band, zi=memory[i])
        n = len(band) // per * per
        rows = band[:n].reshape(-1, per)
        energy = np.einsum("ij,ij->i", rows, rows)
        if gone is not None:
            energy[gone[:n].reshape(-1, per).any(axis=1)] = np.nan
        smooth.take(energy)
    return Activity(smooth.whole(), np.concatenate(states) if states else np.empty(0, np.int8), channel.length_s)


class _MovingRms:
    """Root of the mean energy over the 10 steps around each of `count` steps, taken in piece by piece; nan when one of the 10
    is missing. At the ends the nearest whole window stands in."""

    def __init__(self, count: int, per: int) -> None:
        self._width, self._per = round(RMS_WINDOW_S / STEP_S), per
        self._rms = np.full(count, np.nan)
        self._last = np.empty(0)
        self._at = self._width // 2

    def take(self, energy: Floats) -> None:
        """`energy`, shape (n,): sum of squares of the `per` samples of each step."""
        energy = np.concatenate((self._last, energy))
        self._last = energy[max(len(energy) - self._width + 1, 0) :]
        if len(energy) < self._width:
            return
        missing = np.isnan(energy)
        gone = missing.any()
        if gone:
            energy = np.where(missing, 0.0, energy)
        total = np.concatenate(([0.0], np.cumsum(energy)))
        inner = total[self._width :] - total[: -self._width]
        np.maximum(inner, 0.0, out=inner)
        inner *= 1 / (self._width * self._per)
        np.sqrt(inner, out=inner)
        if gone:
            counts = np.concatenate(([0], np.cumsum(missing)))
            inner[counts[self._width :] > counts[: -self._width]] = np.nan
        self._rms[self._at : self._at + len(inner)] = inner
        self._at += len(inner)

    def whole(self) -> Floats:
        first, end = self._width // 2, self._at
        if end > first:
            self._rms[:first], self._rms[end:] = self._rms[first], self._rms[end - 1]
        return self._rms


def electrode_states(values: Floats, missing: Flags | None, rate_hz: float, limits: Limits) -> NDArray[np.int8]:
    """State of the electrode in every 10 s of a signal, shape (ceil(n / 10 s),).

    Second by second: flat (spread below the limit), saturated (more than 15 % of the samples on the highest or lowest
    value, and a large swing), mains (more than 80 % of the power at 50 or 60 Hz, and large), missing. Off: most seconds
    are so; doubtful: one in ten, or mains above half of the power.
    """
    per = round(rate_hz)
    n = len(values) // per
    if not n:
        return np.empty(0, np.int8)
    rows = values[: n * per].reshape(n, per)
    low, high = rows.min(axis=1), rows.max(axis=1)
    swing = high - low
    flat = swing < limits.flat
    large = swing > limits.swing
    clipped = np.zeros(n, dtype=bool)
    if large.any():
        few = rows[large]
        on_edge = (few == high[large, None]).sum(axis=1) + (few == low[large, None]).sum(axis=1)
        clipped[large] = on_edge > 0.15 * per
    power = np.einsum("ij,ij->i", rows, rows) / per - rows.mean(axis=1) ** 2
    mains = mains_power(rows, rate_hz)
    with np.errstate(invalid="ignore", divide="ignore"):
        share = np.where(power > 0, mains / power, 0.0)
    hum = (share > 0.8) & (np.sqrt(mains) > limits.mains)
    murmur = (share > 0.5) & (np.sqrt(mains) > limits.mains / 2)
    bad = flat | clipped | hum
    if missing is not None:
        bad |= missing[: n * per].reshape(n, per).mean(axis=1) > 0.5
    return _by_ten(bad, murmur)


def _by_ten(bad: Flags, murmur: Flags) -> NDArray[np.int8]:
    ten = round(STATE_S)
    groups = -(-len(bad) // ten)
    counts = np.bincount(np.arange(len(bad)) // ten, minlength=groups)
    worse = np.bincount(np.arange(len(bad)) // ten, bad, minlength=groups) / counts
    hums = np.bincount(np.arange(len(bad)) // ten, murmur, minlength=groups) / counts
    found = np.zeros(groups, dtype=np.int8)
    found[(worse >= 0.1) | (hums > 0.5)] = Electrode.DOUBTFUL
    found[worse > 0.5] = Electrode.OFF
    return found


@lru_cache(maxsize=8)
def _mains_waves(per: int, rate_hz: float) -> Floats:
    t = np.arange(per) / rate_hz
    found: Floats = np.concatenate([[np.cos(2 * np.pi * f * t), np.sin(2 * np.pi * f * t)] for f in MAINS_HZ]).T
    return found


def mains_power(rows: Floats, rate_hz: float) -> Floats:
    """Power at 50 or 60 Hz, whichever is larger, of each row of a second, shape (n,): |Fourier coefficient|2 x 2."""
    per = rows.shape[1]
    parts = rows @ _mains_waves(per, rate_hz) / per
    both: Floats = 2 * (parts[:, ::2] ** 2 + parts[:, 1::2] ** 2)
    found: Floats = both.max(axis=1)
    return found


@dataclass(frozen=True)
class Clenches:
    """Which clenches make 100 %: how many of the strongest, within how many seconds from the start, and what of their peaks is taken
    ("mean", "median" or "highest").

    Three repetitions and their mean are what most studies do that normalise to a voluntary maximum (A. Burden, J Electromyogr Kinesiol
    2010;20:1023, a review); G. J. Lavigne et al., J Dent Res 1996;75:546, score bursts by a share of it. The time is our own choice: all
    three have to be done before the wearer lies down.
    """

    count: int = 3
    within_s: float = 180.0
    of_peaks: str = "mean"

    @property
    def words(self) -> str:
        """What 100 % is: "mean of the peaks of the 3 strongest clenches in the first 3 min"."""
        several = f"the {self.count} strongest clenches" if self.count > 1 else "the strongest clench"
        return f"{self.of_peaks} of the peaks of {several} in the first {self.within_s / 60:g} min"

    @property
    def none_found(self) -> str:
        return f"no clench found in the first {self.within_s / 60:g} min"


@dataclass(frozen=True)
class Clench:
    """A clench at the start: from when to when (s), its level in microvolt (median of the highest quarter), whether it is used."""

    start_s: float
    end_s: float
    level_uv: float
    used: bool


@dataclass(frozen=True)
class Reference:
    """The clench that counts as 100 %: its level in microvolt (nan when none was found), where the clenches were, which were asked
    for, and all that there are in order of time."""

    level_uv: float
    at_s: tuple[float, ...]
    asked: Clenches = Clenches()
    candidates: tuple[Clench, ...] = ()

    @property
    def found(self) -> bool:
        return not math.isnan(self.level_uv)


_OF_PEAKS: Mapping[str, Callable[[list[float]], Any]] = {"mean": np.mean, "median": np.median, "highest": np.max}


def reference_clench(
    found: Activity, asked: Clenches = Clenches(), dropped: Sequence[str] = (), kept: Sequence[str] = (), code: str = ""
) -> Reference:
    """What counts as 100 %: of the peaks of the strongest clenches at the start, by `asked`.

    A clench is for at least 0.5 s above the half of the highest RMS there, which must be 15 uV and five
    times the quiet level (median). With fewer than asked for, it is made of those there are. One that `dropped` names
    (by `code` and its start) is not used, the next strongest is; one that `kept` names is used beside.
    """
    spans = _clench_spans(found, asked)
    if not spans:
        return Reference(math.nan, (), asked)
    levels = [float(np.nanmedian(np.sort(found.rms[a:b])[-max((b - a) // 4, 1) :])) for a, b in spans]
    highest = np.array([float(np.nanmax(found.rms[a:b])) for a, b in spans])
    starts, ends = (np.array([s[i] for s in spans]) * STEP_S for i in (0, 1))
    out, by_hand = named(dropped, code, starts, ends), named(kept, code, starts, ends)
    order = [i for i in np.argsort(-highest, kind="stable").tolist() if not out[i]]
    used = set(order[: asked.count]) | {i for i in order if by_hand[i]}
    clenches = tuple(
        Clench(a * STEP_S, b * STEP_S, level, i in used)
        for i, ((a, b), level) in enumerate(zip(spans, levels, strict=True))
    )
    counting = [c for c in clenches if c.used]
    level = float(_OF_PEAKS[asked.of_peaks]([c.level_uv for c in counting])) if counting else math.nan
    return Reference(level, tuple(c.start_s for c in counting), asked, clenches)


def _clench_spans(found: Activity, asked: Clenches) -> list[tuple[int, int]]:
    """From which to which step of the RMS each clench lasts, in order of time."""
    part = np.where(found.valid(), found.rms, np.nan)[: round(asked.within_s / STEP_S)]
    known = part[~np.isnan(part)]
    if not len(known):
        return []
    top, quiet = float(known.max()), float(np.median(known))
    if top < max(LEAST_CLENCH_UV, 5 * quiet):
        return []
    with np.errstate(invalid="ignore"):
        spans = runs(part >= top / 2)
    joined: list[list[tuple[int, int]]] = []
    for a, b in spans.tolist():
        # A clench flickers: stretches closer than a second are one.
        if joined and (a - joined[-1][-1][1]) * STEP_S < 1.0 - 1e-9:
            joined[-1].append((a, b))
        else:
            joined.append([(a, b)])
    above = [sum(b - a for a, b in each) * STEP_S for each in joined]
    return [(s[0][0], s[-1][1]) for s, long in zip(joined, above, strict=True) if long >= 0.5 - 1e-9]


@dataclass(frozen=True)
class Contraction:
    """A contraction of one side: start and end in s, mean and highest RMS in % of the clench."""

    side: str
    start_s: float
    end_s: float
    mean_percent: float
    peak_percent: float

    @property
    def length_s(self) -> float:
        return self.end_s - self.start_s


def contractions(
    found: Activity, side: str, reference_uv: float, share: float, hysteresis: float, counted: Flags
) -> list[Contraction]:
    """Stretches of at least 0.25 s above the threshold.

    It begins where the RMS reaches `share` x the reference and lasts until it falls below (1 - hysteresis) of that.
    `counted` flags samples of the RMS that count, shape (n,); one that does not ends a contraction.
    """
    on, off = share * reference_uv, share * reference_uv * (1 - hysteresis)
    with np.errstate(invalid="ignore"):
        held = (found.rms >= off) & counted
        reached = (found.rms >= on) & counted
    spans = runs(held)
    if not len(spans):
        return []
    # Nothing is reached outside of what is held: from one start to the next is one span.
    real = np.logical_or.reduceat(reached, spans[:, 0])
    made = []
    for first, end in spans[real].tolist():
        begin = first + int(np.argmax(reached[first:end]))
        if (end - begin) * STEP_S < SHORTEST_S - 1e-9:
            continue
        part = found.rms[begin:end]
        made.append(
            Contraction(
                side,
                begin * STEP_S,
                end * STEP_S,
                100 * float(part.mean()) / reference_uv,
                100 * float(part.max()) / reference_uv,
            )
        )
    return made


@dataclass(frozen=True)
class Episode:
    """Contractions closer than 3 s: `kind` is "phasic", "tonic", "mixed" or "single", as found or as a reviewer said."""

    side: str
    kind: str
    contractions: tuple[Contraction, ...]
    by_hand: bool = False

    @property
    def start_s(self) -> float:
        return self.contractions[0].start_s

    @property
    def end_s(self) -> float:
        return max(c.end_s for c in self.contractions)


def kind_of(lengths_s: list[float]) -> str:
    """Type of an episode by the lengths of its contractions.

    Phasic: three or more of 0.25 to 2 s. Tonic: one longer than 2 s. Mixed: longer ones beside others. Else single.
    """
    long = sum(length > LONG_S + 1e-9 for length in lengths_s)
    if long == 0:
        return "phasic" if len(lengths_s) >= 3 else "single"
    return "tonic" if len(lengths_s) == 1 else "mixed"


def episodes(found: list[Contraction], side: str, edges: Sequence[Edge] = ()) -> list[Episode]:
    """Contractions in order of time, grouped: those closer than 3 s (end to start) belong together.

    An edge says it of the contraction that starts there (or, when a method moved it, within half a second): whether an episode
    begins with it or goes on.
    """
    groups: list[list[Contraction]] = []
    last = -math.inf
    said = sorted(edges, key=lambda e: e.at_s)
    places = [e.at_s for e in said]
    for each in sorted(found, key=lambda c: c.start_s):
        near = _nearest(said, places, each.start_s)
        goes_on = not near.begins if near is not None else each.start_s - last < EPISODE_GAP_S - 1e-9
        if groups and goes_on:
            groups[-1].append(each)
        else:
            groups.append([each])
        last = max(last, each.end_s)
    return [Episode(side, kind_of([c.length_s for c in g]), tuple(g)) for g in groups]


def _nearest(edges: Sequence[Edge], places: Sequence[float], at_s: float) -> Edge | None:
    """Of edges in order of time the one that is meant by a moment; None when none lies so near."""
    i = bisect_left(places, at_s)
    near = min(edges[max(i - 1, 0) : i + 1], key=lambda e: abs(e.at_s - at_s), default=None)
    return near if near is not None and abs(near.at_s - at_s) <= MOVED_S else None


def united(left: list[Contraction], right: list[Contraction]) -> list[Contraction]:
    """Contractions of both sides as one: those that overlap become one, with the higher amplitude."""
    joined: list[Contraction] = []
    for each in sorted([*left, *right], key=lambda c: c.start_s):
        if joined and each.start_s <= joined[-1].end_s:
            last = joined[-1]
            joined[-1] = Contraction(
                "both",
                last.start_s,
                max(last.end_s, each.end_s),
                max(last.mean_percent, each.mean_percent),
                max(last.peak_percent, each.peak_percent),
            )
        else:
            joined.append(Contraction("both", each.start_s, each.end_s, each.mean_percent, each.peak_percent))
    return joined

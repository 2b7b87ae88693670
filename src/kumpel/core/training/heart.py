"""Heart-rate zones and training load."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from kumpel.core.reckoning import setup_number
from kumpel.core.recording import Floats

ZONE_SOURCE = "zones as set: percent of the highest rate, of the reserve (Karvonen 1957), or typed"
LOAD_SOURCE = "Banister, TRIMP; Morton et al., J Appl Physiol 1990;69:1171"
USUAL_EDGES = (50.0, 60.0, 70.0, 80.0, 90.0)


@dataclass(frozen=True)
class Wearer:
    """What the figures need of the wearer; nan where it is not known. `estimated` says that the highest rate is
    computed from the age (208 - 0.7 x age; Tanaka et al., J Am Coll Cardiol 2001;37:153)."""

    highest_bpm: float
    resting_bpm: float
    sex: str
    estimated: bool


def wearer_of(setup: Mapping[str, object], age_years: float = math.nan) -> Wearer:
    """The wearer's data from the setup: heart_rate_highest, heart_rate_resting (bpm), sex, age_years."""
    highest = setup_number(setup, "heart_rate_highest", math.nan)
    age = setup_number(setup, "age_years", age_years)
    estimated = math.isnan(highest) and not math.isnan(age)
    if estimated:
        highest = 208 - 0.7 * age
    resting = setup_number(setup, "heart_rate_resting", math.nan)
    if highest <= resting:
        raise ValueError(f"the highest heart rate ({highest:.0f}) must be above the resting one ({resting:.0f})")
    return Wearer(highest, resting, str(setup.get("sex", "")), estimated)


def zone_edges(setup: Mapping[str, object], wearer: Wearer) -> Floats:
    """Lower edges of zones 1 .. n in bpm, shape (n,), rising; nan where the wearer's data are missing.

    `setup["zones"]` = {"by": "highest" | "reserve" | "typed", "edges": [...]}: percent of the highest rate,
    percent of the reserve added to the resting rate, or beats per minute. Raises ValueError for edges that do not rise.
    """
    zones = setup.get("zones")
    found: Mapping[str, object] = zones if isinstance(zones, Mapping) else {}
    by = str(found.get("by", "highest"))
    listed = found.get("edges", USUAL_EDGES)
    if not isinstance(listed, list | tuple) or not listed:
        raise ValueError("zones need at least one edge")
    edges = np.array([float(e) for e in listed], dtype=np.float64)
    if np.any(np.diff(edges) <= 0):
        raise ValueError("the edges of zones must rise")
    if by == "highest":
        return edges / 100 * wearer.highest_bpm
    if by == "reserve":
        return wearer.resting_bpm + edges / 100 * (wearer.highest_bpm - wearer.resting_bpm)
    if by == "typed":
        return edges
    raise ValueError(f"zones by “{by}”: highest, reserve or typed")


def time_in_zones(rate_bpm: Floats, lengths_s: Floats | float, edges: Floats) -> Floats:
    """Seconds below zone 1 and in zones 1 .. n, shape (n + 1,), of rates that stand `lengths_s` each.

    A rate on an edge belongs to the higher zone; edges are compared to a billionth of a beat, since 55 % of 180 is
    99.00000000000001 in binary.

    >>> time_in_zones(np.array([90.0, 120.0, 150.0]), 60.0, np.array([100.0, 140.0])).tolist()
    [60.0, 60.0, 60.0]
    """
    good = ~np.isnan(rate_bpm)
    if np.isnan(edges).any():
        return np.full(len(edges) + 1, np.nan)
    which = np.searchsorted(np.round(edges, 9), np.round(rate_bpm[good], 9), side="right")
    stands = np.broadcast_to(np.asarray(lengths_s, dtype=np.float64), rate_bpm.shape)[good]
    return np.bincount(which, stands, minlength=len(edges) + 1).astype(np.float64)


def trimp(rate_bpm: Floats, lengths_s: Floats | float, wearer: Wearer) -> float:
    """Load (Banister's TRIMP): sum of minutes x r x k e^(b r), r = (HR - rest)/(highest - rest), 0 <= r <= 1.

    k = 0.64, b = 1.92 for men, 0.86 and 1.67 for women. nan without a rate, without the wearer's resting and highest
    rate, or without the sex. Missing minutes add nothing.
    """
    weights = {"m": (0.64, 1.92), "f": (0.86, 1.67)}.get(wearer.sex[:1].lower().replace("w", "f"))
    good = ~np.isnan(rate_bpm)
    known = rate_bpm[good]
    stands = np.broadcast_to(np.asarray(lengths_s, dtype=np.float64), rate_bpm.shape)[good]
    span = wearer.highest_bpm - wearer.resting_bpm
    if weights is None or not len(known) or math.isnan(span):
        return math.nan
    r = np.clip((known - wearer.resting_bpm) / span, 0, 1)
    return float(np.sum(stands * r * weights[0] * np.exp(weights[1] * r))) / 60

"""Runs of flagged samples, and spans joined when they lie close together."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from kumpel.core.recording import Flags, Floats

MOST = 500
"""More suggestions than this help nobody."""


def runs(flags: Flags) -> NDArray[np.intp]:
    """First and end index of every run of true flags, shape (k, 2).

    >>> runs(np.array([True, True, False, True])).tolist()
    [[0, 2], [3, 4]]
    """
    padded = np.zeros(len(flags) + 2, dtype=bool)
    padded[1:-1] = flags
    return np.flatnonzero(padded[1:] != padded[:-1]).reshape(-1, 2)


def runs_over_gaps(flags: Flags, missing: Flags, longest: int | None = 1) -> NDArray[np.intp]:
    """Runs of true flags, shape (k, 2), where missing samples between two of them do not part them.

    Up to `longest` missing samples in a row are passed over (1: the rule of the 15-min window); None passes over any number,
    so that only a measured sample parts two runs.

    >>> runs_over_gaps(np.array([True, False, True]), np.array([False, True, False])).tolist()
    [[0, 3]]
    """
    spans = runs(flags & ~missing)
    if len(spans) < 2:
        return spans
    known = np.concatenate(([0], np.cumsum(~missing)))
    gaps = spans[1:, 0] - spans[:-1, 1]
    parted = known[spans[1:, 0]] > known[spans[:-1, 1]]
    if longest is not None:
        parted |= gaps > longest
    apart = np.flatnonzero(parted)
    starts = spans[np.concatenate(([0], apart + 1)), 0]
    ends = spans[np.concatenate((apart, [len(spans) - 1])), 1]
    return np.column_stack((starts, ends))


def merge(spans: Floats, gap_s: float, most: int = MOST) -> list[tuple[float, float]]:
    """Spans in rising order, shape (k, 2), those closer than `gap_s` joined; at most `most` of them.

    >>> merge(np.array([[0.0, 10.0], [11.0, 20.0], [40.0, 50.0]]), 2.0)
    [(0.0, 20.0), (40.0, 50.0)]
    """
    if not len(spans):
        return []
    apart = np.flatnonzero(spans[1:, 0] - spans[:-1, 1] > gap_s)
    starts = spans[np.concatenate(([0], apart + 1)), 0]
    ends = spans[np.concatenate((apart, [len(spans) - 1])), 1]
    return [(float(a), float(b)) for a, b in zip(starts[:most], ends[:most], strict=True)]


def gaps_between(spans: Sequence[tuple[float, float]], length: float) -> list[tuple[float, float]]:
    """What spans leave of 0 to `length`, in the same unit.

    >>> gaps_between([(3.0, 5.0), (4.0, 6.0)], 10.0)
    [(0.0, 3.0), (6.0, 10.0)]
    """
    found, at = [], 0.0
    for start, end in sorted(spans):
        if start > at:
            found.append((at, min(start, length)))
        at = max(at, end)
    if at < length:
        found.append((at, length))
    return [(a, b) for a, b in found if b > a]


def bridged(flags: Flags, longest: int) -> Flags:
    """The flags with inner false runs of at most `longest` samples set to true.

    >>> bridged(np.array([True, False, True, False, False]), 1).tolist()
    [True, True, True, False, False]
    """
    filled = flags.copy()
    ons = np.flatnonzero(flags)
    if not len(ons):
        return filled
    for first, end in runs(~flags).tolist():
        if first > ons[0] and end <= ons[-1] and end - first <= longest:
            filled[first:end] = True
    return filled

"""What a kind works out of the signals around a moment for a close look: curves and moments, of a few seconds, at once."""

from __future__ import annotations

from dataclasses import dataclass

from kumpel.core.recording import Floats


@dataclass(frozen=True)
class Curve:
    """Values in `unit`, shape (n,), nan where nothing was measured; the first stands at `start_s` after the start of the recording, each so many
    seconds after the one before."""

    key: str
    unit: str
    start_s: float
    step_s: float
    values: Floats


@dataclass(frozen=True)
class Moments:
    """Times (s after the start of the recording), shape (n,), with a value each in `unit`, nan where it is not known."""

    key: str
    unit: str
    at_s: Floats
    values: Floats


@dataclass(frozen=True)
class CloseUp:
    """Everything for one close look."""

    curves: tuple[Curve, ...]
    moments: tuple[Moments, ...]

"""A few seconds of a session closely."""

from __future__ import annotations

from kumpel.api.schemas.common import Out


class Curve(Out):
    """Equally spaced values; null where nothing was measured."""

    key: str
    unit: str
    start_s: float
    step_s: float
    values: list[float | None]


class Moments(Out):
    """Times with a value each; null where it is not known."""

    key: str
    unit: str
    at_s: list[float]
    values: list[float | None]


class CloseUp(Out):
    """What a kind works out of a few seconds for a close look."""

    curves: list[Curve]
    moments: list[Moments]

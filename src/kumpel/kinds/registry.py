"""The kinds that this build knows."""

from __future__ import annotations

from kumpel.core.bounds import ANY, Bounds
from kumpel.kinds import blood_pressure, dust, gas, jaw_muscle, noise, oximetry, rescue, training, vehicle
from kumpel.kinds.kind import Kind

_ALL = (noise, gas, dust, blood_pressure, oximetry, jaw_muscle, training, vehicle, rescue)
KINDS: dict[str, Kind] = {module.KIND.key: module.KIND for module in _ALL}


class UnknownKindError(ValueError):
    """A kind that no module registers."""


def kind_of(key: str) -> Kind:
    """The kind of this key; UnknownKindError lists what there is."""
    try:
        return KINDS[key]
    except KeyError:
        raise UnknownKindError(f"no kind “{key}”; there are: {', '.join(sorted(KINDS))}") from None


def bounds_of(key: str) -> Bounds:
    """How much a recording of a kind may hold; generous bounds for a kind that is not known."""
    return KINDS[key].bounds if key in KINDS else ANY

"""The kinds that this build knows."""

from __future__ import annotations

from kumpel.kinds import noise
from kumpel.kinds.kind import Kind

KINDS: dict[str, Kind] = {kind.key: kind for kind in (noise.KIND,)}


class UnknownKindError(ValueError):
    """A kind that no module registers."""


def kind_of(key: str) -> Kind:
    """The kind of this key; UnknownKindError lists what there is."""
    try:
        return KINDS[key]
    except KeyError:
        raise UnknownKindError(f"no kind “{key}”; there are: {', '.join(sorted(KINDS))}") from None

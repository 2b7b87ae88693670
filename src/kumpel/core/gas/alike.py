"""Gases that act alike: their shares of the limit are added (EN 689:2018, annex B)."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass


@dataclass(frozen=True)
class Alike:
    """Gases that do the same to the body, and what, after a monitor's sensors are named."""

    words: str
    gases: tuple[str, ...]


ALIKE = (
    Alike("irritate eyes and airways", ("no2", "so2", "nh3", "cl2")),
    Alike("keep oxygen from the body", ("co", "h2s")),
)
"""As toxicology groups them: irritants of the airways, and gases that stop the carriage or the use of oxygen. No standard fixes the list; a house may add others by hand."""


def are_mixed(gases: Collection[str]) -> bool:
    """Whether chosen gases do not all act alike: their sum is then stricter than it needs to be.

    >>> are_mixed(["no2", "so2"]), are_mixed(["no2", "co"]), are_mixed(["co"])
    (False, True, False)
    """
    return len(gases) > 1 and not any(set(gases) <= set(each.gases) for each in ALIKE)

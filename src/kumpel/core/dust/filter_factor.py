"""The photometric factor from a gravimetric filter that was loaded beside the monitor."""

from __future__ import annotations

import math
from dataclasses import dataclass

COVERS = 2.0
"""k = 2: about 95 % of normally distributed values."""


@dataclass(frozen=True)
class Filter:
    """What was weighed and drawn: masses in mg, the air in m3; `u_mass_mg` is the standard uncertainty of one weighing, `u_volume` that of
    the volume as a share."""

    mass_mg: float
    blank_mg: float
    volume_m3: float
    u_mass_mg: float = 0.01
    u_volume: float = 0.05


@dataclass(frozen=True)
class Found:
    """A factor with its expanded uncertainty (coverage factor 2), and the concentration on the filter in mg/m3."""

    factor: float
    expanded: float
    concentration: float


def factor_of_filter(loaded: Filter, reading: float) -> Found:
    """k = C / reading with C = (m - b) / V; `reading` is the mean that the monitor showed meanwhile, before any factor, in mg/m3.

    u(k)/k = sqrt(2 u_m^2 / (m - b)^2 + (u_V/V)^2), after the law of propagation of uncertainty (JCGM 100:2008, 5.1.6): both weighings have
    the same u_m. What was read is taken as exact: its own scatter is what the factor is to put right. Raises ValueError with a sentence
    where a number makes no factor.

    >>> found = factor_of_filter(Filter(0.5, 0.1, 10.0, 0.01, 0.05), 0.025)
    >>> round(found.factor, 3), round(found.concentration, 3), round(found.expanded, 3)
    (1.6, 0.04, 0.196)
    """
    numbers = (loaded.mass_mg, loaded.blank_mg, loaded.volume_m3, loaded.u_mass_mg, loaded.u_volume, reading)
    if not all(math.isfinite(each) for each in numbers):
        raise ValueError("every number of the filter has to be given")
    if loaded.volume_m3 <= 0:
        raise ValueError("the air drawn through the filter must be more than 0 m3")
    if loaded.u_mass_mg < 0 or loaded.u_volume < 0:
        raise ValueError("an uncertainty is never below 0")
    net = loaded.mass_mg - loaded.blank_mg
    if net <= 0:
        raise ValueError("the loaded filter must be heavier than the blank")
    if reading <= 0:
        raise ValueError("the monitor must have read more than 0 mg/m3 meanwhile")
    concentration = net / loaded.volume_m3
    factor = concentration / reading
    relative = math.hypot(math.sqrt(2) * loaded.u_mass_mg / net, loaded.u_volume)
    return Found(factor, COVERS * relative * factor, concentration)

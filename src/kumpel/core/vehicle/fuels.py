"""How much air a kilogram of fuel needs: mixture ratios are read as mass of air to fuel, or as excess of air (lambda).

Source: J. B. Heywood, Internal Combustion Engine Fundamentals, 2nd ed. 2018, eq. 3.6 (complete combustion of CH_yO_z in dry air).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

AIR = 34.56
"""Mass of air for each mole of a quarter of oxygen's valence: 28.96 x 4.773 / 4 g."""
CARBON, HYDROGEN, OXYGEN = 12.011, 1.008, 15.999


@dataclass(frozen=True)
class Fuel:
    """A fuel CH_yO_z with its density in kg/l."""

    name: str
    hydrogen: float
    oxygen: float
    density: float

    @property
    def stoichiometric(self) -> float:
        """Mass of air that burns a mass of it completely: 34.56 (4 + y - 2z) / (12.011 + 1.008 y + 15.999 z).

        >>> round(ETHANOL.stoichiometric, 2), round(METHANOL.stoichiometric, 2)
        (9.0, 6.47)
        """
        y, z = self.hydrogen, self.oxygen
        return AIR * (4 + y - 2 * z) / (CARBON + HYDROGEN * y + OXYGEN * z)


PETROL = Fuel("petrol", 1.87, 0.0, 0.745)
ETHANOL = Fuel("ethanol", 3.0, 0.5, 0.789)
METHANOL = Fuel("methanol", 4.0, 1.0, 0.792)


def blend(volumes: Mapping[Fuel, float]) -> float:
    """Stoichiometric mass ratio of a blend by shares of volume: what each kilogram of it needs, by the mass of its parts."""
    masses = {fuel: share * fuel.density for fuel, share in volumes.items()}
    return sum(mass * fuel.stoichiometric for fuel, mass in masses.items()) / sum(masses.values())


STOICHIOMETRIC: Mapping[str, float] = {
    "petrol": PETROL.stoichiometric,
    "E5": blend({PETROL: 0.95, ETHANOL: 0.05}),
    "E10": blend({PETROL: 0.90, ETHANOL: 0.10}),
    "E85": blend({PETROL: 0.15, ETHANOL: 0.85}),
    "ethanol": ETHANOL.stoichiometric,
    "methanol": METHANOL.stoichiometric,
}
"""By the name of the fuel: kg of air for a kg of it."""
LEAST, MOST = 1.0, 50.0


def air_to_fuel(fuel: str) -> float | None:
    """The ratio of a fuel by its name, or as a number; None for an empty word. Raises ValueError for what is neither.

    >>> air_to_fuel('14.7')
    14.7
    """
    if not fuel:
        return None
    if fuel in STOICHIOMETRIC:
        return STOICHIOMETRIC[fuel]
    try:
        ratio = float(fuel)
    except ValueError:
        ratio = 0.0
    if not LEAST <= ratio <= MOST:
        raise ValueError(f"“{fuel}” is no fuel known here, and no mass ratio of air to fuel from {LEAST:g} to {MOST:g}")
    return ratio

"""Factors of recorders from filters."""

from __future__ import annotations

from datetime import date

from pydantic import BaseModel, Field

from kumpel.api.schemas.common import Day, Line, Out, example


class LoadedFilter(BaseModel):
    """A filter loaded beside a monitor: masses in mg, the air in m3, what the monitor read meanwhile in mg/m3 before any factor; standard
    uncertainties of one weighing in mg and of the volume as a share."""

    model_config = example(mass_mg=0.24, blank_mg=0.05, volume_m3=5.8, reading=0.0244)
    mass_mg: float = Field(ge=0, le=10_000, allow_inf_nan=False)
    blank_mg: float = Field(ge=-10_000, le=10_000, allow_inf_nan=False)
    volume_m3: float = Field(gt=0, le=100_000, allow_inf_nan=False)
    reading: float = Field(gt=0, le=100_000, allow_inf_nan=False)
    u_mass_mg: float = Field(0.01, ge=0, le=1_000, allow_inf_nan=False)
    u_volume: float = Field(0.05, ge=0, le=1, allow_inf_nan=False)


class FoundFactor(Out):
    """The factor with its expanded uncertainty (k = 2), and the concentration on the filter in mg/m3."""

    factor: float
    expanded: float
    concentration: float


class NewFilterFactor(LoadedFilter):
    model_config = example(
        mass_mg=0.24, blank_mg=0.05, volume_m3=5.8, reading=0.0244, since="2026-10-12", note="filter 17"
    )
    since: Day
    until: Day | None = None
    note: Line = Field("", max_length=200)


class FilterFactor(Out):
    id: int
    mass_mg: float
    blank_mg: float
    volume_m3: float
    u_mass_mg: float
    u_volume: float
    reading: float
    factor: float
    expanded: float
    since: date
    until: date | None
    note: str


class FilterFactors(BaseModel):
    """Those of a recorder, the newest first."""

    factors: list[FilterFactor]


class KeptFactor(BaseModel):
    """The factor, and the unsigned sessions of its days that are there already: they stay as they are until somebody decides."""

    kept: FilterFactor
    there: list[int]


class AppliedFactor(BaseModel):
    done: list[int]
    signed: list[int]


class FactorEnd(BaseModel):
    """The last day that a factor holds for; none takes it back."""

    model_config = example(until="2026-11-30")
    until: Day | None = None

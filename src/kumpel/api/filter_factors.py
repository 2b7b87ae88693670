"""Factors of recorders from filters: found, kept, ended, decided for sessions that were there before."""

from __future__ import annotations

from fastapi import APIRouter

from kumpel.api import schemas
from kumpel.api.dependencies import Database, Who
from kumpel.core.dust.filter_factor import Filter
from kumpel.services.ground import filter_factors
from kumpel.services.recorders.recorders import recorder_of
from kumpel.services.review import factors

router = APIRouter(tags=["sensors"])


def _filter(wish: schemas.LoadedFilter) -> Filter:
    return Filter(wish.mass_mg, wish.blank_mg, wish.volume_m3, wish.u_mass_mg, wish.u_volume)


@router.post("/filter-factor")
def find_factor(wish: schemas.LoadedFilter, who: Who) -> schemas.FoundFactor:
    """What factor comes of a filter, with its uncertainty; nothing is kept."""
    return schemas.FoundFactor.model_validate(filter_factors.found(_filter(wish), wish.reading))


@router.get("/recorders/{recorder_id}/filter-factors")
def factors_of(recorder_id: int, db: Database, who: Who) -> schemas.FilterFactors:
    recorder_of(db, recorder_id)
    rows = filter_factors.of_recorder(db, recorder_id)
    return schemas.FilterFactors(factors=[schemas.FilterFactor.model_validate(row) for row in rows])


@router.post("/recorders/{recorder_id}/filter-factors", status_code=201)
def keep_factor(recorder_id: int, wish: schemas.NewFilterFactor, db: Database, who: Who) -> schemas.KeptFactor:
    """Keep a factor: sessions that come in from its days get it. Those that are there already are listed."""
    asked = filter_factors.Wish(_filter(wish), wish.reading, wish.since, wish.until, wish.note)
    row = filter_factors.keep(db, recorder_of(db, recorder_id), asked)
    there = [each.id or 0 for each in filter_factors.there_already(db, row)]
    return schemas.KeptFactor(kept=schemas.FilterFactor.model_validate(row), there=there)


@router.post("/filter-factors/{factor_id}/apply")
def apply_factor(factor_id: int, wish: schemas.ManySessions, db: Database, who: Who) -> schemas.AppliedFactor:
    """Decide the factor for sessions that were there before it; signed ones stay."""
    done, signed = factors.apply(db, factor_id, wish.sessions, who.id)
    return schemas.AppliedFactor(done=done, signed=signed)


@router.post("/filter-factors/{factor_id}/end")
def end_factor(factor_id: int, wish: schemas.FactorEnd, db: Database, who: Who) -> schemas.FilterFactor:
    """The last day of a factor; without one it is taken back. Sessions that have it keep it."""
    return schemas.FilterFactor.model_validate(filter_factors.end(db, factor_id, wish.until))

"""The register of vehicles that loggers are mounted in."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy.exc import IntegrityError
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.names import channel_key, clean_line
from kumpel.kinds.kind import Kind
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import deeds, limits
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.people import team_named
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.hand_out import drafts
from kumpel.services.yard import belonging, derived
from kumpel.store.database import tell
from kumpel.store.tables import Team, Vehicle, now

MOST_LOOKS, LONGEST_LOOKS = 12, 40_000
YARD_VEHICLE = "yard vehicle"
"""What deeds call one: a vehicle is no kind of recorder."""


@dataclass(frozen=True)
class VehicleRow:
    """A vehicle with the name of its team."""

    id: int
    name: str
    number: str
    profile: str
    team: str
    notes: str
    derived: list[dict[str, Any]]
    sensors: list[dict[str, Any]]
    limit_set_id: int | None
    check_days: dict[str, int]
    looks: dict[str, Any]


def all_vehicles(db: Db) -> list[VehicleRow]:
    found = db.exec(
        select(Vehicle, Team.name)
        .outerjoin(Team, col(Vehicle.team_id) == Team.id)
        .where(col(Vehicle.removed_at).is_(None))
        .order_by(col(Vehicle.name))
    ).all()
    return [_row(vehicle, team or "") for vehicle, team in found]


def _row(vehicle: Vehicle, team: str) -> VehicleRow:
    facts = vehicle.model_dump(exclude={"id", "team_id", "removed_at"})
    return VehicleRow(id=vehicle.id or 0, team=team, **facts)


def put(db: Db, facts: dict[str, Any], vehicle_id: int | None = None) -> VehicleRow:
    """Add a vehicle, or change one (only the facts given). ConflictError when its name belongs to another."""
    whom = Whom(YARD_VEHICLE, vehicle_id)
    deeds.ask(db, "vehicle changed", whom)
    vehicle = Vehicle(name="", profile="") if vehicle_id is None else vehicle_of(db, vehicle_id)
    before = _facts(vehicle)
    team = facts.pop("team", None)
    if "sensors" in facts:
        facts["sensors"] = _sensors(facts["sensors"])
    sensors = facts.get("sensors", vehicle.sensors)
    if "derived" in facts or "sensors" in facts:
        facts["derived"] = derived.checked(_driven(), facts.get("derived", vehicle.derived), sensors)
    if facts.get("limit_set_id") is not None:
        limits.limits_of(db, _driven().key, facts["limit_set_id"])
    if facts.get("check_days"):
        _check_days(facts["check_days"], sensors)
    for key, value in facts.items():
        setattr(vehicle, key, value)
    vehicle.name = clean_line(vehicle.name)
    if not vehicle.name:
        raise InvalidError("A vehicle needs a name, such as kart K-2.", field="name")
    if team is not None:
        vehicle.team_id = team_named(db, team.strip()).id if team.strip() else None
    db.add(vehicle)
    try:
        db.flush()
    except IntegrityError as error:
        db.rollback()
        raise ConflictError(f"There is a vehicle “{vehicle.name}” already.") from error
    deeds.keep(
        db, "vehicle changed", Whom(YARD_VEHICLE, vehicle.id), None if vehicle_id is None else before, _facts(vehicle)
    )
    tell(db, "vehicles")
    db.commit()
    owner = db.get(Team, vehicle.team_id) if vehicle.team_id else None
    return _row(vehicle, owner.name if owner else "")


def _sensors(wishes: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """Further sensors as they are kept. InvalidError names the one that is wrong."""
    kind = _driven()
    wished = [{**each, "name": clean_line(str(each["name"]))} for each in wishes]
    kept: list[dict[str, Any]] = drafts.checked(kind, {kind.further: wished}).model_dump(mode="json")[kind.further]
    return [{key: value for key, value in each.items() if key not in belonging.OF_A_SLIP} for each in kept]


def _check_days(days: Mapping[str, int], sensors: Sequence[Mapping[str, Any]]) -> None:
    kind = _driven()
    known = {word.key: word.label for word in kind.sensors_with({kind.further: sensors})}
    unknown = sorted(set(days) - set(known))
    if unknown:
        raise InvalidError(f"“{unknown[0]}” is no sensor that is calibrated: {', '.join(known)}.", field="check_days")


def arrange(db: Db, vehicle_id: int, what: str, arrangement: Any) -> VehicleRow:
    """Remember how something of a vehicle's sessions is looked at (its lanes, its tables), for everybody; None forgets it.

    It changes no figure, so that it is no deed. InvalidError when it is too much to be an arrangement.
    """
    # Somebody else may be arranging something else of it.
    db.exec(select(Vehicle.id).where(Vehicle.id == vehicle_id).with_for_update())
    db.expire_all()
    vehicle = vehicle_of(db, vehicle_id)
    looks = {key: value for key, value in vehicle.looks.items() if key != what}
    if arrangement is not None:
        looks[what] = arrangement
    if len(looks) > MOST_LOOKS or len(json.dumps(looks)) > LONGEST_LOOKS:
        raise InvalidError("This is too much to be remembered of a vehicle.", field="value")
    vehicle.looks = looks
    db.add(vehicle)
    tell(db, "vehicles")
    db.commit()
    team = db.get(Team, vehicle.team_id) if vehicle.team_id else None
    return _row(vehicle, team.name if team else "")


def vehicle_of(db: Db, vehicle_id: int) -> Vehicle:
    vehicle = db.get(Vehicle, vehicle_id)
    if vehicle is None or vehicle.removed_at is not None:
        raise NotFoundError("This vehicle is not on record.")
    return vehicle


def _facts(vehicle: Vehicle) -> dict[str, Any]:
    return vehicle.model_dump(exclude={"id", "looks", "removed_at"})


def remove(db: Db, vehicle_id: int) -> None:
    """Take a vehicle off the register; sessions keep its name."""
    deeds.ask(db, "vehicle removed", Whom(YARD_VEHICLE, vehicle_id))
    vehicle = vehicle_of(db, vehicle_id)
    vehicle.removed_at = now()
    db.add(vehicle)
    deeds.keep(db, "vehicle removed", Whom(YARD_VEHICLE, vehicle_id), _facts(vehicle))
    tell(db, "vehicles")
    db.commit()


def bring_back(db: Db, vehicle_id: int) -> None:
    """Undo `remove`. ConflictError when another one took the name meanwhile."""
    deeds.ask(db, "vehicle changed", Whom(YARD_VEHICLE, vehicle_id))
    vehicle = db.get(Vehicle, vehicle_id)
    if vehicle is None:
        raise NotFoundError("This vehicle is not on record.")
    vehicle.removed_at = None
    db.add(vehicle)
    try:
        db.flush()
    except IntegrityError as error:
        db.rollback()
        raise ConflictError("Another vehicle has this name now.") from error
    deeds.keep(db, "vehicle changed", Whom(YARD_VEHICLE, vehicle_id), after=_facts(vehicle))
    tell(db, "vehicles")
    db.commit()


def check_formula(
    formula: str, before: Sequence[Mapping[str, Any]], sensors: Sequence[Mapping[str, Any]] = ()
) -> derived.Checked:
    """What is wrong with a formula for a vehicle with these further sensors, while it is typed."""
    named = [{"key": channel_key(str(each["name"])), **each} for each in before]
    return derived.check(_driven(), formula, named, sensors)


def _driven() -> Kind:
    """The kind whose recorders are mounted in vehicles: the one with laps."""
    return next(kind for kind in KINDS.values() if kind.laps is not None)

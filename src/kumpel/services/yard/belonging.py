"""The vehicle that a session was driven in, and what belongs to it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.kinds.kind import Kind
from kumpel.kinds.registry import KINDS, kind_of
from kumpel.services.ground.limits import in_force
from kumpel.services.ground.tags import tags_of
from kumpel.services.ground.wall import wall_day
from kumpel.store.tables import LimitSetRow, Recorder, Session, Vehicle

MACHINE = "machine"
"""The setting that says which vehicle it is; as a tag it comes back with the session."""
OF_A_SLIP = ("on", "off_because")
"""What is said of a further sensor when a recorder is handed out; all else is declared with the vehicle."""


def vehicle_of_session(db: Db, session: Session) -> Vehicle | None:
    """The vehicle of the register that a session names; None when it names none, or one that is not (any more) on record."""
    tag = kind_of(session.kind).tag_for(MACHINE)
    return _named(db, tags_of(db, [session.id]).get(session.id or 0, {}).get(tag, "")) if tag else None


def _named(db: Db, name: str) -> Vehicle | None:
    if not name:
        return None
    return db.exec(select(Vehicle).where(Vehicle.name == name, col(Vehicle.removed_at).is_(None))).first()


def limit_set_id(db: Db, session: Session) -> int | None:
    """The limit set that sessions of its vehicle are held against, in the version that holds on its day; None: that of the kind."""
    vehicle = vehicle_of_session(db, session)
    chosen = db.get(LimitSetRow, vehicle.limit_set_id) if vehicle and vehicle.limit_set_id else None
    if chosen is None:
        return None
    same = select(LimitSetRow).where(LimitSetRow.key == chosen.key, LimitSetRow.kind == chosen.kind)
    found = in_force(db.exec(same.order_by(col(LimitSetRow.id))).all(), wall_day(session))
    return found.id if found else None


def check_days(db: Db, recorders: Sequence[Recorder]) -> dict[int, Mapping[str, int]]:
    """For how many days a calibration holds in the vehicle that a recorder is mounted in: by recorder, then by sensor; those that are not
    named hold as usual."""
    names = {each.id or 0: _machine(each) for each in recorders}
    wanted = {name for name in names.values() if name}
    if not wanted:
        return {}
    rows = db.exec(select(Vehicle).where(col(Vehicle.name).in_(wanted), col(Vehicle.removed_at).is_(None))).all()
    days = {row.name: row.check_days for row in rows if row.check_days}
    return {recorder: days[name] for recorder, name in names.items() if name in days}


def with_its_sensors(db: Db, kind: Kind, settings: Mapping[str, Any]) -> dict[str, Any]:
    """The settings with the further sensors of the vehicle that they name, as the register declares them now; which of them are off
    stays as it was. Settings that name none on record stay as they are."""
    vehicle = _named(db, str(settings.get(MACHINE) or "")) if kind.further and kind.tag_for(MACHINE) else None
    if vehicle is None:
        return dict(settings)
    before = {str(each.get("name")): each for each in settings.get(kind.further) or ()}
    return {
        **settings,
        kind.further: [
            {**each, **{key: before[each["name"]][key] for key in OF_A_SLIP if key in before.get(each["name"], {})}}
            for each in vehicle.sensors
        ],
    }


def with_same_machine(db: Db, recorder: Recorder) -> list[int]:
    """The recorders whose settings name the same vehicle as this one's, itself with them; itself alone where it names none."""
    name = _machine(recorder)
    others = (
        db.exec(select(Recorder).where(Recorder.kind == recorder.kind, Recorder.id != recorder.id)).all()
        if name
        else []
    )
    return [recorder.id or 0, *(each.id or 0 for each in others if _machine(each) == name)]


def _machine(recorder: Recorder) -> str:
    kind = KINDS.get(recorder.kind)
    setup: Mapping[str, Any] = recorder.setup or {}
    return str(setup.get(MACHINE) or "") if kind is not None and kind.tag_for(MACHINE) else ""

"""Named setups of one's own: for a kind, and for one team or for everybody. Nothing about a person is kept in them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy.exc import IntegrityError
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.names import clean_line
from kumpel.kinds.kind import Kind
from kumpel.kinds.setup_fields import personal_facts
from kumpel.services.ground import deeds
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.people import team_named
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.store.database import tell
from kumpel.store.tables import KeptSetup, Team, now


@dataclass(frozen=True)
class Kept:
    """A named setup: its name and the team it is for ("" for everybody)."""

    id: int
    name: str
    team: str


def of_kind(db: Db, kind: str) -> list[Kept]:
    """All named setups of a kind, those for everybody first."""
    found = db.exec(
        select(KeptSetup, Team.name)
        .outerjoin(Team, col(KeptSetup.team_id) == Team.id)
        .where(KeptSetup.kind == kind, col(KeptSetup.removed_at).is_(None))
        .order_by(col(Team.name).nulls_first(), col(KeptSetup.name))
    ).all()
    return [Kept(row.id or 0, row.name, team or "") for row, team in found]


def kept_setup(db: Db, setup_id: int, kind: str) -> KeptSetup:
    row = db.get(KeptSetup, setup_id)
    if row is None or row.removed_at is not None or row.kind != kind:
        raise NotFoundError("This setup is not kept here any more.")
    return row


def keep(db: Db, kind: Kind, name: str, team: str, settings: dict[str, Any], who: int | None) -> Kept:
    """Keep settings under a name. ConflictError when a setup of this name is there already for the same team."""
    deeds.ask(db, "setup kept", Whom("setup", None))
    name = clean_line(name)
    if not name:
        raise InvalidError("The setup needs a name.", field="name")
    if name in kind.setup_library:
        raise ConflictError(f"“{name}” is a setup that comes with Kumpel. Give yours another name.")
    row = KeptSetup(kind=kind.key, name=name, settings=without_person(kind, settings), made_by=who)
    if team.strip():
        row.team_id = team_named(db, team.strip()).id
    db.add(row)
    try:
        db.flush()
    except IntegrityError as error:
        db.rollback()
        whose = f"for {team.strip()}" if team.strip() else "for everybody"
        raise ConflictError(
            f"There is a setup “{name}” {whose} already. Take it away first, or name this one."
        ) from error
    about = {"kind": kind.key, "name": name, "team": team.strip(), "settings": row.settings}
    deeds.keep(db, "setup kept", Whom("setup", row.id), after=about, who=who)
    tell(db, "setups")
    db.commit()
    return Kept(row.id or 0, name, team.strip())


def without_person(kind: Kind, settings: dict[str, Any]) -> dict[str, Any]:
    """The settings with everything about a person as it usually is."""
    usual = kind.setup_model().model_dump(mode="json")
    about_person = {*kind.names, *personal_facts(kind.setup_model)}
    return {key: usual[key] if key in about_person else value for key, value in settings.items()}


def remove(db: Db, setup_id: int) -> None:
    """Take a named setup away; what was handed out with it stays as it is."""
    deeds.ask(db, "setup removed", Whom("setup", setup_id))
    row = db.get(KeptSetup, setup_id)
    if row is None or row.removed_at is not None:
        return
    row.removed_at = now()
    db.add(row)
    deeds.keep(db, "setup removed", Whom("setup", setup_id), before={"name": row.name, "kind": row.kind})
    tell(db, "setups")
    db.commit()


def bring_back(db: Db, setup_id: int) -> None:
    """Undo `remove`. ConflictError when another one took the name meanwhile."""
    deeds.ask(db, "setup kept", Whom("setup", setup_id))
    row = db.get(KeptSetup, setup_id)
    if row is None:
        raise NotFoundError("This setup is not on record.")
    row.removed_at = None
    db.add(row)
    try:
        db.flush()
    except IntegrityError as error:
        db.rollback()
        raise ConflictError("Another setup has this name now.") from error
    deeds.keep(db, "setup kept", Whom("setup", setup_id), after={"name": row.name, "kind": row.kind})
    tell(db, "setups")
    db.commit()

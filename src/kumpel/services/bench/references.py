"""What sensors are held against: bottles, calibrators, gauges, each with its own certificate and the day it ends."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.names import clean_line
from kumpel.services.ground import deeds
from kumpel.services.ground.decisions import is_finite
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import InvalidError, NotFoundError
from kumpel.store.tables import Reference, now

MOST_HELD = 12
HOLD_VALUES = ("bottle", "calibrator")
"""These give a value of their own; what others show (a manometer, a flow meter) is typed when it is read."""


@dataclass(frozen=True)
class Wish:
    """A reference: what sort ("bottle", "calibrator", ...), its values by sensor, how many tests are left in it (None: it does not run out)."""

    what: str
    name: str
    holds: Mapping[str, float]
    lot: str = ""
    left: int | None = None
    expires: date | None = None
    certificate: str = ""
    certificate_due: date | None = None


def add(db: Db, wish: Wish) -> Reference:
    """Put a reference on the register."""
    deeds.ask(db, "reference added", Whom("reference", None))
    name, what = clean_line(wish.name), clean_line(wish.what)
    if not 0 < len(name) <= 80 or not 0 < len(what) <= 20:
        raise InvalidError("A reference has a name and says what it is.", field="name")
    least = 1 if what in HOLD_VALUES else 0
    if not least <= len(wish.holds) <= MOST_HELD or not all(is_finite(value) for value in wish.holds.values()):
        raise InvalidError("Say what it holds: a value for each sensor.", field="holds")
    row = Reference(
        what=what,
        name=name,
        lot=clean_line(wish.lot)[:40],
        holds={clean_line(key)[:40]: float(value) for key, value in wish.holds.items()},
        left=wish.left,
        expires=wish.expires,
        certificate=clean_line(wish.certificate)[:120],
        certificate_due=wish.certificate_due,
        made_by=deeds.actor(db),
    )
    db.add(row)
    db.flush()
    deeds.keep(db, "reference added", Whom("reference", row.id), after={"name": name, "lot": row.lot})
    db.commit()
    return row


def remove(db: Db, reference_id: int) -> None:
    """Take one off the register; what was checked with it says so for good."""
    row = db.get(Reference, reference_id)
    if row is None or row.removed_at is not None:
        raise NotFoundError("This reference is not on the register (any more).")
    deeds.ask(db, "reference removed", Whom("reference", reference_id))
    row.removed_at = now()
    db.add(row)
    deeds.keep(db, "reference removed", Whom("reference", reference_id), {"name": row.name})
    db.commit()


def all_of(db: Db) -> list[Reference]:
    rows = db.exec(select(Reference).where(col(Reference.removed_at).is_(None)).order_by(col(Reference.name)))
    return list(rows.all())


def wrong_with(row: Reference, today: date | None = None) -> str:
    """Why nothing is checked with a reference, in words; empty where it can be used."""
    day = today or date.today()
    if row.expires is not None and row.expires < day:
        return f"{row.name} has expired on {row.expires:%d %b %Y}"
    if row.certificate_due is not None and row.certificate_due < day:
        return f"the certificate of {row.name} was due on {row.certificate_due:%d %b %Y}"
    if row.left == 0:
        return f"{row.name} is empty"
    return ""


def usable(rows: Sequence[Reference], what: str, sensors: Sequence[str]) -> list[Reference]:
    """Of those that can be used the ones that hold any of the sensors, first that which holds most."""
    found = [row for row in rows if row.what == what and not wrong_with(row)]
    if what not in HOLD_VALUES:
        return found
    covered = {row.id: sum(key in row.holds for key in sensors) for row in found}
    return sorted((row for row in found if covered[row.id]), key=lambda row: -covered[row.id])

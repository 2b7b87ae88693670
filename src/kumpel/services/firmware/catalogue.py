"""The catalogue: keys that are trusted, images signed with them."""

from __future__ import annotations

import hashlib

from sqlalchemy.exc import IntegrityError
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.names import clean_line
from kumpel.kinds.registry import KINDS
from kumpel.link import firmware_image
from kumpel.link.firmware_image import ImageError, version_numbers
from kumpel.services.ground import deeds
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.store.database import tell
from kumpel.store.tables import FirmwareFile, FirmwareImage, FirmwareKey, now

LARGEST_FILE = firmware_image.MOST_BYTES + 8_192


def trust(db: Db, name: str, words: str) -> FirmwareKey:
    """Trust a public key, given as the text of its file: images signed with it may be added from now on."""
    deeds.ask(db, "firmware key trusted", Whom("firmware key", None))
    if not 0 < len(clean_line(name)) <= 80:
        raise InvalidError("Say whose key it is.", field="name")
    try:
        public = firmware_image.public_from(words)
    except ImageError as error:
        raise InvalidError(f"No key was added: {error}.", field="words") from error
    row = FirmwareKey(
        key_id=firmware_image.key_id(public).hex(), public=public, name=clean_line(name), made_by=deeds.actor(db)
    )
    db.add(row)
    try:
        db.flush()
    except IntegrityError as error:
        raise ConflictError("This key is trusted already.", code="known") from error
    deeds.keep(db, "firmware key trusted", Whom("firmware key", row.id), after={"name": row.name, "key": row.key_id})
    tell(db, "firmware")
    db.commit()
    return row


def distrust(db: Db, key_id: int) -> None:
    """Trust a key no longer: nothing more signed with it is added or sent; what was sent stays."""
    row = db.get(FirmwareKey, key_id)
    if row is None or row.removed_at is not None:
        raise NotFoundError("This key is not trusted (any more).")
    deeds.ask(db, "firmware key removed", Whom("firmware key", key_id))
    row.removed_at = now()
    db.add(row)
    deeds.keep(db, "firmware key removed", Whom("firmware key", key_id), {"name": row.name, "key": row.key_id})
    tell(db, "firmware")
    db.commit()


def keys(db: Db) -> list[FirmwareKey]:
    rows = db.exec(select(FirmwareKey).where(col(FirmwareKey.removed_at).is_(None)).order_by(col(FirmwareKey.id)))
    return list(rows.all())


def add(db: Db, data: bytes) -> FirmwareImage:
    """Put an image into the catalogue: whole, for a kind that is known, signed with a key that is trusted."""
    deeds.ask(db, "firmware added", Whom("firmware", None))
    try:
        image = firmware_image.read(data)
        firmware_image.check(image, [key.public for key in keys(db)])
    except ImageError as error:
        raise InvalidError(f"Nothing was added: {error}.", code="not-genuine") from error
    head = image.head
    if head.kind not in KINDS:
        raise InvalidError(f"Nothing was added: it is for recorders of kind “{head.kind}”, which are not known here.")
    row = FirmwareImage(
        kind=head.kind,
        models=list(head.models),
        version=head.version,
        shows=head.shows,
        notes=head.notes,
        size=len(data),
        sha256=hashlib.sha256(data).digest(),
        key_id=head.key.hex(),
        made_by=deeds.actor(db),
    )
    db.add(row)
    try:
        db.flush()
    except IntegrityError as error:
        raise ConflictError(f"{head.version} for {', '.join(head.models)} is in the catalogue already.") from error
    db.add(FirmwareFile(image_id=row.id, data=data))
    about = {"kind": row.kind, "version": row.version, "sha256": row.sha256.hex()}
    deeds.keep(db, "firmware added", Whom("firmware", row.id), after=about)
    tell(db, "firmware")
    db.commit()
    return row


def remove(db: Db, image_id: int) -> None:
    """Take an image out of the catalogue; what is on its way onto a recorder is brought to its end."""
    row = db.get(FirmwareImage, image_id)
    if row is None or row.removed_at is not None:
        raise NotFoundError("This firmware is not in the catalogue (any more).")
    deeds.ask(db, "firmware removed", Whom("firmware", image_id))
    row.removed_at = now()
    db.add(row)
    deeds.keep(db, "firmware removed", Whom("firmware", image_id), {"kind": row.kind, "version": row.version})
    tell(db, "firmware")
    db.commit()


def images(db: Db) -> list[FirmwareImage]:
    """All of them by kind, the newest version first."""
    asked = select(FirmwareImage).where(col(FirmwareImage.removed_at).is_(None))
    found = sorted(db.exec(asked).all(), key=lambda row: version_numbers(row.version), reverse=True)
    return sorted(found, key=lambda row: row.kind)


def is_trusted(db: Db, image: FirmwareImage) -> bool:
    return any(key.key_id == image.key_id for key in keys(db))

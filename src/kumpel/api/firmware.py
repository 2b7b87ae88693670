"""Programs of recorders: keys that are trusted, images, updates."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Sequence

from fastapi import APIRouter, Request
from sqlalchemy import Engine
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.api import schemas
from kumpel.api.dependencies import Database, Queue, SignedIn, Who
from kumpel.api.take_in import FILE_BODY
from kumpel.services.firmware import catalogue, fitting, updates
from kumpel.services.ground import deeds
from kumpel.services.ground.problems import InvalidError
from kumpel.store import tables
from kumpel.store.database import engine

router = APIRouter(tags=["firmware"])


def _image(row: tables.FirmwareImage) -> schemas.FirmwareImage:
    return schemas.FirmwareImage(**row.model_dump(exclude={"sha256", "made_by"}), sha256=row.sha256.hex())


def _updates(db: Db, rows: Sequence[tables.FirmwareUpdate]) -> dict[int, schemas.FirmwareUpdate]:
    """As they are told, by their own number."""
    wanted = {row.image_id for row in rows}
    asked = select(tables.FirmwareImage).where(col(tables.FirmwareImage.id).in_(wanted))
    images = {image.id: image for image in db.exec(asked).all()}
    return {
        row.id or 0: schemas.FirmwareUpdate(
            **row.model_dump(exclude={"stop", "beat_at", "made_by"}),
            version=images[row.image_id].version,
            size=images[row.image_id].size,
            shows=images[row.image_id].shows,
        )
        for row in rows
    }


def _one(db: Db, row: tables.FirmwareUpdate) -> schemas.FirmwareUpdate:
    return _updates(db, [row])[row.id or 0]


@router.get("/firmware")
def firmware(db: Database, who: Who) -> schemas.Firmware:
    """The catalogue, the keys that are trusted, and of every recorder that takes programs which one is newest for it."""
    fits = fitting.fits(db)
    told = _updates(db, [fit.update for fit in fits if fit.update])
    return schemas.Firmware(
        keys=[schemas.FirmwareKey.model_validate(row) for row in catalogue.keys(db)],
        images=[_image(row) for row in catalogue.images(db)],
        recorders=[
            schemas.FirmwareFit(
                recorder_id=fit.recorder.id or 0,
                token=fit.recorder.token,
                name=fit.recorder.name,
                kind=fit.recorder.kind,
                model=fit.recorder.model,
                firmware=fit.recorder.firmware,
                comparable=fitting.is_comparable(fit.recorder),
                place=str(fit.recorder.status.get("place", "")),
                in_reach=fit.recorder.in_reach,
                image_id=fit.image.id if fit.image else None,
                against=fit.against,
                asks=fit.asks,
                update=told[fit.update.id or 0] if fit.update else None,
            )
            for fit in fits
        ],
    )


@router.post("/firmware/keys", status_code=201)
def trust_firmware_key(wish: schemas.NewFirmwareKey, db: Database, who: Who) -> schemas.FirmwareKey:
    """Trust a public key: images signed with it may be added."""
    return schemas.FirmwareKey.model_validate(catalogue.trust(db, wish.name, wish.words))


@router.delete("/firmware/keys/{key_id}", status_code=204)
def distrust_firmware_key(key_id: int, db: Database, who: Who) -> None:
    """Trust a key no longer: nothing more signed with it is added or sent."""
    catalogue.distrust(db, key_id)


@router.post("/firmware/images", status_code=201, openapi_extra={"requestBody": FILE_BODY})
async def add_firmware(request: Request, browser: SignedIn) -> schemas.FirmwareImage:
    """Add an image (as the request's body, docs/firmware-image.md): whole, and signed with a key that is trusted."""
    held = bytearray()
    async for chunk in request.stream():
        held += chunk
        if len(held) > catalogue.LARGEST_FILE:
            raise InvalidError("Nothing was added: a firmware image has 64 MB at the most.")
    store = engine(request.app.state.config.database_url)
    return await asyncio.to_thread(_add, store, bytes(held), browser.account_id)


def _add(store: Engine, data: bytes, who: int) -> schemas.FirmwareImage:
    with Db(store, expire_on_commit=False) as db:
        deeds.work_for(db, who)
        return _image(catalogue.add(db, data))


@router.delete("/firmware/images/{image_id}", status_code=204)
def remove_firmware(image_id: int, db: Database, who: Who) -> None:
    """Take an image out of the catalogue; what is on its way is brought to its end."""
    catalogue.remove(db, image_id)


@router.post("/firmware/updates", status_code=201)
def begin_updates(wish: schemas.FirmwareWish, db: Database, jobs: Queue, who: Who) -> schemas.FirmwareBegun:
    """Begin with recorders side by side; what stands against one stops none of the others."""
    begun = updates.begin(db, wish.recorders, wish.image_id, wish.unstored_too)
    for row in begun.updates:
        jobs.start_update(row.id or 0)
    told = _updates(db, begun.updates)
    return schemas.FirmwareBegun(
        updates=[told[row.id or 0] for row in begun.updates],
        refused=[schemas.FirmwareRefused(recorder_id=key, why=why) for key, why in begun.refused.items()],
    )


@router.post("/firmware/updates/{update_id}/stop")
def stop_update(update_id: int, db: Database, who: Who) -> schemas.FirmwareUpdate:
    """End one that is not switched yet: what ran before runs on."""
    return _one(db, updates.stop(db, update_id))


@router.post("/firmware/updates/{update_id}/unlock")
def unlock_update(
    update_id: int, wish: schemas.Passcode, request: Request, db: Database, who: Who
) -> schemas.FirmwareUpdate:
    """Go on with the recorder's passcode, which is kept nowhere: not in the queue of work either, so this process goes on."""
    row = updates.update_of(db, update_id)
    store = engine(request.app.state.config.database_url)
    threading.Thread(
        target=updates.run, args=(store, update_id, wish.passcode), name=f"update {update_id}", daemon=True
    ).start()
    return _one(db, row)

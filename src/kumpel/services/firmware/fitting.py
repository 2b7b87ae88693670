"""Which recorder can take which program, and what stands in its way."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.link.abilities import FIRMWARE
from kumpel.link.firmware_image import version_numbers
from kumpel.link.messages import SHUT, Mode
from kumpel.services.firmware import catalogue
from kumpel.services.recorders import bays
from kumpel.store.tables import FirmwareImage, FirmwareUpdate, Recorder, now

LEAST_BATTERY = 0.3
"""A recorder whose battery ends in the middle starts with the old program; one with less than this is charged first."""
SHOWN_FOR = timedelta(hours=12)


@dataclass(frozen=True)
class Fit:
    """A recorder, the newest image for it, what forbids it now and what is asked before, in words; the update at work or the last one of today."""

    recorder: Recorder
    image: FirmwareImage | None
    against: str
    asks: str
    update: FirmwareUpdate | None


def fits(db: Db) -> list[Fit]:
    """Every recorder that takes programs over its link, by kind and token."""
    can = col(Recorder.status)["can"].contains([FIRMWARE])
    rows = db.exec(select(Recorder).where(can).order_by(col(Recorder.kind), col(Recorder.token))).all()
    images = catalogue.images(db)
    latest = _latest(db, [row.id or 0 for row in rows])
    left = bays.not_taken_in(db, rows)
    return [_fit(row, newest_for(row, images), left[row.serial], latest.get(row.id or 0)) for row in rows]


def _latest(db: Db, recorder_ids: Sequence[int]) -> dict[int, FirmwareUpdate]:
    asked = select(FirmwareUpdate).where(
        col(FirmwareUpdate.recorder_id).in_(recorder_ids),
        col(FirmwareUpdate.ended_at).is_(None) | (col(FirmwareUpdate.ended_at) > now() - SHOWN_FOR),
    )
    return {row.recorder_id: row for row in db.exec(asked.order_by(col(FirmwareUpdate.id))).all()}


def _fit(recorder: Recorder, image: FirmwareImage | None, left: int, update: FirmwareUpdate | None) -> Fit:
    return Fit(recorder, image, against(recorder) if image else "", _left_words(left) if image else "", update)


def newest_for(recorder: Recorder, images: Sequence[FirmwareImage]) -> FirmwareImage | None:
    """The newest of those for its kind and model that is newer than what runs on it."""
    found = [image for image in images if is_for(recorder, image) and is_newer(recorder, image)]
    return max(found, key=lambda image: version_numbers(image.version), default=None)


def is_for(recorder: Recorder, image: FirmwareImage) -> bool:
    return image.kind == recorder.kind and recorder.model in image.models


def is_newer(recorder: Recorder, image: FirmwareImage) -> bool:
    """Whether it is newer than what runs. Where the two cannot be compared it is not said to be."""
    return is_comparable(recorder) and version_numbers(image.version) > version_numbers(recorder.firmware)


def is_comparable(recorder: Recorder) -> bool:
    """Whether what runs on it is a version that others can be compared with."""
    try:
        version_numbers(recorder.firmware)
    except ValueError:
        return False
    return True


def against(recorder: Recorder) -> str:
    """Why it takes no program just now, and what to do; empty where it does."""
    status = recorder.status
    mode, battery = status.get("mode", Mode.READY), status.get("battery")
    if not recorder.in_reach:
        return "not in reach: put it in the dock or plug it in"
    if mode == Mode.RECORDING:
        return "it is recording: stop it first"
    if mode in SHUT:
        return str(status.get("press") or "") or f"it does not answer now (“{mode}”)"
    if isinstance(battery, int | float) and battery < LEAST_BATTERY:
        return f"its battery is at {battery:.0%}: charge it to {LEAST_BATTERY:.0%} first"
    return ""


def not_stored(db: Db, recorder: Recorder) -> str:
    """What is on it and not here yet, in words; empty where everything is stored."""
    return _left_words(bays.not_taken_in(db, [recorder])[recorder.serial])


def _left_words(count: int) -> str:
    if not count:
        return ""
    return "a session on it is not stored yet" if count == 1 else f"{count} sessions on it are not stored yet"

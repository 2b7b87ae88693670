"""Firmware: keys, images, which recorder takes which, updates."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import BaseModel, Field

from kumpel.api.schemas.common import Id, Line, Out, example

PUBLIC_KEY = "-----BEGIN PUBLIC KEY-----\nMCowBQYDK2VwAyEAA6EHv/POEL4dcN0Y50vAmWfk1jCbpQ1fHdyGZBJVMbg=\n-----END PUBLIC KEY-----\n"


class FirmwareKey(Out):
    """A key whose signature is trusted."""

    id: int
    key_id: str
    name: str
    made_at: datetime


class NewFirmwareKey(BaseModel):
    """A public key as the text of its file (PEM)."""

    model_config = example(name="The maker", words=PUBLIC_KEY)
    name: Line = Field(min_length=1, max_length=80)
    words: str = Field(min_length=1, max_length=2_000)


class FirmwareImage(Out):
    """An image in the catalogue; `shows` is what the display says once it runs."""

    id: int
    kind: str
    models: list[str]
    version: str
    shows: str
    notes: str
    size: int
    sha256: str
    key_id: str
    made_at: datetime


class FirmwareUpdate(Out):
    """An image on its way. `sent` of the image's bytes are there; `trouble` says why it does not go on just now, or how it ended."""

    id: int
    recorder_id: int
    image_id: int
    version: str
    size: int
    shows: str
    was: str
    state: Literal["waits", "sends", "starts", "done", "failed", "stopped"]
    sent: int
    trouble: str
    locked: bool
    began_at: datetime
    ended_at: datetime | None


class FirmwareFit(BaseModel):
    """A recorder, what runs on it, the newest image for it; what forbids it now, and what is asked before."""

    recorder_id: int
    token: str
    name: str
    kind: str
    model: str
    firmware: str
    comparable: bool
    place: str
    in_reach: bool
    image_id: int | None
    against: str
    asks: str
    update: FirmwareUpdate | None


class Firmware(BaseModel):
    keys: list[FirmwareKey]
    images: list[FirmwareImage]
    recorders: list[FirmwareFit]


class FirmwareWish(BaseModel):
    """Recorders to be brought to the newest image for each, or to a named one; `unstored_too`: also those with sessions not stored yet."""

    model_config = example(recorders=[6, 7])
    recorders: list[Id] = Field(min_length=1, max_length=200)
    image_id: Id | None = None
    unstored_too: bool = False


class FirmwareRefused(BaseModel):
    recorder_id: int
    why: str


class FirmwareBegun(BaseModel):
    updates: list[FirmwareUpdate]
    refused: list[FirmwareRefused]

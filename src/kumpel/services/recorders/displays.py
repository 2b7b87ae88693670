"""The little displays of recorders: what they can show, a page as the recorder draws it, the picture shown at switching on."""

from __future__ import annotations

import base64
import binascii
from collections.abc import Sequence
from dataclasses import dataclass

from sqlmodel import Session as Db

from kumpel.link import abilities
from kumpel.services.ground import deeds
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError
from kumpel.services.recorders.reaching import AnyLink, able
from kumpel.services.recorders.recorders import link_to, recorder_of
from kumpel.store.tables import Recorder


@dataclass(frozen=True)
class Drawn:
    """A picture as a display has it: a byte a pixel in base64, row by row from the top left, 0 black to `greys` - 1 white."""

    width: int
    height: int
    greys: int
    pixels: str


def display_of(db: Db, recorder_id: int) -> abilities.Display:
    recorder = _with(db, recorder_id, abilities.DISPLAY)
    with link_to(db, recorder) as link:
        return able(link).display()


def draw(db: Db, recorder_id: int, fields: Sequence[str]) -> Drawn:
    """A page of values as the recorder draws it with its own letters; nothing is stored on it."""
    recorder = _with(db, recorder_id, abilities.DISPLAY)
    with link_to(db, recorder) as link:
        return _drawn(able(link).draw(fields))


def picture_of(db: Db, recorder_id: int) -> Drawn:
    """The picture that the recorder shows at switching on."""
    recorder = _with(db, recorder_id, abilities.PICTURE)
    with link_to(db, recorder) as link:
        return _drawn(able(link).picture())


def maker_picture(db: Db, recorder_id: int, passcode: str = "") -> Drawn:
    """The picture that the recorder came with, shown at switching on again; as it reads back."""
    whom = Whom("recorder", recorder_id)
    deeds.ask(db, "picture taken back", whom)
    recorder = _with(db, recorder_id, abilities.MAKER_PICTURE)
    with link_to(db, recorder, passcode) as link:
        able(link).maker_picture()
        found = _drawn(able(link).picture())
    deeds.keep(db, "picture taken back", whom)
    db.commit()
    return found


def write_picture(link: AnyLink, picture: Drawn) -> bool:
    """Write a picture, read it back; whether it is there as it was written. InvalidError for what is no picture."""
    try:
        pixels = base64.b64decode(picture.pixels, validate=True)
        wanted = abilities.Picture(width=picture.width, height=picture.height, greys=picture.greys, pixels=pixels)
    except (binascii.Error, ValueError) as error:
        raise InvalidError(
            "This is no picture that a display could show. Nothing was written.", field="picture"
        ) from error
    screen = able(link)
    screen.write_picture(wanted)
    return screen.picture() == wanted


def _with(db: Db, recorder_id: int, ability: str) -> Recorder:
    recorder = recorder_of(db, recorder_id)
    if ability not in recorder.status.get("can", []):
        raise ConflictError(f"{recorder.token} has no display that can be looked at from here.", code="cannot")
    db.commit()  # nothing is held while the recorder is asked
    return recorder


def _drawn(picture: abilities.Picture) -> Drawn:
    return Drawn(picture.width, picture.height, picture.greys, base64.b64encode(picture.pixels).decode())

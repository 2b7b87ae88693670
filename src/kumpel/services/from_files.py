"""Files from elsewhere come in by the same door: read in whatever open format they are, stored as a recording file."""

from __future__ import annotations

import dataclasses
import hashlib
import io
import shutil
import tempfile
from pathlib import Path, PurePath
from typing import Any, BinaryIO

from sqlmodel import Session as Db

from kumpel.core.names import clean_line
from kumpel.formats import files, krec
from kumpel.kinds.registry import KINDS
from kumpel.services import take_in
from kumpel.services.people import person_of
from kumpel.services.problems import InvalidError
from kumpel.store.tables import Session

WORDS = files.words_of(KINDS.values())
FIRST_BYTES = 2_048
MOST_BYTES = 64 * 2**20
"""Files of other formats are read as a whole, in several times their size; recording files stream."""


def take_in_file(
    db: Db, stream: BinaryIO, who: int | None, name: str = "", kind: str = "", person_id: int | None = None
) -> Session:
    """Store a file of any known format, of somebody or of nobody yet; once and only once, in one transaction.

    The kind is the wished one, else the one the file states, else the one whose channels fit best. InvalidError says what in
    the file is wrong; then nothing is stored.
    """
    wish: dict[str, Any] = {"person_id": person_of(db, person_id).id} if person_id else {}
    first = stream.read(FIRST_BYTES)
    stream.seek(0)
    path = Path(PurePath(clean_line(name)).name or "file")
    if files.form_of(path, first) == "krec":
        return take_in.from_file(db, stream, who, wish or None)
    return take_in.from_file(db, _as_recording_file(stream, path, kind), who, wish or None)


def _as_recording_file(stream: BinaryIO, name: Path, kind: str) -> BinaryIO:
    """The file as a recording file. Its session is called by the hash of what came, so that it is stored once."""
    if kind and kind not in KINDS:
        raise InvalidError(f"There is no kind “{kind}”. Nothing was stored.")
    size = stream.seek(0, io.SEEK_END)
    stream.seek(0)
    if size > MOST_BYTES:
        raise InvalidError(
            f"The file {name} has {size / 2**20:.0f} MB; {MOST_BYTES // 2**20} MB are possible. Nothing was stored. "
            "Cut it, or make a recording file of it with kumpel convert."
        )
    with tempfile.TemporaryDirectory(prefix="kumpel-file-") as folder:
        copy = Path(folder) / f"file{name.suffix.lower()}"
        with copy.open("wb") as out:
            shutil.copyfileobj(stream, out, 1 << 20)
        with copy.open("rb") as back:
            digest = hashlib.file_digest(back, "sha256").hexdigest()
        try:
            recording = files.read(copy, WORDS, files.Wish(kind))
        except files.FileFormatError as error:
            why = str(error).removeprefix(f"{copy}: ")
            raise InvalidError(f"The file {name} cannot be read: {why}. Nothing was stored.") from error
    about = {"serial": f"file-{recording.kind}", "name": "from a file", "model": str(name)[:80]} | {
        k: v for k, v in recording.recorder.items() if v
    }
    recording = dataclasses.replace(recording, recorder=about)
    return io.BytesIO(krec.write_recording(recording, f"file-{digest[:32]}"))

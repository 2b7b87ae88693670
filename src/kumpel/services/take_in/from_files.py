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
from kumpel.formats.errors import FileFormatError
from kumpel.kinds.registry import KINDS
from kumpel.services.ground.people import person_of
from kumpel.services.ground.problems import InvalidError
from kumpel.services.take_in import take_in
from kumpel.store.tables import Session

WORDS = files.words_of(KINDS.values())
MOST_TABLE_BYTES = 64 * 2**20
"""Tables and tracks are read as a whole, in several times their size; recording files and EDF are read piece by piece."""
STREAMED = ("krec", "edf")


def take_in_file(
    db: Db, stream: BinaryIO, who: int | None, name: str = "", kind: str = "", person_id: int | None = None
) -> Session:
    """Store a file of any known format, of somebody or of nobody yet; once and only once, in one transaction.

    The kind is the wished one, else the one the file states, else the one whose channels fit best. InvalidError says what in
    the file is wrong; then nothing is stored.
    """
    wish: dict[str, Any] = {"person_id": person_of(db, person_id).id} if person_id else {}
    first = stream.read(files.PROBE_BYTES)
    stream.seek(0)
    path = Path(PurePath(clean_line(name)).name or "file")
    form = files.form_of(path, first)
    if form == "krec":
        return take_in.from_file(db, stream, who, wish or None)
    if kind and kind not in KINDS:
        raise InvalidError(f"There is no kind “{kind}”. Nothing was stored.")
    if form not in STREAMED:
        _check_size(stream, path)
    with tempfile.TemporaryDirectory(prefix="kumpel-file-") as folder:
        made = _as_recording_file(stream, path, kind, Path(folder))
        with made.open("rb") as file:
            return take_in.from_file(db, file, who, wish or None)


def _check_size(stream: BinaryIO, name: Path) -> None:
    size = stream.seek(0, io.SEEK_END)
    stream.seek(0)
    if size > MOST_TABLE_BYTES:
        raise InvalidError(
            f"The file {name} has {size / 2**20:.0f} MB; {MOST_TABLE_BYTES // 2**20} MB are possible. Nothing was stored. "
            "Cut it, or make a recording file of it with kumpel convert."
        )


def _as_recording_file(stream: BinaryIO, name: Path, kind: str, folder: Path) -> Path:
    """The file as a recording file. Its session is called by the hash of what came, so that it is stored once."""
    copy, made = folder / f"file{name.suffix.lower()}", folder / "made.krec"
    with copy.open("wb") as out:
        shutil.copyfileobj(stream, out, 1 << 20)
    with copy.open("rb") as back:
        digest = hashlib.file_digest(back, "sha256").hexdigest()
    try:
        recording = files.read(copy, WORDS, files.Wish(kind))
    except FileFormatError as error:
        why = str(error).removeprefix(f"{copy}: ")
        raise InvalidError(f"The file {name} cannot be read: {why}. Nothing was stored.") from error
    about = {"serial": f"file-{recording.kind}", "name": "from a file", "model": str(name)[:80]} | {
        k: v for k, v in recording.recorder.items() if v
    }
    with made.open("wb") as out:
        krec.write_to(out, dataclasses.replace(recording, recorder=about), f"file-{digest[:32]}")
    return made

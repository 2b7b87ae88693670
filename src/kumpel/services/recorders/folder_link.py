"""A mounted folder (stick, card, share) as a recorder: its files are its sessions (docs/link-protocol.md, 14)."""

from __future__ import annotations

import dataclasses
import errno
import hashlib
import json
import os
import secrets
import stat
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from types import TracebackType
from typing import Any, BinaryIO, Self

from pydantic import Field

from kumpel.core.names import clean_line
from kumpel.formats import files, krec
from kumpel.formats.errors import FileFormatError
from kumpel.kinds.registry import KINDS, bounds_of, today
from kumpel.link.errors import LinkError, RefusedError
from kumpel.link.messages import (
    MOST_SESSIONS,
    Code,
    Description,
    Hello,
    LinkState,
    ListedSession,
    Mode,
    Name,
    Piece,
    SetupState,
    Status,
)

WORDS = files.words_of(KINDS.values())
ENDINGS = (".krec", ".csv", ".edf", ".gpx")
IDENTITY = "kumpel-recorder.json"
FOLDER_MODEL = "folder"
RESTS_S = 2.0
"""A file whose size has stood still so long is whole."""
DEEPEST = 3
MOST_TABLE_BYTES = 64 * 2**20


class FileSession(ListedSession):
    """A file: its kind, the recorder that made it, and why it cannot be taken in as it is."""

    kind: Name = Field(default="", max_length=40)
    serial: Name = Field(default="", max_length=64)
    trouble: Name = Field(default="", max_length=400)


@dataclass
class _Seen:
    """A file as it was last looked at: its size and time, since when they stand, what was found in it, its recording file."""

    size: int
    changed_ns: int
    since: float
    found: FileSession | None = None
    made: Path | None = None


@dataclass
class _Known:
    """A folder that was looked into: its files by name, and where those of other formats stand as recording files."""

    files: dict[str, _Seen] = dataclasses.field(default_factory=dict)
    made: tempfile.TemporaryDirectory[str] | None = None
    lock: threading.Lock = dataclasses.field(default_factory=threading.Lock)


_known: dict[Path, _Known] = {}
_known_lock = threading.Lock()


class FolderLink:
    """What a recorder's link can do, for a folder: looked at, read, cleared; there is nothing on it to set up."""

    bytes_per_s: float | None = None

    def __init__(self, folder: str) -> None:
        self.folder = Path(folder)
        if not self.folder.is_dir():
            raise LinkError(f"the folder {folder} is not there")
        with _known_lock:
            self._known = _known.setdefault(self.folder, _Known())
        known = _known_identity(self.folder)
        if known is None and next(self._paths(), None) is None:
            # Nothing is written into a folder that only lies beside others.
            raise LinkError(f"no file that could be a session is in {self.folder.name} yet")
        self.serial, self.name, self.can_write = known or _new_identity(self.folder)
        self.hello = Hello(protocol=2, serial=self.serial, nonce=bytes(16), locked=False)

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        pass

    def unlock(self, passcode: str) -> None:
        pass

    def describe(self) -> Description:
        kinds = Counter(each.kind for each in self.sessions() if each.kind)
        kind = kinds.most_common(1)[0][0] if kinds else ""
        return Description(
            serial=self.serial, name=self.name, token=f"F-{self.serial[-3:]}".upper(), kind=kind, model=FOLDER_MODEL
        )

    def status(self) -> Status:
        about = os.statvfs(self.folder)
        used = 1 - about.f_bavail / about.f_blocks if about.f_blocks else 0.0
        offset = round((time.localtime().tm_gmtoff or 0) / 60)
        return Status(
            clock=time.time(),
            utc_offset_min=offset,
            battery=1.0,
            memory_used=min(max(used, 0.0), 1.0),
            mode=Mode.READY,
            place=clean_line(self.folder.name)[:80],
            link=LinkState(over="card"),
        )

    def setup(self) -> SetupState:
        return SetupState(revision=0, setup={})

    def courses(self) -> list[Any]:
        return []

    def sessions(self) -> list[FileSession]:
        """Every file that is whole, newest first; one that cannot be read with the reason."""
        with self._known.lock:
            found = [self._look(path) for path in self._paths()]
        return sorted((each for each in found if each is not None), key=lambda each: -each.start)[:MOST_SESSIONS]

    def pieces(self, session: str, offset: int = 0, most: int = krec.PIECE_BYTES) -> Iterator[Piece]:
        """The recording file of a session, from an item's offset on."""
        with opened(self._file(session)) as file:
            file.seek(offset)
            held, first = bytearray(), offset
            for item in krec.stream_items(file, offset):
                held += item.raw
                if len(held) >= most:
                    yield Piece(offset=first, next=first + len(held), items=bytes(held))
                    first, held = first + len(held), bytearray()
            if held:
                yield Piece(offset=first, next=first + len(held), items=bytes(held))

    def clear(self, sessions: dict[str, bytes]) -> list[str]:
        """Remove the named files, all or none: each is read again before."""
        self.sessions()
        names = {}
        for session, digest in sessions.items():
            path = self._path(session)
            made = _read_again(path, session)
            if made != digest:
                raise RefusedError(
                    Code.HASH_MISMATCH, f"{path.name} is not the file that was stored; nothing was removed"
                )
            names[session] = path
        for path in names.values():
            try:
                path.unlink()
            except OSError as error:
                raise LinkError(f"{path.name} cannot be removed ({error.strerror})") from error
        return list(names)

    def write_setup(
        self, setup: dict[str, Any], slip: dict[str, Any], based_on: int, names: dict[str, str] | None = None
    ) -> SetupState:
        raise RefusedError(Code.UNKNOWN_CALL, "a folder has no settings; set up the recorder itself")

    def set_clock(self, clock: float, utc_offset_min: int) -> Status:
        raise RefusedError(Code.UNKNOWN_CALL, "a folder has no clock")

    def stop(self) -> Status:
        raise RefusedError(Code.NOT_RECORDING, "a folder records nothing")

    def raw_call(self, call: str, values: dict[str, Any]) -> dict[str, Any]:
        """What another machine may ask of a folder of this one: to clear. All else is done here."""
        if call != "clear":
            raise RefusedError(Code.UNKNOWN_CALL, "a folder of files can do nothing but hold them")
        return {"cleared": self.clear({each["id"]: each["sha256"] for each in values["sessions"]})}

    # -- files

    def _paths(self) -> Iterator[Path]:
        """Files of a known ending, without links and hidden ones, three folders deep."""
        todo = [(self.folder, 1)]
        while todo:
            folder, depth = todo.pop()
            try:
                entries = sorted(os.scandir(folder), key=lambda e: e.name)
            except OSError:
                continue
            for entry in entries:
                if entry.name.startswith(".") or entry.is_symlink():
                    continue
                if entry.is_dir(follow_symlinks=False):
                    todo += [(Path(entry.path), depth + 1)] if depth < DEEPEST else []
                elif entry.is_file(follow_symlinks=False) and Path(entry.name).suffix.lower() in ENDINGS:
                    yield Path(entry.path)

    def _look(self, path: Path) -> FileSession | None:
        """What a file holds, once its size rests; None while it is still being copied."""
        try:
            found = path.stat(follow_symlinks=False)
        except OSError:
            return None
        name = str(path.relative_to(self.folder))
        seen = self._known.files.get(name)
        if seen is None or (seen.size, seen.changed_ns) != (found.st_size, found.st_mtime_ns):
            self._known.files[name] = _Seen(found.st_size, found.st_mtime_ns, time.monotonic())
            return None
        if time.monotonic() - seen.since < RESTS_S:
            return None
        if seen.found is None:
            seen.found, seen.made = self._described(path, name, found.st_mtime)
        return seen.found

    def _described(self, path: Path, name: str, changed: float) -> tuple[FileSession, Path | None]:
        session = _session_name(path, name)
        try:
            made = self._made(path, session)
            head, length, size, digest = _ends(made)
        except (FileFormatError, OSError, ValueError) as error:
            why = clean_line(str(error).removeprefix(f"{path}: "))[:300]
            listed = FileSession(
                id=session,
                start=changed,
                length_s=0.0,
                size=path.stat().st_size,
                complete=False,
                trouble=f"{name}: {why}",
            )
            return listed, None
        found = FileSession(
            id=session,
            start=head.start,
            length_s=length,
            size=size,
            sha256=digest,
            complete=True,
            about=clean_line(name)[:200],
            kind=today(head.kind),
            serial=str(head.recorder.get("serial", ""))[:64],
        )
        return found, made

    def _made(self, path: Path, session: str) -> Path:
        """The recording file of a file: itself, or one made of it beside."""
        if _is_krec(path):
            return path
        if self._known.made is None:
            self._known.made = tempfile.TemporaryDirectory(prefix="kumpel-folder-")
        made = Path(self._known.made.name) / f"{hashlib.sha256(str(path).encode()).hexdigest()[:24]}.krec"
        _convert(path, made, session, self.serial)
        return made

    def _path(self, session: str) -> Path:
        for name, seen in self._known.files.items():
            if seen.found is not None and seen.found.id == session:
                return self.folder / name
        raise RefusedError(Code.NOT_FOUND, f"no session {session} in the folder")

    def _file(self, session: str) -> Path:
        self.sessions()
        path = self._path(session)
        seen = self._known.files[str(path.relative_to(self.folder))]
        if seen.made is None:
            raise RefusedError(Code.NOT_FOUND, seen.found.trouble if seen.found else "not read yet")
        return seen.made


def _is_krec(path: Path) -> bool:
    with opened(path) as file:
        return files.form_of(path, file.read(files.PROBE_BYTES)) == "krec"


def _session_name(path: Path, name: str) -> str:
    """The session's own name in a recording file, else one made from the file's name and content."""
    if path.suffix.lower() == ".krec":
        try:
            with opened(path) as file:
                head = next(iter(krec.stream_items(file))).content
            if isinstance(head, krec.Head):
                return head.session
        except (FileFormatError, StopIteration, OSError):
            pass
    try:
        with opened(path) as file:
            return f"file-{_digest_of(file).hex()[:32]}"
    except OSError:
        return f"file-{hashlib.sha256(name.encode()).hexdigest()[:32]}"


def _convert(path: Path, made: Path, session: str, serial: str) -> None:
    if path.suffix.lower() != ".edf" and path.stat().st_size > MOST_TABLE_BYTES:
        raise ValueError(f"larger than {MOST_TABLE_BYTES // 2**20} MB; make a recording file of it with kumpel convert")
    recording = files.read(path, WORDS)
    about = {"name": "from a folder", "model": path.name[:80]} | {k: v for k, v in recording.recorder.items() if v}
    with made.open("wb") as out:
        krec.write_to(out, dataclasses.replace(recording, recorder=about | {"serial": serial}), session)


def _ends(path: Path) -> tuple[krec.Head, float, int, bytes]:
    """Head, length in s, size and hash of a recording file, read to its end and checked."""
    checker, digest, size = krec.Checker(bounds_of), hashlib.sha256(), 0
    with opened(path) as file:
        for item in krec.stream_items(file):
            checker.take(item)
            digest.update(item.raw)
            size = item.end
    if checker.head is None or checker.tail is None:
        raise ValueError("not complete: it was cut off")
    if today(checker.head.kind) not in KINDS:
        raise ValueError(f"of kind “{checker.head.kind}”, which this Kumpel does not know")
    return checker.head, checker.length_s, size, digest.digest()


def _read_again(path: Path, session: str) -> bytes:
    """The hash of what a file holds now."""
    try:
        if _is_krec(path):
            with opened(path) as file:
                return _digest_of(file)
        root = _root_of(path)
        serial = (_known_identity(root) or _new_identity(root))[0]
        with tempfile.TemporaryDirectory(prefix="kumpel-folder-") as beside:
            made = Path(beside) / "made.krec"
            _convert(path, made, session, serial)
            return hashlib.sha256(made.read_bytes()).digest()
    except (FileFormatError, OSError, ValueError):
        return b""


MOST_IDENTITY_BYTES = 4096


def opened(path: Path) -> BinaryIO:
    """A regular file, opened for reading without following a link or waiting for whoever writes into a pipe. Raises OSError."""
    handle = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
    if not stat.S_ISREG(os.fstat(handle).st_mode):
        os.close(handle)
        raise OSError(errno.EINVAL, "no regular file")
    return os.fdopen(handle, "rb")


def _digest_of(file: BinaryIO) -> bytes:
    digest = hashlib.sha256()
    while piece := file.read(1 << 20):
        digest.update(piece)
    return digest.digest()


def _root_of(path: Path) -> Path:
    return next(folder for folder in _known if folder in path.parents)


def _known_identity(folder: Path) -> tuple[str, str, bool] | None:
    """Serial number and name of a folder by its small file, and whether it can be written; None without one that is right."""
    usual = clean_line(folder.name)[:40] or "folder"
    try:
        with opened(folder / IDENTITY) as small:
            about = json.loads(small.read(MOST_IDENTITY_BYTES))
        serial, name = clean_line(str(about["serial"])), clean_line(str(about.get("name") or usual))
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        return None
    return (serial, name[:40], os.access(folder, os.W_OK)) if 0 < len(serial) <= 64 else None


def _new_identity(folder: Path) -> tuple[str, str, bool]:
    """Those of a folder that has none: written into its small file; where nothing can be written, from the volume's own number, else
    from its path."""
    usual = clean_line(folder.name)[:40] or "folder"
    serial = f"FD-{secrets.token_hex(4).upper()}"
    try:
        with (folder / IDENTITY).open("x") as out:
            json.dump({"serial": serial, "name": usual}, out)
        return serial, usual, True
    except OSError:
        return f"FD-{_volume(folder)}", usual, False


def _volume(folder: Path) -> str:
    """The number of the volume that a folder lies on, where the system knows it; else one made from the path."""
    try:
        device = folder.stat().st_dev
        for link in Path("/dev/disk/by-uuid").iterdir():
            if link.stat().st_rdev == device:
                return link.name.upper()[:60]
    except OSError:
        pass
    return hashlib.sha256(str(folder).encode()).hexdigest()[:8].upper()

"""Any file that is read or written here, by what it is and what it is called.

What reads and writes tables is imported when a table comes: its library takes 24 MB, and a server may never see one.
"""

from __future__ import annotations

import mmap
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

import numpy as np

from kumpel.core.assessment import Assessment
from kumpel.core.bounds import ANY, Bounds
from kumpel.core.recording import Channel, ChannelWord, Event, Recording
from kumpel.core.samples import PartOf
from kumpel.formats import edf, edf_write, fhir, gpx, krec
from kumpel.formats.errors import CsvError, FileFormatError

if TYPE_CHECKING:
    from kumpel.formats import csv_file

PROBE_BYTES = 65_536
"""As much of a file as is looked at to see what it is."""
WRITES = {".krec", ".csv", ".edf", ".gpx", ".xlsx", ".parquet", ".json"}


@dataclass(frozen=True)
class Wish:
    """What somebody says about a file: its kind (empty: find out), the interval, names of columns or signals by channel."""

    kind: str = ""
    interval_s: float | None = None
    names: Mapping[str, str] | None = None
    layout: csv_file.Layout | None = None


@dataclass(frozen=True)
class KindFile:
    """What a file of a kind may bring: channels, columns of single readings, the code of their events, and how much; `key` is what the
    kind is called today."""

    key: str
    channels: tuple[ChannelWord, ...]
    readings: tuple[str, ...] = ()
    reading_code: str = "reading"
    bounds: Bounds = ANY


KindWords = Mapping[str, KindFile]


class KindLike(Protocol):
    """What a declared kind tells about its files."""

    @property
    def key(self) -> str: ...
    @property
    def channels(self) -> tuple[ChannelWord, ...]: ...
    @property
    def readings(self) -> tuple[str, ...]: ...
    @property
    def reading_code(self) -> str: ...
    @property
    def bounds(self) -> Bounds: ...
    @property
    def was(self) -> tuple[str, ...]: ...


def words_of(kinds: Iterable[KindLike]) -> KindWords:
    """What files of these kinds may bring, by what the kinds are called and were called once."""
    return {
        name: KindFile(k.key, k.channels, k.readings, k.reading_code, k.bounds)
        for k in kinds
        for name in (k.key, *k.was)
    }


def form_of(path: Path, data: bytes) -> str:
    """The format of a file: by its first bytes, else by its name's ending; "csv" when nothing else fits."""
    if data[:3] == b"\xd9\xd9\xf7" or path.suffix == ".krec":
        return "krec"
    if data[:4] == b"PAR1":
        return "parquet"
    if data[:8] == b"0       " or path.suffix.lower() == ".edf":
        return "edf"
    if b"<gpx" in data[:2000].lower() or path.suffix.lower() == ".gpx":
        return "gpx"
    return "csv"


def read(path: Path, words: KindWords, wish: Wish | None = None) -> Recording:
    """A file of any known format as a recording.

    The kind is the wished one, else the one the file states, else the one whose channels fit its columns best. Raises
    FileFormatError with the file's name and the place in it.
    """
    wish = wish or Wish()
    try:
        with path.open("rb") as file:
            first = file.read(PROBE_BYTES)
        found = _read(path, first, words, wish)
        return replace(found, kind=words[found.kind].key) if found.kind in words else found
    except OSError as error:
        raise FileFormatError(f"cannot be read ({error.strerror})", path=path) from error
    except FileFormatError as error:
        raise error.of(path) from None
    except ValueError as error:
        raise FileFormatError(str(error), path=path) from error


def _read(path: Path, first: bytes, words: KindWords, wish: Wish) -> Recording:
    """A file by what its first bytes say. Recording files, EDF and Parquet are read where they lie; the others are small texts."""
    form = form_of(path, first)
    if form == "krec":
        return krec.open_file(path, lambda kind: _bounds(words, kind))
    if form == "parquet":
        from kumpel.formats import tables

        return tables.read_parquet(str(path), lambda kind: _bounds(words, kind))
    if form == "gpx":
        kind = wish.kind or "training"
        return gpx.read(path.read_bytes(), kind, wish.interval_s, _bounds(words, kind))
    if form == "edf":
        with path.open("rb") as file:
            mapped = mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) if path.stat().st_size else b""
        kind = wish.kind or edf.kind_in(mapped) or _best(words, lambda w: _edf_fit(mapped, w))
        return edf.read(mapped, kind, words[kind].channels if kind in words else (), wish.names, _bounds(words, kind))
    return _read_table(path.read_bytes(), words, wish)


def _read_table(data: bytes, words: KindWords, wish: Wish) -> Recording:
    from kumpel.formats import csv_file

    layout = wish.layout or csv_file.Layout()
    layout = replace(
        layout, interval_s=wish.interval_s or layout.interval_s, columns={**layout.columns, **(wish.names or {})}
    )
    kind = wish.kind or _best(words, lambda w: _csv_fit(data, w, layout))
    if kind not in words:
        raise FileFormatError(f"there is no kind “{kind}”; there are: {', '.join(words)}")
    of = words[kind]
    return csv_file.read(data, kind, of.channels, layout, of.readings, of.reading_code, of.bounds)


def _bounds(words: KindWords, kind: str) -> Bounds:
    return words[kind].bounds if kind in words else ANY


def _best(words: KindWords, fit: Callable[[tuple[ChannelWord, ...]], int]) -> str:
    """The kind with most channels found; of equals the one that knows fewer."""
    scores = {kind: (fit(each.channels), -len(each.channels)) for kind, each in words.items()}
    return max(scores, key=lambda k: scores[k])


def _csv_fit(data: bytes, words: tuple[ChannelWord, ...], layout: csv_file.Layout) -> int:
    """How many of a kind's channels the columns bring; those that somebody names by key count most."""
    from kumpel.formats import csv_file

    named = sum(10 for w in words if w.key in layout.columns)
    try:
        return named + len(csv_file.detect(data, words, replace(layout, columns={})).columns)
    except CsvError:
        return named


def _edf_fit(data: edf.Bytes, words: tuple[ChannelWord, ...]) -> int:
    known = {w.key for w in words}
    found: dict[str, Channel] = {}
    for signal in edf.read_header(data).signals:
        if not signal.is_annotations:
            key = edf.key_of(signal, words, found)
            if key in known:
                found[key] = Channel(key, key, "", 1.0, np.empty(0))
    return len(found)


def write(recording: Recording, path: Path, found: Assessment | None = None, name: str = "", events: str = "") -> None:
    """Write a recording in the format of the path's ending; as CSV its `events` of one code in place of its samples.

    Raises FileFormatError when the ending is none that is written, or the format cannot hold the recording.
    """
    from kumpel.formats import csv_file, tables, xlsx

    suffix = path.suffix.lower()
    try:
        if suffix == ".krec":
            _write_pieces(path, krec.recording_items(recording))
        elif suffix == ".csv":
            _write_pieces(path, csv_file.pieces(recording, events))
        elif suffix == ".edf":
            _write_pieces(path, edf_write.pieces(recording, edf_write.Who(name=name or "X")))
        elif suffix == ".gpx":
            path.write_bytes(gpx.write(recording, name))
        elif suffix == ".xlsx":
            xlsx.write(recording, str(path), found)
        elif suffix == ".parquet":
            tables.write_parquet(recording, str(path))
        elif suffix == ".json":
            path.write_bytes(fhir.write(recording, {"display": name} if name else None))
        else:
            raise FileFormatError(f"no format for “{suffix}”; there are: {', '.join(sorted(WRITES))}", path=path)
    except OSError as error:
        raise FileFormatError(f"cannot be written ({error.strerror})", path=path) from error
    except FileFormatError as error:
        raise error if error.path else error.of(path) from None
    except ValueError as error:
        raise FileFormatError(str(error), path=path) from error


def _write_pieces(path: Path, pieces: Iterable[bytes]) -> None:
    """Write beside, then take its place: the recording may be read from the very file that is written."""
    if path.exists() and not path.is_file():
        with path.open("wb") as out:
            out.writelines(pieces)
        return
    part = path.with_name(f".{path.name}.part")
    try:
        with part.open("wb") as out:
            out.writelines(pieces)
        part.replace(path)
    finally:
        part.unlink(missing_ok=True)


def cut(recording: Recording, from_s: float, to_s: float) -> Recording:
    """A span of a recording, from `from_s` to `to_s` after its start: whole samples, and the events in it.

    Raises FileFormatError when nothing of the recording lies in it.
    """
    steps = [c.interval_s for c in recording.channels.values()]
    coarse = max(steps, default=1.0)
    # All channels are cut at the same moment: at a whole sample of the slowest one.
    first = max(round(from_s / coarse), 0) * coarse
    if not to_s > first or first >= max(recording.length_s, 1e-9):
        raise FileFormatError(
            f"nothing lies between {from_s:g} and {to_s:g} s; the recording is {recording.length_s:g} s long"
        )
    channels = {}
    for key, c in recording.channels.items():
        a, b = round(first / c.interval_s), round(min(to_s, c.length_s) / c.interval_s)
        channels[key] = replace(c, samples=PartOf(c.samples, a, b))
    events = tuple(Event(e.at_s - first, e.code, e.text, e.data) for e in recording.events if first <= e.at_s < to_s)
    setup = {**recording.setup, "run_length_min": (min(to_s, recording.length_s) - first) / 60}
    return replace(recording, start=recording.start + first, channels=channels, events=events, setup=setup)

"""EDF and EDF+ (European Data Format): reading, continuous and discontinuous, with annotations; `edf_write` writes them.

Specification: Kemp et al., Electroenceph Clin Neurophysiol 1992;82:391 (EDF); Kemp and Olivan, Clin Neurophysiol
2003;114:1755 (EDF+). A gap between the data records of a discontinuous file is "not measured". EDF has no missing
sample; files written here keep the digital value -32768 for it and say so in the signal's reserved field.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from mmap import mmap

import numpy as np
from numpy.typing import NDArray

from kumpel.core.bounds import ANY, Bounds, BoundsError
from kumpel.core.recording import Channel, ChannelWord, Event, Floats, Recording, recorded_s
from kumpel.core.samples import MOST_WHOLE_BYTES, ArraySamples, Samples
from kumpel.core.units import standard
from kumpel.formats.errors import EdfError
from kumpel.formats.heads import called

ANNOTATIONS = "EDF Annotations"
MISSING_MARK = "missing=-32768"
MISSING = -32_768
LOWEST, HIGHEST = -32_768, 32_767
MOST_DECIMALS = 6
FLAGS = {"True": True, "False": False}
COUNT_MARK = re.compile(r"count=(\d+)")
"""In the reserved field of a signal: how many samples it has, the filling of the last data record apart."""
FINE = " fine"
"""Behind the key of a second signal that holds what the steps of the first are too coarse for; the two are added."""
MOST_SIGNALS = 256
MOST_SAMPLES = 1_000_000_000
LONGEST_S = 400 * 86_400.0
MOST_GAPS, FEWEST_REFUSED = 20, 10_000_000
"""A small file must not ask for much memory by gaps alone."""
_FIELDS = (("label", 16), ("transducer", 80), ("unit", 8), ("low", 8), ("high", 8), ("digital_low", 8), ("digital_high", 8), ("filter", 80), ("samples", 8), ("reserved", 32))  # fmt: skip
MONTHS = ("JAN", "FEB", "MAR", "APR", "MAY", "JUN", "JUL", "AUG", "SEP", "OCT", "NOV", "DEC")


Bytes = bytes | mmap
"""A file's bytes, in memory or mapped: then only what is read of it is in memory."""


@dataclass(frozen=True)
class Signal:
    """A signal's header. Physical value = (digital - digital_low) x (high - low)/(digital_high - digital_low) + low."""

    label: str
    transducer: str
    unit: str
    low: float
    high: float
    digital_low: int
    digital_high: int
    filter: str
    samples: int
    reserved: str

    @property
    def is_annotations(self) -> bool:
        return self.label == ANNOTATIONS

    @property
    def scale(self) -> float:
        return (self.high - self.low) / (self.digital_high - self.digital_low)


@dataclass(frozen=True)
class Header:
    """The file's header: ids, start (wall clock), bytes, records, their length in s, and the signals."""

    patient: str
    recording: str
    start: datetime
    bytes: int
    plus: str
    records: int
    record_s: float
    signals: tuple[Signal, ...]

    @property
    def record_samples(self) -> int:
        return sum(s.samples for s in self.signals)


def _text(data: Bytes, at: int, size: int) -> str:
    return data[at : at + size].decode("latin-1").strip()


def _number(data: Bytes, at: int, size: int, what: str) -> float:
    text = _text(data, at, size)
    try:
        value = float(text)
    except ValueError:
        raise EdfError(f"{what} “{text}” is no number", at) from None
    if not math.isfinite(value):
        raise EdfError(f"{what} “{text}” is not finite", at)
    return value


def read_header(data: Bytes) -> Header:
    """The header of a file's bytes. Raises EdfError with the byte of the field that is wrong."""
    if len(data) < 256:
        raise EdfError(f"an EDF header has 256 bytes, the file {len(data)}", 0)
    if data[:8].strip() != b"0":
        raise EdfError("not an EDF file (it does not begin with version 0)", 0)
    count = int(_number(data, 252, 4, "the number of signals"))
    if not 0 <= count <= MOST_SIGNALS:
        raise EdfError(f"{count} signals; up to {MOST_SIGNALS} are read", 252)
    size = 256 * (count + 1)
    if len(data) < size:
        raise EdfError(f"the header of {count} signals has {size} bytes; the file ends before", len(data))
    columns: dict[str, list[tuple[str, int]]] = {}
    at = 256
    for name, width in _FIELDS:
        columns[name] = [(_text(data, at + i * width, width), at + i * width) for i in range(count)]
        at += width * count

    def number(name: str, i: int) -> float:
        width = dict(_FIELDS)[name]
        return _number(data, columns[name][i][1], width, f"signal {i + 1}, {name.replace('_', ' ')}")

    signals = []
    for i in range(count):
        signal = Signal(
            columns["label"][i][0],
            columns["transducer"][i][0],
            columns["unit"][i][0],
            number("low", i),
            number("high", i),
            int(number("digital_low", i)),
            int(number("digital_high", i)),
            columns["filter"][i][0],
            int(number("samples", i)),
            columns["reserved"][i][0],
        )
        if signal.samples < 0 or signal.samples > 10_000_000:
            raise EdfError(f"signal {i + 1}: {signal.samples} samples a record", columns["samples"][i][1])
        if not signal.is_annotations and signal.digital_high <= signal.digital_low:
            raise EdfError(
                f"signal “{signal.label}”: the digital maximum is not above the minimum", columns["digital_high"][i][1]
            )
        if not signal.is_annotations and signal.high == signal.low:
            raise EdfError(f"signal “{signal.label}”: the physical maximum equals the minimum", columns["high"][i][1])
        signals.append(signal)
    record_s = _number(data, 244, 8, "the length of a record")
    records = int(_number(data, 236, 8, "the number of records"))
    header = Header(
        _text(data, 8, 80),
        _text(data, 88, 80),
        _start(data),
        size,
        _text(data, 192, 44),
        records,
        record_s,
        tuple(signals),
    )
    if record_s < 0 or (record_s == 0 and any(not s.is_annotations for s in signals)):
        raise EdfError("the length of a record must be above 0 s", 244)
    return _with_records(header, len(data))


def _with_records(header: Header, size: int) -> Header:
    """The number of records from the file's size where the header does not know it (-1) or the file was cut off."""
    per = 2 * header.record_samples
    there = (size - header.bytes) // per if per else 0
    if header.records < 0 or header.records > there:
        return Header(
            header.patient,
            header.recording,
            header.start,
            header.bytes,
            header.plus,
            there,
            header.record_s,
            header.signals,
        )
    return header


def _start(data: Bytes) -> datetime:
    date, clock, recording = _text(data, 168, 8), _text(data, 176, 8), _text(data, 88, 80)
    parts, time = re.fullmatch(r"(\d\d)\.(\d\d)\.(\d\d)", date), re.fullmatch(r"(\d\d)[.:](\d\d)[.:](\d\d)", clock)
    if parts is None or time is None:
        raise EdfError(f"the start “{date} {clock}” is not written as dd.mm.yy hh.mm.ss", 168)
    day, month, short = (int(p) for p in parts.groups())
    year = short + (1900 if short >= 85 else 2000)
    long = re.match(r"Startdate (\d\d)-([A-Z]{3})-(\d{4})", recording, re.IGNORECASE)
    if long and long[2].upper() in MONTHS:
        day, month, year = int(long[1]), MONTHS.index(long[2].upper()) + 1, int(long[3])
    try:
        return datetime(year, month, day, int(time[1]), int(time[2]), int(time[3]), tzinfo=UTC)
    except ValueError:
        raise EdfError(f"the start “{date} {clock}” is no date", 168) from None


@dataclass(frozen=True)
class Annotation:
    """A time-stamped text: onset in s after the start, length in s (0: none given)."""

    onset_s: float
    length_s: float
    text: str


def _annotations(block: bytes, base: int) -> Iterator[tuple[float, float, list[str]]]:
    """Time-stamped lists of one record: onset, length, texts (the first list's empty text keeps the record's time)."""
    for part in block.split(b"\x00"):
        if not part:
            continue
        head, *texts = part.split(b"\x14")
        onset, _, length = head.partition(b"\x15")
        try:
            yield float(onset), float(length) if length else 0.0, [t.decode("utf-8", "replace") for t in texts[:-1]]
        except ValueError:
            raise EdfError(f"an annotation's time “{onset[:20].decode('latin-1')}” is no number", base) from None


def _records(data: Bytes, header: Header, most: int) -> tuple[Floats, list[Annotation]]:
    """Start of each record in s after the file's start, and the annotations."""
    per = 2 * header.record_samples
    starts = np.arange(header.records, dtype=np.float64) * header.record_s
    offset, lanes = 0, []
    for signal in header.signals:
        if signal.is_annotations:
            lanes.append((offset, 2 * signal.samples))
        offset += 2 * signal.samples
    found: list[Annotation] = []
    for lane, (at, size) in enumerate(lanes):
        for record in range(header.records):
            base = header.bytes + record * per + at
            for i, (onset, length, texts) in enumerate(_annotations(data[base : base + size], base)):
                if lane == 0 and i == 0 and (not texts or texts[0] == ""):
                    starts[record] = onset
                found += [Annotation(onset, length, t) for t in texts if t]
                if len(found) > most:
                    raise EdfError(f"more than {most:,} annotations: more than such a recording can hold", base)
    return starts, found


class _SignalSamples(Samples):
    """A signal in its unit on an even time base from the first record on, nan in gaps and where marked missing.

    `rows` are its digital values, shape (records, samples a record); `slots` the sample at which each record begins.
    """

    def __init__(self, signal: Signal, rows: NDArray[np.int16], slots: NDArray[np.int64]) -> None:
        self._rows, self._slots, self._per = rows, slots, signal.samples
        self._scale, self._zero = signal.scale, signal.low - signal.digital_low * signal.scale
        self._decimals = _decimals_of(signal)
        self._marked = MISSING_MARK in signal.reserved
        stated = COUNT_MARK.search(signal.reserved)
        self._stated = int(stated[1]) if stated else None
        self._straight = bool(np.all(slots == np.arange(len(rows)) * signal.samples))

    @property
    def count(self) -> int:
        whole = int(self._slots[-1]) + self._per
        return whole if self._stated is None else min(whole, self._stated)

    def read(self, first: int, end: int) -> Floats:
        first, end = max(first, 0), min(end, self.count)
        if first >= end:
            return np.empty(0)
        low = max(int(np.searchsorted(self._slots, first, side="right")) - 1, 0)
        high = int(np.searchsorted(self._slots, end, side="left"))
        part = self._rows[low:high]
        real = np.multiply(part, self._scale, dtype=np.float64)
        real += self._zero
        if self._decimals is not None:
            np.round(real, self._decimals, out=real)
        if self._marked:
            real[part == MISSING] = np.nan
        at = int(self._slots[low])
        if self._straight:
            return real.reshape(-1)[first - at : end - at]
        values = np.full(int(self._slots[high - 1]) + self._per - at, np.nan)
        values[(self._slots[low:high, None] - at + np.arange(self._per)).reshape(-1)] = real.reshape(-1)
        return _padded(values[first - at : end - at], end - first)


class _SumOfTwo(Samples):
    """A signal and the second one that holds what its steps are too coarse for."""

    def __init__(self, coarse: Samples, fine: Samples) -> None:
        self._coarse, self._fine = coarse, fine

    @property
    def count(self) -> int:
        return self._coarse.count

    def read(self, first: int, end: int) -> Floats:
        return self._coarse.read(first, end) + self._fine.read(first, end)


def _decimals_of(signal: Signal) -> int | None:
    """Decimals of a signal's digital steps: 1 of steps of 0.1 or 0.2 from -3276.8 on; None where they are of no such step.

    A product of two rounded numbers is a hair off such a step, and 89.9999999 is below a limit that 90 reaches.
    """
    for decimals in range(MOST_DECIMALS + 1):
        step = signal.scale * 10**decimals
        zero = signal.low * 10**decimals
        if abs(step) > 0.5 and all(abs(v - round(v)) < 1e-7 * max(abs(v), 1.0) for v in (step, zero)):
            return decimals
    return None


def _padded(values: Floats, count: int) -> Floats:
    """The values, and behind them nan up to the count: a gap between records."""
    return values if len(values) == count else np.concatenate((values, np.full(count - len(values), np.nan)))


def _samples(data: Bytes, header: Header, number: int, starts: Floats) -> Samples:
    """A signal's samples. Raises EdfError when the times of the records cannot be."""
    signal = header.signals[number]
    first = sum(s.samples for s in header.signals[:number])
    whole = np.frombuffer(data, dtype="<i2", count=header.records * header.record_samples, offset=header.bytes)
    rows = whole.reshape(header.records, header.record_samples)[:, first : first + signal.samples]
    step = header.record_s / signal.samples
    if not np.isfinite(starts).all() or np.ptp(starts) > LONGEST_S:
        raise EdfError("the time of a data record is not one of this recording: more than 400 days away", header.bytes)
    slots = np.rint((starts - starts[0]) / step).astype(np.int64)
    if slots[-1] + signal.samples > MOST_SAMPLES or np.any(np.diff(slots) < signal.samples):
        bad = int(np.argmax(np.diff(slots) < signal.samples)) + 1
        raise EdfError(
            f"record {bad + 1} begins before the one before it ends, or far too late",
            header.bytes + 2 * bad * header.record_samples,
        )
    recorded, count = header.records * signal.samples, int(slots[-1]) + signal.samples
    if count > max(MOST_GAPS * recorded, FEWEST_REFUSED):
        raise EdfError(
            f"gaps {count // recorded} times as long as what was recorded: is the time of a record wrong?", header.bytes
        )
    return _SignalSamples(signal, rows, slots)


def _in_memory(channels: Mapping[str, Channel]) -> dict[str, Channel]:
    """The channels with their samples in memory when they are few; else they stay in the file."""
    if 8 * sum(c.count for c in channels.values()) > MOST_WHOLE_BYTES:
        return dict(channels)
    return {k: replace(c, samples=ArraySamples(c.values)) for k, c in channels.items()}


def read(
    data: Bytes,
    kind: str,
    words: Sequence[ChannelWord] = (),
    names: Mapping[str, str] | None = None,
    bounds: Bounds = ANY,
) -> Recording:
    """An EDF or EDF+ file as a recording of a kind.

    A signal becomes the channel that its transducer field names (files written here), that `names` gives it (label of the
    signal by key), or whose name in `words` its label has; others keep their label as key. Annotations become events.
    Raises EdfError with the byte of what is wrong; a file that was cut off is read up to its last whole record.
    """
    header = read_header(data)
    if not header.records:
        raise EdfError("the file holds no whole data record: was it cut off?", header.bytes)
    starts, annotations = _records(data, header, bounds.events)
    _check(header, starts, len(annotations), kind, bounds)
    wished = {label.lower(): key for key, label in (names or {}).items()}
    labels = [s.label for s in header.signals]
    for key, label in (names or {}).items():
        if label.lower() not in (x.lower() for x in labels):
            raise EdfError(
                f"no signal “{label}” for {key}; there are: {', '.join(x for x in labels if x != ANNOTATIONS)}", 256
            )
    channels: dict[str, Channel] = {}
    fine = {s.transducer.removesuffix(FINE): i for i, s in enumerate(header.signals) if s.transducer.endswith(FINE)}
    for number, signal in enumerate(header.signals):
        if signal.is_annotations or not signal.samples or number in fine.values():
            continue
        key = wished.get(signal.label.lower()) or key_of(signal, words, channels)
        name = next((w.name for w in words if w.key == key), signal.label)
        own = next((w.unit for w in words if w.key == key), "")
        unit = own if not signal.unit or standard(signal.unit) == standard(own) else standard(signal.unit)
        samples = _samples(data, header, number, starts)
        if signal.transducer in fine:
            samples = _SumOfTwo(samples, _samples(data, header, fine[signal.transducer], starts))
        channels[key] = Channel(key, name, unit, header.record_s / signal.samples, samples)
    offset = re.search(r"UTC([+-]\d{1,4})", header.recording)
    minutes = int(offset[1]) if offset else 0
    begin = header.start.timestamp() + float(starts[0]) - minutes * 60
    told = re.search(r"kind=(\w+)", header.recording)
    events = tuple(sorted((_event(a, float(starts[0])) for a in annotations), key=lambda e: e.at_s))
    length = recorded_s((c.length_s for c in channels.values()), events)
    return Recording(
        told[1] if told and not kind else kind or "unknown",
        begin,
        minutes,
        _in_memory(channels),
        events,
        {"run_length_min": length / 60},
        {"name": "file", "notes": _notes(data, header, starts)},
    )


def _check(header: Header, starts: Floats, annotations: int, kind: str, bounds: Bounds) -> None:
    """Refuse more than the kind can hold, gaps included, before anything is unpacked."""
    signals = [s for s in header.signals if not s.is_annotations and s.samples]
    span = float(np.ptp(starts)) + header.record_s
    try:
        bounds.check_channels(len(signals))
        bounds.check_events(annotations)
        bounds.check_span(span)
        for signal in signals:
            bounds.check_rate(header.record_s / signal.samples, f"signal “{signal.label}”")
        records = span / header.record_s if header.record_s > 0 else 1
        bounds.check_samples(round(records * sum(s.samples for s in signals)))
    except BoundsError as error:
        raise EdfError(f"more than a recording of kind “{kind}” can hold: {error}", header.bytes) from None


def _notes(data: Bytes, header: Header, starts: Floats) -> list[str]:
    """What is to be said of the file: cut off, or with gaps between its records."""
    stated = int(_number(data, 236, 8, "the number of records"))
    notes = []
    if stated > header.records:
        notes.append(f"the file was cut off: {header.records} of {stated} data records are there and were read")
    gaps = int(np.count_nonzero(np.diff(starts) > 1.5 * header.record_s)) if header.record_s > 0 else 0
    if gaps:
        notes.append(f"{gaps} gap{'s' if gaps > 1 else ''} between data records: nothing was recorded there")
    return notes


def kind_in(data: Bytes) -> str:
    """The kind that a file written here states in its recording field, or an empty text."""
    told = re.search(r"kind=(\w+)", _text(data, 88, 80))
    return told[1] if told else ""


def key_of(signal: Signal, words: Sequence[ChannelWord], taken: Mapping[str, Channel]) -> str:
    """The channel that a signal becomes: its transducer field's, the one whose name its label has, else its label."""
    known = {w.key for w in words}
    if signal.transducer in known and signal.transducer not in taken:
        return signal.transducer
    label = re.sub(r"\s+", " ", signal.label.lower().replace("-", " ").replace("_", " ")).strip()
    for word in words:
        if word.key not in taken and label in {
            word.key,
            word.key.replace(".", " "),
            word.name.lower(),
            *called(word.key),
        }:
            return word.key
    for word in words:
        if word.key not in taken and any(
            label.startswith(a) for a in (word.name.lower(), *called(word.key)) if len(a) > 2
        ):
            return word.key
    return signal.label if signal.label not in taken else f"{signal.label} {len(taken) + 1}"


def _event(found: Annotation, base_s: float) -> Event:
    code, colon, rest = found.text.partition(": ")
    data: dict[str, object] = {"length_s": found.length_s} if found.length_s else {}
    numbers = re.search(r" \{(.*)\}$", rest)
    if colon and numbers:
        for pair in numbers[1].split(", "):
            name, _, value = pair.partition("=")
            try:
                data[name] = FLAGS[value] if value in FLAGS else float(value)
            except ValueError:
                data[name] = value
        rest = rest[: numbers.start()]
    plain = bool(colon) and re.fullmatch(r"[\w.-]+", code) is not None
    return Event(found.onset_s - base_s, code if plain else "annotation", rest if plain else found.text, data)

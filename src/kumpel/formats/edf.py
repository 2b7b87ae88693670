"""EDF and EDF+ (European Data Format): reading and writing, continuous and discontinuous, with annotations.

Specification: Kemp et al., Electroenceph Clin Neurophysiol 1992;82:391 (EDF); Kemp and Olivan, Clin Neurophysiol
2003;114:1755 (EDF+). A gap between the data records of a discontinuous file is "not measured". EDF has no missing
sample; files written here keep the digital value -32768 for it and say so in the signal's reserved field.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

import numpy as np

from kumpel.core.recording import Channel, ChannelWord, Event, Floats, Recording
from kumpel.core.units import standard

ANNOTATIONS = "EDF Annotations"
MISSING_MARK = "missing=-32768"
MISSING = -32_768
LOWEST, HIGHEST = -32_768, 32_767
MOST_SIGNALS = 256
MOST_SAMPLES = 1_000_000_000
_FIELDS = (("label", 16), ("transducer", 80), ("unit", 8), ("low", 8), ("high", 8), ("digital_low", 8), ("digital_high", 8), ("filter", 80), ("samples", 8), ("reserved", 32))  # fmt: skip
_MONTHS = ("JAN", "FEB", "MAR", "APR", "MAY", "JUN", "JUL", "AUG", "SEP", "OCT", "NOV", "DEC")


class EdfError(ValueError):
    """Something wrong in an EDF file, with the byte it was found at."""

    def __init__(self, message: str, offset: int) -> None:
        super().__init__(f"byte {offset}: {message}")
        self.offset = offset


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


def _text(data: bytes, at: int, size: int) -> str:
    return data[at : at + size].decode("latin-1").strip()


def _number(data: bytes, at: int, size: int, what: str) -> float:
    text = _text(data, at, size)
    try:
        value = float(text)
    except ValueError:
        raise EdfError(f"{what} “{text}” is no number", at) from None
    if not math.isfinite(value):
        raise EdfError(f"{what} “{text}” is not finite", at)
    return value


def read_header(data: bytes) -> Header:
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


def _start(data: bytes) -> datetime:
    date, clock, recording = _text(data, 168, 8), _text(data, 176, 8), _text(data, 88, 80)
    parts, time = re.fullmatch(r"(\d\d)\.(\d\d)\.(\d\d)", date), re.fullmatch(r"(\d\d)[.:](\d\d)[.:](\d\d)", clock)
    if parts is None or time is None:
        raise EdfError(f"the start “{date} {clock}” is not written as dd.mm.yy hh.mm.ss", 168)
    day, month, short = (int(p) for p in parts.groups())
    year = short + (1900 if short >= 85 else 2000)
    long = re.match(r"Startdate (\d\d)-([A-Z]{3})-(\d{4})", recording, re.IGNORECASE)
    if long and long[2].upper() in _MONTHS:
        day, month, year = int(long[1]), _MONTHS.index(long[2].upper()) + 1, int(long[3])
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


def _records(data: bytes, header: Header) -> tuple[Floats, list[Annotation]]:
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
    return starts, found


def _values(data: bytes, header: Header, number: int, starts: Floats) -> Floats:
    """A signal in its unit on an even time base from the first record on, nan in gaps and where marked missing."""
    signal = header.signals[number]
    first = sum(s.samples for s in header.signals[:number])
    whole = np.frombuffer(data, dtype="<i2", count=header.records * header.record_samples, offset=header.bytes)
    rows = whole.reshape(header.records, header.record_samples)[:, first : first + signal.samples]
    step = header.record_s / signal.samples
    slots = np.rint((starts - starts[0]) / step).astype(np.int64)
    straight = bool(np.all(slots == np.arange(header.records) * signal.samples))
    if not straight and (slots[-1] + signal.samples > MOST_SAMPLES or np.any(np.diff(slots) < signal.samples)):
        bad = int(np.argmax(np.diff(slots) < signal.samples)) + 1
        raise EdfError(
            f"record {bad + 1} begins before the one before it ends, or far too late",
            header.bytes + 2 * bad * header.record_samples,
        )
    values = np.full(header.records * signal.samples if straight else int(slots[-1]) + signal.samples, np.nan)
    marked = MISSING_MARK in signal.reserved
    for record in range(0, header.records, 256):
        part = rows[record : record + 256]
        real = (part - float(signal.digital_low)) * signal.scale + signal.low
        if marked:
            real[part == MISSING] = np.nan
        if straight:
            values[record * signal.samples : (record + len(part)) * signal.samples] = real.ravel()
            continue
        for i in range(len(part)):
            values[slots[record + i] : slots[record + i] + signal.samples] = real[i]
    return values


def read(
    data: bytes, kind: str, words: Sequence[ChannelWord] = (), names: Mapping[str, str] | None = None
) -> Recording:
    """An EDF or EDF+ file as a recording of a kind.

    A signal becomes the channel that its transducer field names (files written here), that `names` gives it (label of the
    signal by key), or whose name in `words` its label has; others keep their label as key. Annotations become events.
    Raises EdfError with the byte of what is wrong; a file that was cut off is read up to its last whole record.
    """
    header = read_header(data)
    if not header.records:
        raise EdfError("the file holds no whole data record: was it cut off?", header.bytes)
    starts, annotations = _records(data, header)
    wished = {label.lower(): key for key, label in (names or {}).items()}
    labels = [s.label for s in header.signals]
    for key, label in (names or {}).items():
        if label.lower() not in (x.lower() for x in labels):
            raise EdfError(
                f"no signal “{label}” for {key}; there are: {', '.join(x for x in labels if x != ANNOTATIONS)}", 256
            )
    channels: dict[str, Channel] = {}
    for number, signal in enumerate(header.signals):
        if signal.is_annotations or not signal.samples:
            continue
        key = wished.get(signal.label.lower()) or key_of(signal, words, channels)
        name = next((w.name for w in words if w.key == key), signal.label)
        unit = standard(signal.unit) if signal.unit else next((w.unit for w in words if w.key == key), "")
        channels[key] = Channel(
            key, name, unit, header.record_s / signal.samples, _values(data, header, number, starts)
        )
    offset = re.search(r"UTC([+-]\d{1,4})", header.recording)
    minutes = int(offset[1]) if offset else 0
    begin = header.start.timestamp() + float(starts[0]) - minutes * 60
    told = re.search(r"kind=(\w+)", header.recording)
    events = tuple(sorted((_event(a, float(starts[0])) for a in annotations), key=lambda e: e.at_s))
    length = max((c.length_s for c in channels.values()), default=0.0)
    return Recording(
        told[1] if told and not kind else kind or "unknown",
        begin,
        minutes,
        channels,
        events,
        {"run_length_min": length / 60},
        {"name": "file"},
    )


def kind_in(data: bytes) -> str:
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
        if word.key not in taken and label in {word.key, word.key.replace(".", " "), word.name.lower(), *word.also}:
            return word.key
    for word in words:
        if word.key not in taken and any(label.startswith(a) for a in (word.name.lower(), *word.also) if len(a) > 2):
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
                data[name] = float(value)
            except ValueError:
                data[name] = value
        rest = rest[: numbers.start()]
    plain = bool(colon) and re.fullmatch(r"[\w.-]+", code) is not None
    return Event(found.onset_s - base_s, code if plain else "annotation", rest if plain else found.text, data)


# ---------------------------------------------------------------- writing


@dataclass(frozen=True)
class Who:
    """The patient field of EDF+: code, sex ("F", "M" or "X"), birth date ("02-MAY-1951" or "X"), name. All unknown by default."""

    code: str = "X"
    sex: str = "X"
    born: str = "X"
    name: str = "X"

    def field(self) -> str:
        return " ".join(part.strip().replace(" ", "_") or "X" for part in (self.code, self.sex, self.born, self.name))


@dataclass(frozen=True)
class _Plan:
    """How a recording is laid out: length of a record, samples of each channel in it, size of the annotations."""

    record_s: float
    records: int
    samples: dict[str, int]
    texts: dict[int, bytes] = field(default_factory=dict)
    text_bytes: int = 0


def _record_length(recording: Recording) -> float:
    """The shortest of 1 s to 10 min that holds whole samples of every channel."""
    rates = [c.interval_s for c in recording.channels.values()]
    for seconds in (1.0, 2.0, 4.0, 5.0, 10.0, 20.0, 30.0, 60.0, 120.0, 300.0, 600.0):
        if all(abs(seconds / r - round(seconds / r)) < 1e-6 and seconds >= r for r in rates):
            return seconds
    raise ValueError(
        "EDF needs data records that hold whole numbers of samples; these sampling intervals fit none up to 10 min"
    )


def _tal(onset: float, length: float, text: str) -> bytes:
    duration = f"\x15{length:.4f}".rstrip("0").rstrip(".") if length else ""
    return f"{onset:+.4f}".rstrip("0").rstrip(".").encode() + duration.encode() + b"\x14" + text.encode() + b"\x14\x00"


def _event_text(event: Event) -> str:
    numbers = ", ".join(
        f"{k}={v}" for k, v in event.data.items() if k != "length_s" and isinstance(v, int | float | str)
    )
    text = f"{event.code}: {event.text}" + (f" {{{numbers}}}" if numbers else "")
    return re.sub(r"[\x00-\x1f]", " ", text)


def _plan(recording: Recording) -> tuple[_Plan, list[bool]]:
    record_s = _record_length(recording) if recording.channels else 1.0
    length = max([recording.length_s, *(e.at_s for e in recording.events)])
    records = max(math.ceil(length / record_s - 1e-9), 1)
    samples = {k: round(record_s / c.interval_s) for k, c in recording.channels.items()}
    kept = [True] * records
    if recording.channels:
        there = np.zeros(records, dtype=bool)
        for key, channel in recording.channels.items():
            there |= _whole(channel.values, records, samples[key]).any(axis=1)
        kept = there.tolist() if there.any() else kept
    left = [i for i, k in enumerate(kept) if k]
    texts: dict[int, bytes] = {i: _tal(i * record_s, 0.0, "") for i in left}
    for event in recording.events:
        # An event of a record that is left out is kept in the last one before it: its onset says when it was.
        at = min(max(int(event.at_s // record_s), 0), records - 1)
        home = max((i for i in left if i <= at), default=left[0])
        span = event.data.get("length_s", 0.0)
        texts[home] += _tal(event.at_s, float(span) if isinstance(span, int | float) else 0.0, _event_text(event))
    size = max((len(t) for t in texts.values()), default=20)
    return _Plan(record_s, records, samples, texts, size + size % 2), kept


def _whole(values: Floats, records: int, per: int) -> np.ndarray[tuple[int, int], np.dtype[np.bool_]]:
    """Which samples were measured, by record, shape (records, per)."""
    flags = np.zeros(records * per, dtype=bool)
    flags[: len(values)] = ~np.isnan(values)[: records * per]
    return flags.reshape(records, per)


def _range(values: Floats, padded: bool) -> tuple[float, float]:
    """Physical minimum and maximum in eight characters that hold all values.

    Where samples are missing the minimum lies below all values: its digital value says "missing".
    """
    known = values[~np.isnan(values)]
    low, high = (float(known.min()), float(known.max())) if len(known) else (-1.0, 1.0)
    if high <= low:
        high = low + 1.0
    if padded or len(known) < len(values):
        low -= 0.01 * (high - low)
    margin = (high - low) * 1e-6
    for digits in range(7, 0, -1):
        texts = f"{low - margin:.{digits}g}", f"{high + margin:.{digits}g}"
        if all(len(t) <= 8 for t in texts):
            a, b = float(texts[0]), float(texts[1])
            step = 10 ** (math.floor(math.log10(max(abs(a), abs(b), 1e-9))) - digits + 1)
            for low_text, high_text in ((a, b), (a - step, b + step)):
                shown = f"{low_text:.{digits}g}", f"{high_text:.{digits}g}"
                if all(len(t) <= 8 for t in shown) and float(shown[0]) <= low and float(shown[1]) >= high:
                    return float(shown[0]), float(shown[1])
    raise ValueError(f"values from {low:g} to {high:g} cannot be written in EDF's eight characters")


_EIGHT = re.compile(r"^.{1,8}$")


def _pad(text: str, width: int) -> bytes:
    plain = text.encode("ascii", "replace").decode()
    return plain[:width].ljust(width).encode()


def _short(value: float) -> str:
    return next(t for d in range(8, 0, -1) if _EIGHT.match(t := f"{value:.{d}g}"))


def write(recording: Recording, who: Who | None = None) -> bytes:
    """A recording as EDF+: continuous (EDF+C), or discontinuous (EDF+D) when whole data records were not measured.

    Each channel's own range is spread over 16 bits; its key stands in the transducer field. Events become annotations.
    No name is written unless `who` says one. Raises ValueError when the sampling intervals fit no data record.
    """
    plan, kept = _plan(recording)
    ranges = {
        k: _range(c.values, len(c.values) < plan.records * plan.samples[k]) for k, c in recording.channels.items()
    }
    local = datetime.fromtimestamp(recording.start, UTC) + timedelta(minutes=recording.utc_offset_min)
    fraction = recording.start - math.floor(recording.start)
    texts = plan.texts if not fraction else {i: _shifted(t, fraction) for i, t in plan.texts.items()}
    size = max((len(t) for t in texts.values()), default=20)
    size += size % 2
    out = [_header(recording, plan, kept, ranges, local, size, who or Who())]
    digital = {k: _digital(c.values, *ranges[k], plan.records * plan.samples[k]) for k, c in recording.channels.items()}
    for record in range(plan.records):
        if not kept[record]:
            continue
        for key, per in plan.samples.items():
            out.append(digital[key][record * per : (record + 1) * per].tobytes())
        out.append(texts[record].ljust(size, b"\x00"))
    return b"".join(out)


def _shifted(block: bytes, by: float) -> bytes:
    """The annotations of a record with every onset moved by a fraction of a second."""
    made = b""
    for part in block.split(b"\x00"):
        if part:
            head, rest = part.split(b"\x14", 1)
            onset, mark, length = head.partition(b"\x15")
            made += f"{float(onset) + by:+.4f}".encode() + mark + length + b"\x14" + rest + b"\x00"
    return made


def _digital(values: Floats, low: float, high: float, count: int) -> np.ndarray[tuple[int], np.dtype[np.int16]]:
    found = np.full(count, MISSING, dtype="<i2")
    scale = (HIGHEST - LOWEST) / (high - low)
    for first in range(0, len(values), 1_000_000):
        part = values[first : first + 1_000_000]
        with np.errstate(invalid="ignore"):
            raw = np.clip(np.rint((part - low) * scale) + LOWEST, LOWEST, HIGHEST)
        found[first : first + len(part)] = np.where(np.isnan(part), MISSING, raw)
    return found


def _header(
    recording: Recording,
    plan: _Plan,
    kept: list[bool],
    ranges: Mapping[str, tuple[float, float]],
    local: datetime,
    text_bytes: int,
    who: Who,
) -> bytes:
    channels = list(recording.channels.values())
    count = len(channels) + 1
    broken = not all(kept)
    month = _MONTHS[local.month - 1]
    about = f"Startdate {local.day:02d}-{month}-{local.year} X X {recording.recorder.get('serial', 'X') or 'X'} kind={recording.kind} UTC{recording.utc_offset_min:+d}"
    fields = [
        _pad("0", 8),
        _pad(who.field(), 80),
        _pad(about, 80),
        _pad(local.strftime("%d.%m.%y"), 8),
        _pad(local.strftime("%H.%M.%S"), 8),
        _pad(str(256 * (count + 1)), 8),
        _pad("EDF+D" if broken else "EDF+C", 44),
        _pad(str(sum(kept)), 8),
        _pad(_short(plan.record_s), 8),
        _pad(str(count), 4),
    ]
    columns = [
        [*(_pad(c.key if len(c.name) > 16 else c.name, 16) for c in channels), _pad(ANNOTATIONS, 16)],
        [*(_pad(c.key, 80) for c in channels), _pad("", 80)],
        [*(_pad(c.unit.replace("°", "deg"), 8) for c in channels), _pad("", 8)],
        [*(_pad(_short(ranges[c.key][0]), 8) for c in channels), _pad("-1", 8)],
        [*(_pad(_short(ranges[c.key][1]), 8) for c in channels), _pad("1", 8)],
        [*(_pad(str(LOWEST), 8) for c in channels), _pad("-32768", 8)],
        [*(_pad(str(HIGHEST), 8) for c in channels), _pad("32767", 8)],
        [_pad("", 80)] * count,
        [*(_pad(str(plan.samples[c.key]), 8) for c in channels), _pad(str(text_bytes // 2), 8)],
        [
            *(
                _pad(
                    MISSING_MARK
                    if np.isnan(c.values).any() or len(c.values) < plan.records * plan.samples[c.key]
                    else "",
                    32,
                )
                for c in channels
            ),
            _pad("", 32),
        ],
    ]
    return b"".join([*fields, *(cell for column in columns for cell in column)])

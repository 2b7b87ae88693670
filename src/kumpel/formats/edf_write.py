"""Writing EDF+: continuous (EDF+C), or discontinuous (EDF+D) where whole data records were not measured.

See `formats.edf` for the specification and for how a missing sample is kept.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, timedelta

import numpy as np

from kumpel.core.recording import Channel, Event, Flags, Floats, Recording
from kumpel.core.samples import Samples
from kumpel.formats.edf import ANNOTATIONS, FINE, HIGHEST, LOWEST, MISSING, MISSING_MARK, MONTHS, MOST_DECIMALS


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
    duration = f"\x15{length:.9f}".rstrip("0").rstrip(".") if length else ""
    return f"{onset:+.9f}".rstrip("0").rstrip(".").encode() + duration.encode() + b"\x14" + text.encode() + b"\x14\x00"


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
            there |= _measured_records(channel.samples, records, samples[key])
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


def _measured_records(samples: Samples, records: int, per: int) -> Flags:
    """Which data records of `per` samples have a measured one, shape (records,)."""
    found = np.zeros(records, dtype=bool)
    for number, block in enumerate(samples.blocks(per * RECORDS_AT_ONCE, end=records * per)):
        first = number * RECORDS_AT_ONCE
        starts = np.arange(0, len(block), per)
        found[first : first + len(starts)] = np.logical_or.reduceat(~np.isnan(block), starts)
    return found


@dataclass
class _Span:
    """Lowest and highest measured value (inf, -inf without one), whether some sample was not measured, and the step that
    all values are multiples of: `step` x 10^-`decimals`; 0 when they are of no step."""

    low: float = math.inf
    high: float = -math.inf
    missing: bool = False
    decimals: int = 0
    step: int = 0

    def take(self, block: Floats) -> None:
        known = block[~np.isnan(block)]
        self.missing = self.missing or len(known) < len(block)
        if not len(known):
            return
        self.low, self.high = min(self.low, float(known.min())), max(self.high, float(known.max()))
        while self.decimals <= MOST_DECIMALS:
            steps = known * 10.0**self.decimals
            whole = np.rint(steps)
            # As far from a whole number as a value kept in 32 bits may be, and a fiftieth of a step at the most.
            if (
                np.all(np.abs(steps - whole) <= np.minimum(1e-6 + 1.2e-7 * np.abs(steps), 0.02))
                and np.abs(whole).max() < 1e15
            ):
                self.step = math.gcd(self.step, int(np.gcd.reduce(whole.astype(np.int64))))
                return
            self.decimals, self.step = self.decimals + 1, self.step * 10


def _span(samples: Samples) -> _Span:
    found = _Span()
    for block in samples.blocks():
        found.take(block)
    return found


def _exact_range(span: _Span) -> tuple[float, float] | None:
    """Physical minimum and maximum that are 65,535 of the channel's own steps apart, so that every value comes back as it was;
    None when they do not fit into eight characters, or the values into so many steps."""
    step = max(span.step, 1)
    if span.high < span.low or span.decimals > MOST_DECIMALS:
        return None
    low, high = (round(v * 10**span.decimals) for v in (span.low, span.high))
    spare = LEVELS - (high - low) // step
    if spare < 1:
        return None
    # Zero at digital zero where the values allow it, else in the middle: short numbers fit into the field.
    for bottom in (LOWEST * step, low - max(spare // 2, 1) * step, low - step):
        top = bottom + LEVELS * step
        if bottom < low and high <= top and (low - bottom) % step == 0:
            texts = [f"{v / 10**span.decimals:.{span.decimals}f}" for v in (bottom, top)]
            if all(len(t) <= 8 for t in texts):
                return float(texts[0]), float(texts[1])
    return None


def _wide_range(low: float, high: float, missing: bool) -> tuple[float, float]:
    """Physical minimum and maximum as narrow as eight characters allow, for values of no step or of too many.

    Where samples are missing the minimum lies below all values: its digital value says "missing".
    """
    if high < low:
        low, high = -1.0, 1.0
    if high <= low:
        high = low + 1.0
    if missing:
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


RECORDS_AT_ONCE = 64
LEVELS = HIGHEST - LOWEST
FINEST_S = 0.02
_EIGHT = re.compile(r"^.{1,8}$")


def _pad(text: str, width: int) -> bytes:
    plain = text.encode("ascii", "replace").decode()
    return plain[:width].ljust(width).encode()


def _short(value: float) -> str:
    plain = repr(value).removesuffix(".0")
    return plain if len(plain) <= 8 else next(t for d in range(8, 0, -1) if _EIGHT.match(t := f"{value:.{d}g}"))


def write(recording: Recording, who: Who | None = None) -> bytes:
    """A recording as EDF+, see `pieces`."""
    return b"".join(pieces(recording, who))


def pieces(recording: Recording, who: Who | None = None) -> Iterator[bytes]:
    """A recording as EDF+ in order: continuous (EDF+C), or discontinuous (EDF+D) when whole data records were not measured.

    A channel's digital steps are its own where 65,535 of them hold its values; else its range is spread over them, and, up to
    50 samples a second, a second signal holds what these are too coarse for. The key stands in the transducer field. Events become annotations.
    No name is written unless `who` says one. Raises ValueError when the sampling intervals fit no data record.
    """
    plan, kept = _plan(recording)
    ranges: dict[str, tuple[float, float]] = {}
    marked: dict[str, str] = {}
    fine: dict[str, Channel] = {}
    for key, channel in recording.channels.items():
        span, whole = _span(channel.samples), plan.records * plan.samples[key]
        span.missing |= channel.count < whole
        exact = _exact_range(span)
        ranges[key] = exact or _wide_range(span.low, span.high, span.missing)
        counted = f"count={channel.count}" if channel.count < whole else ""
        marked[key] = f"{MISSING_MARK if span.missing else ''} {counted}".strip()
        if exact is None and channel.interval_s >= FINEST_S:
            rest = _Rest(channel.samples, *ranges[key])
            fine[key + FINE] = Channel(key + FINE, key + FINE, channel.unit, channel.interval_s, rest)
            ranges[key + FINE] = _wide_range(-rest.most, rest.most, span.missing)
            marked[key + FINE] = marked[key]
            plan.samples[key + FINE] = plan.samples[key]
    recording = replace(recording, channels={**recording.channels, **fine})
    local = datetime.fromtimestamp(recording.start, UTC) + timedelta(minutes=recording.utc_offset_min)
    fraction = recording.start - math.floor(recording.start)
    texts = plan.texts if not fraction else {i: _shifted(t, fraction) for i, t in plan.texts.items()}
    size = max((len(t) for t in texts.values()), default=20)
    size += size % 2
    yield _header(recording, plan, kept, ranges, marked, local, size, who or Who())
    for first in range(0, plan.records, RECORDS_AT_ONCE):
        count = min(RECORDS_AT_ONCE, plan.records - first)
        digital = {
            k: _digital(recording.channels[k].samples.read(first * per, (first + count) * per), *ranges[k], count * per)
            for k, per in plan.samples.items()
        }
        for record in range(first, first + count):
            if kept[record]:
                for key, per in plan.samples.items():
                    yield digital[key][(record - first) * per : (record - first + 1) * per].tobytes()
                yield texts[record].ljust(size, b"\x00")


def _shifted(block: bytes, by: float) -> bytes:
    """The annotations of a record with every onset moved by a fraction of a second."""
    made = b""
    for part in block.split(b"\x00"):
        if part:
            head, rest = part.split(b"\x14", 1)
            onset, mark, length = head.partition(b"\x15")
            made += f"{float(onset) + by:+.9f}".encode() + mark + length + b"\x14" + rest + b"\x00"
    return made


class _Rest(Samples):
    """What the digital steps of a range are too coarse for: each value less the one that its step stands for."""

    def __init__(self, samples: Samples, low: float, high: float) -> None:
        self._samples, self._low, self._high = samples, low, high
        self._step = (high - low) / LEVELS
        self.most = 0.51 * self._step

    @property
    def count(self) -> int:
        return self._samples.count

    def read(self, first: int, end: int) -> Floats:
        values = self._samples.read(first, end)
        raw = _digital(values, self._low, self._high, len(values)).astype(np.float64)
        found: Floats = values - ((raw - LOWEST) * self._step + self._low)
        return found


def _digital(values: Floats, low: float, high: float, count: int) -> np.ndarray[tuple[int], np.dtype[np.int16]]:
    found = np.full(count, MISSING, dtype="<i2")
    scale = (HIGHEST - LOWEST) / (high - low)
    with np.errstate(invalid="ignore"):
        raw = np.clip(np.rint((values - low) * scale) + LOWEST, LOWEST, HIGHEST)
    found[: len(values)] = np.where(np.isnan(values), MISSING, raw)
    return found


def _header(
    recording: Recording,
    plan: _Plan,
    kept: list[bool],
    ranges: Mapping[str, tuple[float, float]],
    marked: Mapping[str, str],
    local: datetime,
    text_bytes: int,
    who: Who,
) -> bytes:
    channels = list(recording.channels.values())
    count = len(channels) + 1
    broken = not all(kept)
    month = MONTHS[local.month - 1]
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
        [*(_pad(marked[c.key], 32) for c in channels), _pad("", 32)],
    ]
    return b"".join([*fields, *(cell for column in columns for cell in column)])

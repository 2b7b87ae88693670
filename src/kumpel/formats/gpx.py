"""GPX 1.1: tracks with time, altitude, heart rate and cadence, in and out.

Heart rate, cadence, speed and the like are extension fields; they are known by their local names (hr, heartrate, cad,
cadence, speed), whatever namespace a program puts them in.
"""

from __future__ import annotations

import io
import math
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from xml.etree.ElementTree import Element, ParseError
from xml.sax.saxutils import escape, quoteattr

import numpy as np
from defusedxml import DefusedXmlException
from defusedxml.ElementTree import iterparse

from kumpel.core.bounds import ANY, Bounds, BoundsError
from kumpel.core.recording import Channel, Event, Floats, Recording, sample_times
from kumpel.core.timebase import on_grid
from kumpel.formats.errors import GpxError
from kumpel.formats.rows import evened, slower

NAMESPACE = "http://www.topografix.com/GPX/1/1"
EXTENSION = "urn:kumpel:gpx:1"
FIELDS = {
    "hr": "heart_rate",
    "heartrate": "heart_rate",
    "cad": "cadence",
    "cadence": "cadence",
    "speed": "speed",
    "ele": "altitude",
}
UNITS = {"lat": "deg", "lon": "deg", "altitude": "m", "heart_rate": "bpm", "cadence": "/min", "speed": "m/s"}
NAMES = {
    "lat": "Latitude",
    "lon": "Longitude",
    "altitude": "Altitude",
    "heart_rate": "Heart rate",
    "cadence": "Cadence",
    "speed": "Speed",
}
FEWEST_COLUMNS = 2


@dataclass
class _Points:
    """Points as they come: a value a field and point, nan where the field is not there."""

    at_s: list[float]
    fields: dict[str, list[float]]
    segments: list[float]

    def add(self, at_s: float, values: dict[str, float]) -> None:
        self.at_s.append(at_s)
        for key in values:
            if key not in self.fields:
                self.fields[key] = [math.nan] * (len(self.at_s) - 1)
        for key, column in self.fields.items():
            column.append(values.get(key, math.nan))


def local_name(tag: object) -> str:
    """The name of an element without its namespace."""
    return str(tag).rpartition("}")[2].lower()


def _time(text: str, number: int) -> float:
    try:
        stamp = datetime.fromisoformat(text.strip().replace("Z", "+00:00"))
    except ValueError:
        raise GpxError(f"the time “{text[:30]}” is not understood", point=number) from None
    return (stamp if stamp.tzinfo else stamp.replace(tzinfo=UTC)).timestamp()


def _float(text: str | None, number: int, what: str) -> float:
    try:
        value = float(text or "")
    except ValueError:
        raise GpxError(f"{what} “{(text or '')[:20]}” is no number", point=number) from None
    return value if math.isfinite(value) else math.nan


def place_of(element: Element, number: int) -> tuple[float, float]:
    """Latitude and longitude of a point, in degrees; `number` is its place in the file, for GpxError."""
    lat = _float(element.get("lat"), number, "latitude")
    lon = _float(element.get("lon"), number, "longitude")
    if not (abs(lat) <= 90 and abs(lon) <= 180):
        raise GpxError(f"{lat}, {lon} is no place on the earth", point=number)
    return lat, lon


def _point(element: Element, number: int) -> tuple[float, dict[str, float]]:
    lat, lon = place_of(element, number)
    values = {"lat": lat, "lon": lon}
    at = math.nan
    for child in element.iter():
        name = local_name(child.tag)
        if name == "time" and child.text:
            at = _time(child.text, number)
        elif name in FIELDS and child.text and child.text.strip():
            values[FIELDS[name]] = _float(child.text, number, name)
    return at, values


DEEPEST, FREE_ELEMENTS, ELEMENTS_A_POINT = 64, 20_000, 60
"""What is passed over costs time and memory like what is kept: nothing nests deeper, and nothing has more elements than these for its points."""
POINTS = ("trkpt", "rtept", "wpt")


def walk(data: bytes) -> Iterator[tuple[str, Element]]:
    """The elements of a file as they begin and end; GpxError with the place where it cannot be read, or is more than a track.

    An element that has ended is let go of, but inside a point: what holds it keeps its attributes and its text.
    """
    opened: list[Element] = []
    inside = count = points = 0
    try:
        for event, element in iterparse(io.BytesIO(data), events=("start", "end"), forbid_dtd=True):
            is_point = local_name(element.tag) in POINTS
            if event == "start":
                count += 1
                inside += is_point
                opened.append(element)
                points += is_point
                if len(opened) > DEEPEST:
                    raise GpxError(f"elements nest deeper than {DEEPEST}: this is no track")
                if count > FREE_ELEMENTS + ELEMENTS_A_POINT * points:
                    raise GpxError(f"{count:,} elements for {points:,} points: this is no track")
                yield event, element
                continue
            opened.pop()
            inside -= is_point
            yield event, element
            if opened and not inside:
                del opened[-1][:]
    except ParseError as error:
        line, column = error.position
        raise GpxError(f"not readable as XML ({str(error).split(':')[0]})", line=line, column=column + 1) from None
    except DefusedXmlException:
        raise GpxError("the file defines entities or a document type of its own; a GPX file has neither") from None


def read(data: bytes, kind: str, interval_s: float | None = None, bounds: Bounds = ANY) -> Recording:
    """The track points of a GPX file as a recording of a kind.

    Points at even times become channels. Others are kept as they are, as events, beside channels for drawing (see
    `rows.evened`). The segments of a track begin with an event “interval”.
    Heart rate of 0 is not measured. Raises GpxError with the line or the number of the track point.
    """
    points = _Points([], {}, [])
    name, root = "", ""
    for event, element in walk(data):
        tag = local_name(element.tag)
        if event == "start":
            if not root:
                root = tag
                if root != "gpx":
                    raise GpxError(f"not a GPX file: its root is “{root[:20]}”")
            if tag == "trkseg":
                points.segments.append(math.nan)
            continue
        if tag == "trkpt":
            if len(points.at_s) * FEWEST_COLUMNS >= bounds.samples:
                raise GpxError(
                    f"more than {len(points.at_s):,} track points: more than a recording of kind “{kind}” can hold"
                )
            at, values = _point(element, len(points.at_s) + 1)
            points.add(at, values)
            if points.segments and math.isnan(points.segments[-1]):
                points.segments[-1] = at
        elif tag == "name" and not name and element.text:
            name = element.text.strip()
    return _recording(points, kind, name, interval_s, bounds)


def _recording(points: _Points, kind: str, name: str, interval_s: float | None, bounds: Bounds) -> Recording:
    if not points.at_s:
        raise GpxError("the file has no track point")
    times = np.array(points.at_s, dtype=np.float64)
    if np.isnan(times).all():
        raise GpxError("the track points carry no time: figures over time cannot be made of them")
    columns: dict[str, Floats] = {k: np.array(v, dtype=np.float64) for k, v in points.fields.items()}
    if "heart_rate" in columns:
        columns["heart_rate"][columns["heart_rate"] <= 0] = np.nan
    start = float(np.nanmin(times))
    try:
        even = evened(on_grid(times - start), columns, interval_s, keep_points=True, bounds=bounds)
    except BoundsError as error:
        raise GpxError(f"more than a recording of kind “{kind}” can hold: {error}") from None
    except ValueError as error:
        raise GpxError(str(error)) from None
    channels = {}
    for k, v in even.columns.items():
        if not np.isnan(v).all():
            values, step = slower(v, even.interval_s) if even.points is None else (v, even.interval_s)
            channels[k] = Channel(k, NAMES[k], UNITS[k], step, values)
    marks = sorted({round(s - start, 6) for s in points.segments[1:] if not math.isnan(s)})
    events = tuple(Event(at, "interval", f"segment {i}") for i, at in enumerate(marks, 2))
    events += even.points.events() if even.points is not None else ()
    length = max(c.length_s for c in channels.values())
    return Recording(
        kind,
        start,
        0,
        channels,
        events,
        {"run_length_min": length / 60},
        {"name": name or "file", "notes": list(even.notes)},
    )


def write(recording: Recording, name: str = "") -> bytes:
    """A GPX 1.1 file of a recording with positions: one track, a new segment at each mark and after each gap.

    Heart rate, cadence and speed go into extension fields (hr, cad, speed). No name unless one is given. Raises
    ValueError when there are no positions.
    """
    at_s, columns = _rows(recording)
    lat, lon = columns.get("lat"), columns.get("lon")
    if lat is None or lon is None or np.isnan(lat).all():
        raise ValueError("the recording has no positions (lat, lon): nothing to write as GPX")
    others = {k: v for k, v in columns.items() if k in ("altitude", "heart_rate", "cadence", "speed")}
    marks = {int(np.searchsorted(at_s, e.at_s - 1e-6)) for e in recording.events if e.code in ("interval", "lap")}
    out = [
        '<?xml version="1.0" encoding="UTF-8"?>\n',
        f'<gpx version="1.1" creator="Kumpel" xmlns={quoteattr(NAMESPACE)} xmlns:k={quoteattr(EXTENSION)}>\n<trk>',
        f"<name>{escape(name)}</name>" if name else "",
        "<trkseg>\n",
    ]
    open_segment, empty = True, True
    for i in range(len(at_s)):
        if math.isnan(lat[i]) or math.isnan(lon[i]):
            if not empty and open_segment:
                out.append("</trkseg>\n")
                open_segment = False
            continue
        if not open_segment or (i in marks and not empty):
            out.append("<trkseg>\n" if not open_segment else "</trkseg><trkseg>\n")
            open_segment = True
        out.append(
            _point_text(
                recording.start + float(at_s[i]),
                float(lat[i]),
                float(lon[i]),
                {k: float(v[i]) for k, v in others.items()},
            )
        )
        empty = False
    out.append("</trkseg>\n</trk>\n</gpx>\n" if open_segment else "</trk>\n</gpx>\n")
    return "".join(out).encode()


def _rows(recording: Recording) -> tuple[Floats, dict[str, Floats]]:
    """Times and quantities of the track points: the recorded rows, else the samples of the positions."""
    if recording.points is not None:
        return recording.points.at_s, dict(recording.points.columns)
    lat, lon = recording.channels.get("lat"), recording.channels.get("lon")
    if lat is None or lon is None:
        return np.zeros(0), {}
    count = min(lat.count, lon.count)
    at_s = sample_times(count, lat.interval_s)
    columns = {"lat": lat.values[:count], "lon": lon.values[:count]}
    for key in ("altitude", "heart_rate", "cadence", "speed"):
        channel = recording.channels.get(key)
        if channel is not None and channel.count:
            at = np.minimum((at_s / channel.interval_s + 1e-9).astype(int), channel.count - 1)
            columns[key] = channel.values[at]
    return at_s, columns


def _point_text(at: float, lat: float, lon: float, others: dict[str, float]) -> str:
    stamp = datetime.fromtimestamp(round(at, 3), UTC)
    time = (
        stamp.strftime("%Y-%m-%dT%H:%M:%S") + (f".{stamp.microsecond // 1000:03d}" if stamp.microsecond else "") + "Z"
    )
    ele = others.get("altitude", math.nan)
    height = "" if math.isnan(ele) else f"<ele>{_exact(ele)}</ele>"
    tags = {"heart_rate": "hr", "cadence": "cad", "speed": "speed"}
    extra = "".join(
        f"<k:{t}>{_exact(others[k])}</k:{t}>" for k, t in tags.items() if not math.isnan(others.get(k, math.nan))
    )
    more = f"<extensions><k:point>{extra}</k:point></extensions>" if extra else ""
    return f'<trkpt lat="{_exact(lat)}" lon="{_exact(lon)}">{height}<time>{time}</time>{more}</trkpt>\n'


def _exact(value: float) -> str:
    """The shortest decimal that is read back as the very same number, kept in single precision where it was; without an exponent, which GPX
    does not know."""
    single = np.float32(value)
    return np.format_float_positional(single if float(single) == value else value, trim="-")

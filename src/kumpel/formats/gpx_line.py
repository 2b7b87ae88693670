"""The line of a GPX 1.1 file: where somebody drove or wants to drive, without times. Track points, else route points."""

from __future__ import annotations

from dataclasses import dataclass
from xml.sax.saxutils import escape, quoteattr

import numpy as np

from kumpel.core.recording import Floats
from kumpel.formats.errors import GpxError
from kumpel.formats.gpx import NAMESPACE, local_name, place_of, walk

MOST_POINTS = 200_000


@dataclass(frozen=True)
class Line:
    """Points in degrees in their order, shape (n,), and what the file calls them."""

    name: str
    lat: Floats
    lon: Floats


def read_line(data: bytes) -> Line:
    """The points of the tracks of a file, one after the other; of its routes when it has no track.

    Raises GpxError with the line or the point for what is none, and for a file without a point.
    """
    found: dict[str, list[tuple[float, float]]] = {"trkpt": [], "rtept": []}
    name, root = "", ""
    for event, element in walk(data):
        tag = local_name(element.tag)
        if event == "start":
            root = root or tag
            if root != "gpx":
                raise GpxError(f"not a GPX file: its root is “{root[:20]}”")
            continue
        if tag in found:
            if len(found[tag]) >= MOST_POINTS:
                raise GpxError(f"more than {MOST_POINTS:,} points: no course")
            found[tag].append(place_of(element, len(found[tag]) + 1))
            element.clear()
        elif tag == "name" and not name and element.text:
            name = element.text.strip()
    points = found["trkpt"] or found["rtept"]
    if not points:
        raise GpxError("the file has neither a track nor a route")
    lat, lon = np.array(points, dtype=np.float64).T
    return Line(name, lat, lon)


def write_line(name: str, lat: Floats, lon: Floats) -> bytes:
    """A GPX 1.1 file with one route."""
    points = "".join(f'<rtept lat="{a:.7f}" lon="{b:.7f}"/>\n' for a, b in zip(lat.tolist(), lon.tolist(), strict=True))
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<gpx version="1.1" creator="Kumpel" xmlns={quoteattr(NAMESPACE)}>\n<rte><name>{escape(name)}</name>\n{points}</rte>\n</gpx>\n'
    ).encode()

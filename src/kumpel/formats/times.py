"""Time stamps of text files: which form they have, in which order day and month stand, and their seconds."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from datetime import UTC, datetime
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
ORDERS = ("ymd", "dmy", "mdy")
_DATE = r"(?P<a>\d{1,4})(?P<sep>[-./])(?P<b>\d{1,2})(?P=sep)(?P<c>\d{1,4})"
_CLOCK = r"(?P<h>\d{1,2}):(?P<m>\d{2})(?::(?P<s>\d{2})(?:[.,](?P<f>\d{1,9}))?)?\s*(?P<half>[AaPp][Mm])?"
_ZONE = r"\s*(?P<zone>Z|UTC|GMT|[+-]\d{2}(?::?\d{2})?)?"
_STAMP = re.compile(
    rf"\s*(?:{_DATE}[T ]+{_CLOCK}{_ZONE}|{_DATE.replace('?P<a>', '?P<a2>').replace('?P<b>', '?P<b2>').replace('?P<c>', '?P<c2>').replace('?P<sep>', '?P<sep2>').replace('?P=sep', '?P=sep2')}|{_CLOCK.replace('?P<h>', '?P<h2>').replace('?P<m>', '?P<m2>').replace('?P<s>', '?P<s2>').replace('?P<f>', '?P<f2>').replace('?P<half>', '?P<half2>')})\s*"
)


class TimeError(ValueError):
    """A time stamp that is not understood; `row` counts from 0."""

    def __init__(self, text: str, row: int) -> None:
        super().__init__(f"the time “{text[:30]}” is not understood (use 2026-11-23 06:04:00, or seconds)")
        self.row = row


@dataclass(frozen=True)
class Stamps:
    """Times in s, shape (n,): Unix seconds with a date, seconds of the day or of the file's own count without.

    `dated` says that they carry a date. `offsets_min`, shape (n,), is the offset from UTC that each row carries itself:
    such a row's seconds are UTC; nan means that the row shows a wall clock (or counts seconds).
    """

    seconds: Floats
    dated: bool
    offsets_min: Floats


def order_of(texts: list[str]) -> str:
    """In which order year, month and day stand: "ymd", "dmy" or "mdy".

    A first number of four digits is the year; a number above 12 is a day. Where both fit, points mean day first; else
    the order in which the stamps rise from row to row, or lie closer together; else day first.
    """
    dates = [m for t in texts if (m := re.match(rf"\s*{_DATE}", t))]
    if not dates:
        return "ymd"
    if any(len(m["a"]) == 4 for m in dates):
        return "ymd"
    if any(int(m["a"]) > 12 for m in dates):
        return "dmy"
    if any(int(m["b"]) > 12 for m in dates):
        return "mdy"
    if dates[0]["sep"] == ".":
        return "dmy"
    as_dmy = [(int(m["c"]), int(m["b"]), int(m["a"])) for m in dates]
    as_mdy = [(int(m["c"]), int(m["a"]), int(m["b"])) for m in dates]
    orders = {"dmy": as_dmy, "mdy": as_mdy}
    falls = {name: sum(b < a for a, b in pairwise(days)) for name, days in orders.items()}
    if falls["dmy"] != falls["mdy"]:
        return min(falls, key=lambda name: falls[name])
    spans = {name: _span(days) for name, days in orders.items()}
    return "mdy" if spans["mdy"] < spans["dmy"] else "dmy"


def either_way(texts: list[str]) -> bool:
    """Whether day and month could be exchanged in every stamp: nothing in the file tells them apart."""
    dates = [m for t in texts if (m := re.match(rf"\s*{_DATE}", t))]
    return bool(dates) and all(
        m["sep"] != "." and len(m["a"]) < 3 and int(m["a"]) <= 12 and int(m["b"]) <= 12 for m in dates
    )


def _span(days: list[tuple[int, int, int]]) -> int:
    """About how many days lie between the first and the last date."""
    counts = [y * 372 + m * 31 + d for y, m, d in days]
    return max(counts) - min(counts)


def stamps(texts: list[str], order: str) -> Stamps:
    """The times of all rows. An empty text is nan. Raises TimeError with the row of the first that is wrong."""
    fast = _of_one_form(texts, order)
    if fast is not None:
        return fast
    seconds, offsets = np.full(len(texts), np.nan), np.full(len(texts), np.nan)
    dated = False
    for row, text in enumerate(texts):
        if not text.strip():
            continue
        try:
            seconds[row] = float(text.replace(",", "."))
            continue
        except ValueError:
            pass
        found = _one(text, order)
        if found is None:
            raise TimeError(text, row)
        seconds[row], has_date, zone = found
        dated = dated or has_date
        offsets[row] = math.nan if zone is None else zone
    return Stamps(seconds, dated, offsets)


def _one(text: str, order: str) -> tuple[float, bool, int | None] | None:
    match = _STAMP.fullmatch(text)
    if match is None:
        return None
    g = match.groupdict()
    a, b, c = (g["a"] or g["a2"], g["b"] or g["b2"], g["c"] or g["c2"])
    clock = 0.0
    hour = g["h"] or g["h2"]
    if hour:
        h = int(hour)
        half = (g["half"] or g["half2"] or "").lower()
        if half:
            h = h % 12 + (12 if half == "pm" else 0)
        m, s, f = int(g["m"] or g["m2"]), int(g["s"] or g["s2"] or 0), g["f"] or g["f2"]
        if h > 24 or m > 59 or s > 60:
            return None
        clock = h * 3600.0 + m * 60 + s + (float(f"0.{f}") if f else 0.0)
    if not a:
        return clock, False, None
    day = _day(int(a), int(b), int(c), order)
    zone = None if not g["zone"] else _zone(g["zone"])
    return None if day is None else (day + clock - (zone or 0) * 60, True, zone)


def _zone(text: str) -> int:
    """Minutes of "+02:00", "+0200", "+02", "Z"."""
    if text[0] not in "+-":
        return 0
    sign = -1 if text[0] == "-" else 1
    return sign * (int(text[1:3]) * 60 + (int(text[-2:]) if len(text) > 3 else 0))


def _day(a: int, b: int, c: int, order: str) -> float | None:
    year, month, day = {"ymd": (a, b, c), "dmy": (c, b, a), "mdy": (c, a, b)}[order]
    if year < 100:
        year += 2000 if year < 80 else 1900
    try:
        return datetime(year, month, day, tzinfo=UTC).timestamp()
    except ValueError:
        return None


def _texts(cells: NDArray[np.uint8], first: int, end: int) -> NDArray[np.bytes_]:
    """The characters from `first` to `end` of every row, shape (n,)."""
    return np.ascontiguousarray(cells[:, first:end]).view(f"S{end - first}").ravel()


def _of_one_form(texts: list[str], order: str) -> Stamps | None:
    """The quick way for many stamps of one fixed form (all digits and separators in the same places); else None."""
    if len(texts) < 50 or order not in ORDERS:
        return None
    try:
        rows = np.array(texts, dtype="S")
    except UnicodeEncodeError:
        return None
    width = rows.dtype.itemsize
    cells = rows.view(np.uint8).reshape(len(texts), width)
    first = cells[0]
    digit = (first >= 48) & (first <= 57)
    if not ((cells[:, ~digit] == first[~digit]).all() and ((cells[:, digit] >= 48) & (cells[:, digit] <= 57)).all()):
        return None
    match = _STAMP.fullmatch(texts[0])
    if match is None or match["half"] or match["half2"]:
        return None

    def number(*groups: str) -> Floats | None:
        group = next((g for g in groups if match.group(g) is not None), None)
        if group is None:
            return None
        found = np.zeros(len(texts))
        for column in cells[:, match.start(group) : match.end(group)].T:
            found = found * 10 + (column.astype(np.float64) - 48)
        return found

    zero = np.zeros(len(texts))
    parts = [number("h", "h2"), number("m", "m2"), number("s", "s2"), number("f", "f2")]
    h, m, s, f = (zero if p is None else p for p in parts)
    if (h > 24).any() or (m > 59).any() or (s > 60).any():
        return None
    digits = match["f"] or match["f2"] or ""
    clock = h * 3600 + m * 60 + s + f / 10 ** len(digits)
    a, b, c = number("a", "a2"), number("b", "b2"), number("c", "c2")
    if a is None or b is None or c is None:
        return Stamps(clock, False, np.full(len(texts), np.nan))
    zones = np.full(len(texts), np.nan)
    if match["zone"]:
        # The sign is the same in all rows, the digits are not: summer time may begin or end in the file.
        kept, zone_of_row = np.unique(_texts(cells, match.start("zone"), match.end("zone")), return_inverse=True)
        zones = np.array([_zone(z.decode()) for z in kept], dtype=np.float64)[zone_of_row]
    keys = a * 1e8 + b * 1e4 + c
    days, which = np.unique(keys, return_inverse=True)
    values = [_day(int(k // 1e8), int(k % 1e8 // 1e4), int(k % 1e4), order) for k in days]
    if any(v is None for v in values):
        return None
    wall = np.array(values, dtype=np.float64)[which] + clock
    return Stamps(wall - np.nan_to_num(zones) * 60, True, zones)

"""Reading a CSV of evenly spaced samples into a Recording.

Detects encoding (UTF-8, else Latin-1), delimiter, decimal comma, a header row and a time column.
"""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Mapping
from datetime import UTC, datetime

import numpy as np

from kumpel.core.recording import Channel, Recording

GUESSES: dict[str, tuple[str, ...]] = {
    "leq.1": ("laeq", "leq", "level", "la", "spl", "db(a)", "dba"),
    "peak": ("lcpeak", "lcpk", "peak", "cpeak"),
    "motion": ("motion", "moved"),
    "overload": ("overload",),
}
TIME_NAMES = ("time", "timestamp", "date", "datetime", "zeit", "t")
UNITS = {"leq": "dB(A)", "max": "dB(A)", "peak": "dB(C)", "motion": "flag", "overload": "flag"}
TIME_FORMATS = ("%Y-%m-%d %H:%M:%S", "%Y-%m-%dT%H:%M:%S", "%d.%m.%Y %H:%M:%S", "%d/%m/%Y %H:%M:%S", "%H:%M:%S")


class CsvError(ValueError):
    """Something wrong in a CSV file, with line and column."""


def _text(data: bytes) -> str:
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("latin-1")


def _delimiter(lines: list[str]) -> str:
    sample = lines[: min(len(lines), 20)]
    counts = {d: min((line.count(d) for line in sample), default=0) for d in (";", "\t", ",")}
    best = max(counts, key=lambda d: (counts[d], d == ";"))
    return best if counts[best] else ","


def read(
    data: bytes, kind: str, mapping: Mapping[str, str] | None = None, interval_s: float | None = None
) -> Recording:
    """A CSV as a recording of the given kind.

    `mapping` names the column for a channel key ({"leq.1": "LAeq"}); channels not named are guessed from the header.
    An empty field is nan. Raises CsvError with line and column for a field that is no number, for a missing level
    column, and when the interval between rows can be neither read nor was given.
    """
    lines = [line for line in _text(data).splitlines() if line.strip()]
    if len(lines) < 2:
        raise CsvError("the file has fewer than two lines; a header and samples are needed")
    delimiter = _delimiter(lines)
    rows = list(csv.reader(io.StringIO("\n".join(lines)), delimiter=delimiter))
    header = [name.strip() for name in rows[0]]
    columns = _columns(header, mapping or {})
    comma = delimiter != ","
    channels: dict[str, Channel] = {}
    times = _times(header, rows[1:])
    step = interval_s or _interval(times)
    for key, column in columns.items():
        values = np.array([_number(row, column, i + 2, header[column], comma) for i, row in enumerate(rows[1:])])
        channels[key] = Channel(key, header[column], UNITS.get(key.split(".")[0], ""), step, values)
    return Recording(kind, times[0] if times else 0.0, 0, channels, setup={"run_length_min": len(rows[1:]) * step / 60})


def _columns(header: list[str], mapping: Mapping[str, str]) -> dict[str, int]:
    lowered = [name.lower() for name in header]
    found: dict[str, int] = {}
    for key, name in mapping.items():
        if name.lower() not in lowered:
            raise CsvError(f"line 1: no column “{name}”; there are: {', '.join(header)}")
        found[key] = lowered.index(name.lower())
    for key, names in GUESSES.items():
        hits = [i for i, name in enumerate(lowered) if name.split(" ")[0].split("[")[0] in names]
        if key not in found and hits:
            found[key] = hits[0]
    if "leq.1" not in found:
        raise CsvError(f"line 1: no level column found in: {', '.join(header)}. Name it with --map leq.1=COLUMN")
    return found


def _number(row: list[str], column: int, line: int, name: str, comma: bool) -> float:
    text = row[column].strip() if column < len(row) else ""
    if not text or text.lower() in ("nan", "-", "--"):
        return math.nan
    try:
        return float(text.replace(",", ".") if comma else text)
    except ValueError:
        raise CsvError(f"line {line}, column “{name}”: “{text[:30]}” is no number") from None


def _times(header: list[str], rows: list[list[str]]) -> list[float]:
    """Unix seconds of the first two rows, or nothing when there is no time column."""
    column = next((i for i, name in enumerate(header) if name.lower().split(" ")[0] in TIME_NAMES), None)
    if column is None:
        return []
    found = []
    for number, row in enumerate(rows[:2]):
        found.append(_time(row[column].strip(), number + 2))
    return found


def _time(text: str, line: int) -> float:
    try:
        return float(text)
    except ValueError:
        pass
    for form in TIME_FORMATS:
        try:
            return (
                datetime.strptime(text.replace("Z", "").split(".")[0] if ":" in text and form[1] != "d" else text, form)
                .replace(tzinfo=UTC)
                .timestamp()
            )
        except ValueError:
            continue
    raise CsvError(f"line {line}: the time “{text[:30]}” is not understood (use 2026-11-23 06:04:00, or seconds)")


def _interval(times: list[float]) -> float:
    if len(times) == 2 and times[1] > times[0]:
        return times[1] - times[0]
    raise CsvError("the interval between rows is not known: give it with --interval SECONDS")

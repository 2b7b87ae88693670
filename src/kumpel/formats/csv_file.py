"""CSV of any program as a recording, and a recording as CSV."""

from __future__ import annotations

import io
import math
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace

import numpy as np
import pyarrow as pa
import pyarrow.csv as pc

from kumpel.core.bounds import ANY, Bounds, BoundsError
from kumpel.core.recording import Channel, ChannelWord, Event, Floats, Recording, recorded_s
from kumpel.core.timebase import on_grid
from kumpel.core.units import UnitError, converted, standard
from kumpel.formats import csv_own
from kumpel.formats.csv_layout import ERROR_NAMES, SAMPLE_BYTES, Layout, detect, plain_name, split
from kumpel.formats.csv_rows import Body, body, head_lines, without_endless
from kumpel.formats.errors import CsvError
from kumpel.formats.rows import Evened, evened, slower
from kumpel.formats.tables import frames
from kumpel.formats.times import TimeError, either_way, stamps
from kumpel.formats.zones import InUtc, in_utc

__all__ = ["Layout", "detect", "harmless", "read", "write"]
POSITION = "lat"
"""A kind with this channel moves: rows of its files at uneven times are kept as they are."""
FINE = ("", "0", "ok", "no", "none")


def read(
    data: bytes,
    kind: str,
    words: Sequence[ChannelWord],
    layout: Layout | None = None,
    readings: Sequence[str] = (),
    reading_code: str = "reading",
    bounds: Bounds = ANY,
) -> Recording:
    """A CSV as a recording of the given kind, in the units of `words`.

    A file that was written here comes back as it was (see `csv_own`). Of others, columns are brought onto an even time base (see `rows.evened`); where there is no time column, the layout's
    `interval_s` tells it. When a column of `readings` is there, each row becomes an event `reading_code` at its own time instead.
    Raises CsvError with line and column. Notes on what was done stand in `recorder["notes"]`.
    """
    own = _own_names(data) if layout is None or not layout.columns else None
    if own is not None:
        return _read_own(data, kind, words, own, bounds)
    found = detect(data, words, layout)
    single = [k for k in readings if k in found.columns]
    errors = _error_columns(data, found) if single else []
    table = body(data, found, [*found.time, *errors])
    columns = {key: table.numbers[name] for key, name in found.columns.items() if name in table.numbers}
    columns, endless = without_endless(columns)
    columns, units = _in_units(columns, _units(data, found, table.names), found, words)
    times = _times(table, found)
    said = _date_note(table, found, layout)
    events: tuple[Event, ...] = ()
    if endless:
        said.append(f"{endless} cells are endless (inf) and count as not measured")
    if times is None:
        if found.interval_s is None:
            raise CsvError("the interval between rows is not known: give it with --interval SECONDS")
        step, start, offset = found.interval_s, 0.0, found.utc_offset_min
    else:
        start = float(np.nanmin(times.seconds)) if times.dated else 0.0
        offset, events = times.offset_min, times.events()
        said += times.notes
        if single:
            texts = [t for e in errors for t in [table.texts[e]]]
            rows = _readings(reading_code, {k: columns[k] for k in single}, texts, on_grid(times.seconds - start))
            length = max((e.at_s for e in rows), default=0.0)
            _within(bounds, kind, length, len(rows))
            return Recording(
                kind,
                start,
                offset,
                {},
                (*rows, *events),
                {"run_length_min": length / 60},
                {"name": "file", "notes": said},
            )
        try:
            moves = any(w.key == POSITION for w in words)
            even = evened(on_grid(times.seconds - start), columns, found.interval_s, moves, bounds)
        except BoundsError as error:
            raise CsvError(f"more than a recording of kind “{kind}” can hold: {error}") from None
        except ValueError as error:
            raise CsvError(
                f"{error}: give it with --interval SECONDS" if "interval" in str(error) else str(error)
            ) from None
        columns, step = even.columns, even.interval_s
        said += even.notes
        events = (*events, *(even.points.events() if even.points else ()))
    titles = {w.key: w.name for w in words}
    channels = {}
    for k, v in columns.items():
        values, interval_s = slower(v, step) if times is not None and even.points is None else (v, step)
        channels[k] = Channel(k, titles.get(k, found.columns[k]), units[k], interval_s, values)
    length = recorded_s((c.length_s for c in channels.values()), events)
    recorder = {"name": "file", "notes": said}
    return Recording(kind, start, offset, channels, events, {"run_length_min": length / 60}, recorder)


def _own_names(data: bytes) -> list[str] | None:
    """The heads of a file that was written here; None of another one."""
    if not data[:64].lstrip(b'\xef\xbb\xbf"').startswith(csv_own.BEGINS):
        return None
    first = data[:SAMPLE_BYTES].split(b"\n", 1)[0].decode("utf-8-sig", errors="replace")
    names = split(first, ";")
    return names if csv_own.offset_of(names) is not None else None


def _read_own(data: bytes, kind: str, words: Sequence[ChannelWord], names: Sequence[str], bounds: Bounds) -> Recording:
    """A file that was written here. Raises CsvError with line and column."""
    offset = csv_own.offset_of(names) or 0
    heads = {n: column for n in names if (column := csv_own.column_of(n)) is not None}
    layout = Layout(
        encoding="utf-8-sig",
        delimiter=";",
        decimal=".",
        header_line=0,
        date_order="ymd",
        time=(names[0],),
        utc_offset_min=offset,
        columns={**{c.key: n for n, c in heads.items()}, csv_own.SECONDS: csv_own.SECONDS},
    )
    by_row = "event" in names and not heads
    texts = [n for n in names[2:] if n not in heads] if by_row else [n for n in names if n == csv_own.EVENTS]
    table = body(data, layout, [names[0], *texts])
    times = _times(table, layout)
    at = table.numbers[csv_own.SECONDS]
    if times is None or not len(at):
        raise CsvError("the file has no rows")
    known = np.flatnonzero(~np.isnan(at) & ~np.isnan(times.seconds))
    if not len(known):
        raise CsvError("no row has a time")
    start = round(float(times.seconds[known[0]] - at[known[0]]), 6)
    if by_row:
        events = csv_own.events_of_rows({n: table.texts[n] for n in texts}, at.tolist(), table.first_line)
        channels: dict[str, Channel] = {}
    else:
        events = csv_own.events_of(table.texts.get(csv_own.EVENTS, []), table.first_line)
        columns = {c.key: table.numbers[n] for n, c in heads.items()}
        moves = any(w.key == POSITION for w in words)
        try:
            even = evened(on_grid(at), columns, None if len(at) > 1 else 1.0, moves, bounds)
        except ValueError as error:
            raise CsvError(f"more than a recording of kind “{kind}” can hold: {error}") from None
        events += even.points.events() if even.points else ()
        channels = {c.key: _own_channel(c, even, words) for c in heads.values()}
    length = recorded_s((c.length_s for c in channels.values()), events)
    _within(bounds, kind, length, len(events))
    recorder = {"name": "file", "notes": []}
    return Recording(kind, start, offset, channels, events, {"run_length_min": length / 60}, recorder)


def _own_channel(column: csv_own.Column, even: Evened, words: Sequence[ChannelWord]) -> Channel:
    values, interval_s = even.columns[column.key], even.interval_s
    if column.every_s is not None and even.points is None:
        per = max(round(column.every_s / interval_s), 1)
        values, whole = values[::per], len(values) // per
        values = values if len(values) == whole or not math.isnan(values[-1]) else values[:-1]
        interval_s = column.every_s
    unit = next((w.unit for w in words if w.key == column.key and standard(w.unit) == standard(column.unit)), None)
    return Channel(column.key, column.name, unit or column.unit, interval_s, values)


def _within(bounds: Bounds, kind: str, length_s: float, events: int) -> None:
    try:
        bounds.check_span(length_s)
        bounds.check_events(events)
    except BoundsError as error:
        raise CsvError(f"more than a recording of kind “{kind}” can hold: {error}") from None


def _error_columns(data: bytes, found: Layout) -> list[str]:
    """Columns that say of a row that its try failed."""
    if found.header_line < 0:
        return []
    names = split(head_lines(data, found)[found.header_line], found.delimiter)
    return [n for n in names if plain_name(n)[0] in ERROR_NAMES]


def _date_note(table: Body, found: Layout, told: Layout | None) -> list[str]:
    """What was taken for the day and what for the month, where nothing in the file says so."""
    if (told is not None and told.date_order) or not found.time or found.time[0] not in table.texts:
        return []
    texts = table.texts[found.time[0]]
    if not either_way([t for t in texts[:: max(len(texts) // 2000, 1)] if t]):
        return []
    words = {"dmy": "day before month", "mdy": "month before day"}[found.date_order]
    return [f"dates were read with the {words}; if that is wrong, give a layout with “date_order”"]


def _units(data: bytes, layout: Layout, names: list[str]) -> dict[str, str]:
    """Unit that the file states for each channel: the mapping's, the one in the header's brackets, the units row's."""
    row: list[str] = []
    if layout.units_line >= 0:
        row = [c.strip("[]() ") for c in split(head_lines(data, layout)[layout.units_line], layout.delimiter)]
    found = {}
    for key, name in layout.columns.items():
        column = names.index(name)
        found[key] = layout.units.get(key) or plain_name(name)[1] or (row[column] if column < len(row) else "")
    return found


def _in_units(
    columns: dict[str, Floats], given: Mapping[str, str], found: Layout, words: Sequence[ChannelWord]
) -> tuple[dict[str, Floats], dict[str, str]]:
    """Columns in the units of the kind's words. A unit that cannot become the other is refused, naming the column."""
    usual = {w.key: w.unit for w in words}
    values, units = {}, {}
    for key, column in columns.items():
        wanted, stated = usual.get(key, ""), given.get(key, "")
        # Levels of any weighting have "dB" as their word; the file's own says more.
        units[key] = standard(stated) if stated and wanted == "dB" else wanted or stated
        if not stated or key not in usual:
            values[key] = column
            continue
        try:
            values[key] = converted(column, stated, standard(wanted), f"column “{found.columns[key]}”")
        except UnitError as error:
            raise CsvError(f"{error}. Nothing was taken") from None
    return values, units


def _times(table: Body, layout: Layout) -> InUtc | None:
    """Times of the rows in UTC; None when there is no time column."""
    there = [t for t in layout.time if t in table.texts]
    if not there:
        return None
    texts = table.texts[there[0]]
    if len(there) == 2:
        texts = [f"{a} {b}".strip() for a, b in zip(texts, table.texts[there[1]], strict=True)]
    try:
        found = stamps(texts, layout.date_order or "ymd")
    except TimeError as error:
        raise CsvError(str(error), line=error.row + table.first_line, column=there[0]) from None
    if not found.dated and ":" in next((t for t in texts if t), ""):
        # A clock without a date: past midnight the next day begins.
        steps = np.diff(found.seconds)
        days = np.concatenate(([0.0], np.cumsum(np.where(steps < -43_200, 86_400.0, 0.0))))
        found = replace(found, seconds=found.seconds + days)
    if np.isnan(found.seconds).all():
        raise CsvError("there is no time in it", column=there[0])
    return in_utc(found, layout.utc_offset_min)


def _readings(code: str, columns: dict[str, Floats], errors: Sequence[Sequence[str]], at_s: Floats) -> list[Event]:
    """Each row with a time as an event; a row marked as failed, or without a number, carries an error."""
    events = []
    for i, at in enumerate(at_s.tolist()):
        if math.isnan(at):
            continue
        data: dict[str, object] = {k: float(v[i]) for k, v in columns.items() if not math.isnan(v[i])}
        stated = next((e[i].strip() for e in errors if e[i].strip().lower() not in FINE), "")
        if stated or not data:
            data["error"] = stated or "empty row"
        events.append(Event(at, code, "", data))
    return events


def harmless(text: str) -> str:
    """A text that no spreadsheet takes for a formula: those that begin like one get an apostrophe before it."""
    return f"'{text}" if re.match(r"\s*[=+\-@\t\r]", text) and not _is_number(text) else text


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True


def write(recording: Recording, events: str = "") -> bytes:
    """A recording as CSV, see `pieces`."""
    return b"".join(pieces(recording, events))


def pieces(recording: Recording, events: str = "") -> Iterator[bytes]:
    """All channels at their recorded rate: time on the wall clock, seconds, one column a channel with its unit.

    Slower channels have a value on the rows of their own samples only; rows recorded at uneven times stand as they are.
    With `events`, the events of that code ("reading") take the place of the samples, one a row. Semicolons separate,
    points are decimal. Where the offset from UTC changes, each time carries its own.
    """
    if events:
        chosen = tuple(e for e in recording.events if e.code in (events, "utc-offset"))
        if not any(e.code == events for e in chosen):
            codes = ", ".join(sorted({e.code for e in recording.events})) or "none"
            raise CsvError(f"the recording has no event “{events}”; there are: {codes}")
        recording = replace(recording, channels={}, events=chosen)
    yield b"\xef\xbb\xbf"
    tables = frames(recording, events)
    following: pa.Table | None = next(tables)
    first = True
    while following is not None:
        table, following = following, next(tables, None)
        out = io.BytesIO()
        options = pc.WriteOptions(include_header=first, delimiter=";", quoting_style="needed")
        pc.write_csv(_harmless_table(csv_own.own_table(recording, table, following is None)), out, options)
        yield out.getvalue()
        first = False


def _harmless_table(table: pa.Table) -> pa.Table:
    names = [harmless(n.replace(";", ",")) for n in table.column_names]
    columns = [
        pa.array([None if v is None else harmless(v) for v in column.to_pylist()], pa.string())
        if pa.types.is_string(column.type) and not table.column_names[i].startswith("time")
        else column
        for i, column in enumerate(table.columns)
    ]
    return pa.table(dict(zip(names, columns, strict=True)))

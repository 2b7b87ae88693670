"""The CSV that is written here, so that reading it gives the same recording: names, units, rates, events, offset from UTC.

    time [UTC+01:00];seconds;Speed {speed} [m/s];Water temperature {water_temp every 1 s} [°C];events

The first two columns are the wall clock and the seconds after the start. Each channel says its name, in braces its key and,
where it is slower than the rows, its interval, in brackets its unit. `events` holds what happened from this row to the next, as a
JSON list; where the file has no samples, each row is an event with its numbers and words in columns. docs/csv.md.
"""

from __future__ import annotations

import json
import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa

from kumpel.core.recording import POINT, Channel, Event, Recording
from kumpel.formats.errors import CsvError
from kumpel.formats.tables import base_interval, plain_of

EVENTS = "events"
SECONDS = "seconds"
BEGINS = b"time [UTC"
_TIME = re.compile(r"time \[UTC(?P<sign>[+-])(?P<h>\d\d):(?P<m>\d\d)\]")
_CHANNEL = re.compile(r"(?P<name>.*) \{(?P<key>[^{}]+?)(?: every (?P<every>[\d.e-]+) s)?\}(?: \[(?P<unit>.*)\])?")


@dataclass(frozen=True)
class Column:
    """What a column's head says of its channel; `every_s` is None where it has a value on every row."""

    key: str
    name: str
    unit: str
    every_s: float | None


def time_head(utc_offset_min: int) -> str:
    hours, minutes = divmod(abs(utc_offset_min), 60)
    return f"time [UTC{'-' if utc_offset_min < 0 else '+'}{hours:02d}:{minutes:02d}]"


def offset_of(names: Sequence[str]) -> int | None:
    """Minutes from UTC of a file that was written here; None of another one."""
    found = _TIME.fullmatch(names[0]) if len(names) > 1 and names[1] == SECONDS else None
    if found is None:
        return None
    return (-1 if found["sign"] == "-" else 1) * (int(found["h"]) * 60 + int(found["m"]))


def channel_head(channel: Channel, step_s: float) -> str:
    every = "" if abs(channel.interval_s - step_s) < 1e-9 else f" every {repr(channel.interval_s).removesuffix('.0')} s"
    name = re.sub(r"[{}\[\];\r\n]", " ", channel.name).strip()
    return f"{name} {{{channel.key}{every}}}" + (f" [{channel.unit}]" if channel.unit else "")


def column_of(head: str) -> Column | None:
    """The channel that a column's head names; None when it is not one of these."""
    found = _CHANNEL.fullmatch(head.removeprefix("'"))
    if found is None:
        return None
    every = float(found["every"]) if found["every"] else None
    return Column(found["key"], found["name"].strip() or found["key"], found["unit"] or "", every)


def own_table(recording: Recording, table: pa.Table, is_last: bool = True) -> pa.Table:
    """A table of `tables.frames` as it is written: its heads, and what happened on its rows; `is_last` of several."""
    step, rows = base_interval(recording)
    uneven = recording.points
    heads = [time_head(recording.utc_offset_min), SECONDS]
    if not rows and uneven is None:
        return table.rename_columns([*heads, *table.column_names[2:]])
    of = list(recording.channels.values())
    if uneven is not None:
        # A row at an uneven time has what it has: no column of it is slower than another.
        of = [
            replace_interval(recording.channels.get(k) or Channel(k, k, "", 1.0, np.empty(0)), step)
            for k in uneven.columns
        ]
    table = table.rename_columns([*heads, *(channel_head(c, step) for c in of)])
    events = [e for e in recording.events if uneven is None or e.code != POINT]
    if not events:
        return table
    seconds = np.asarray(table.column(SECONDS).to_numpy(), dtype=np.float64)
    at = np.searchsorted(seconds, [e.at_s for e in events], side="right") - 1
    begins, ends = seconds[0] <= step / 2, is_last
    cells: dict[int, list[dict[str, object]]] = {}
    for event, row in zip(events, at.tolist(), strict=True):
        beyond = row == len(seconds) - 1 and not ends and event.at_s >= seconds[-1] + step
        if (row < 0 and not begins) or beyond:
            continue
        cells.setdefault(max(row, 0), []).append(_plain_event(event))
    texts = [json.dumps(cells[i], ensure_ascii=False) if i in cells else None for i in range(len(seconds))]
    return table.append_column(EVENTS, pa.array(texts, pa.string()))


def replace_interval(channel: Channel, interval_s: float) -> Channel:
    return Channel(channel.key, channel.name, channel.unit, interval_s, channel.samples)


def _plain_event(event: Event) -> dict[str, object]:
    plain: dict[str, object] = {"at_s": event.at_s, "code": event.code}
    return plain | ({"text": event.text} if event.text else {}) | ({"data": plain_of(event.data)} if event.data else {})


def events_of(cells: Sequence[str], first_line: int) -> tuple[Event, ...]:
    """The events of a column of cells. Raises CsvError with the line of one that is not as it was written."""
    found = []
    for row, cell in enumerate(cells):
        if not cell:
            continue
        try:
            for each in json.loads(cell.removeprefix("'")):
                at, data = float(each["at_s"]), each.get("data", {})
                if not math.isfinite(at) or not isinstance(data, Mapping):
                    raise ValueError
                found.append(Event(at, str(each["code"]), str(each.get("text", "")), data))
        except (ValueError, KeyError, TypeError, AttributeError):
            raise CsvError(f"the events “{cell[:40]}” are not readable", line=first_line + row, column=EVENTS) from None
    return tuple(sorted(found, key=lambda e: e.at_s))


def events_of_rows(
    columns: Mapping[str, Sequence[str]], seconds: Sequence[float], first_line: int
) -> tuple[Event, ...]:
    """The events of a file that has one a row: its code, text, numbers and words."""
    keys = [k for k in columns if k not in ("event", "text")]
    found = []
    for row, (at, code) in enumerate(zip(seconds, columns["event"], strict=True)):
        if not math.isfinite(at):
            raise CsvError("the event has no time", line=first_line + row, column=SECONDS)
        cells = {k: columns[k][row].removeprefix("'") for k in keys}
        data = {k: _value(cell) for k, cell in cells.items() if cell}
        found.append(Event(at, code, columns["text"][row].removeprefix("'"), data))
    return tuple(found)


def _value(cell: str) -> object:
    try:
        value = json.loads(cell)
    except ValueError:
        return cell
    return value if not isinstance(value, float) or math.isfinite(value) else cell

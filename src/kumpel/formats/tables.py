"""A recording as a table: the frame that CSV, Parquet and XLSX share."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from kumpel.core.recording import Channel, Event, Floats, Recording, sample_times
from kumpel.core.timebase import wall_clock

META = b"kumpel"


def _label(channel: Channel) -> str:
    return f"{channel.key} [{channel.unit}]" if channel.unit else channel.key


def base_interval(recording: Recording) -> tuple[float, int]:
    """Interval in s and number of rows of the table: those of the fastest channel, as long as the longest one."""
    if not recording.channels:
        return 1.0, 0
    step = min(c.interval_s for c in recording.channels.values())
    return step, max(round(c.length_s / step) for c in recording.channels.values())


def _spread(channel: Channel, step: float, count: int) -> tuple[Floats, np.ndarray[Any, np.dtype[np.bool_]]]:
    """Values on the rows of the table, and which rows are the channel's own."""
    per = channel.interval_s / step
    if abs(per - 1) < 1e-9:
        values = np.full(count, np.nan)
        values[: len(channel.values)] = channel.values[:count]
        own = np.zeros(count, dtype=bool)
        own[: len(channel.values)] = True
        return values, own
    rows = np.rint(np.arange(len(channel.values)) * per).astype(np.intp)
    rows = rows[rows < count]
    values, own = np.full(count, np.nan), np.zeros(count, dtype=bool)
    values[rows], own[rows] = channel.values[: len(rows)], True
    return values, own


def frame(recording: Recording) -> pa.Table:
    """Columns: wall clock, seconds, one a channel ("key [unit]"). Missing samples are null.

    A recording without channels gives one row an event: its time, code, text and numbers.
    """
    step, count = base_interval(recording)
    if not count:
        return _event_frame(recording)
    seconds = sample_times(count, step)
    columns: dict[str, Any] = {"time": _clock(recording, seconds), "seconds": pa.array(seconds)}
    for channel in recording.channels.values():
        values, _ = _spread(channel, step, count)
        columns[_label(channel)] = pa.array(values, from_pandas=True)
    return pa.table(columns)


def _clock(recording: Recording, seconds: Floats) -> pa.Array:
    micro = np.rint(wall_clock(recording, seconds) * 1e6).astype(np.int64)
    return pa.array(micro, type=pa.timestamp("us"))


def _event_frame(recording: Recording) -> pa.Table:
    events = recording.events
    at = np.array([e.at_s for e in events], dtype=np.float64)
    keys = [
        *dict.fromkeys(
            k for e in events for k, v in e.data.items() if isinstance(v, int | float) and not isinstance(v, bool)
        )
    ]
    columns: dict[str, Any] = {
        "time": _clock(recording, at),
        "seconds": pa.array(at),
        "event": [e.code for e in events],
        "text": [e.text for e in events],
    }
    for key in keys:
        columns[key] = pa.array([_number(e.data.get(key)) for e in events], type=pa.float64())
    return pa.table(columns)


def _number(value: object) -> float | None:
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else None


def about(recording: Recording) -> dict[str, Any]:
    """What a table cannot say by its columns: kind, start, setup, channels, events."""
    return {
        "kind": recording.kind,
        "start": recording.start,
        "utc_offset_min": recording.utc_offset_min,
        "channels": [
            {"key": c.key, "name": c.name, "unit": c.unit, "interval_s": c.interval_s, "samples": len(c.values)}
            for c in recording.channels.values()
        ],
        "events": [{"at_s": e.at_s, "code": e.code, "text": e.text, "data": _plain(e.data)} for e in recording.events],
        "setup": _plain(recording.setup),
        "recorder": _plain(recording.recorder),
    }


def _plain(value: object) -> Any:
    if isinstance(value, Mapping):
        return {str(k): _plain(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [_plain(v) for v in value]
    return value if isinstance(value, str | int | float | bool) or value is None else str(value)


def write_parquet(recording: Recording, path: str) -> None:
    """A Parquet file: the frame, and everything else as JSON in the schema's metadata under “kumpel”."""
    table = frame(recording)
    table = table.replace_schema_metadata({META: json.dumps(about(recording), ensure_ascii=False).encode()})
    pq.write_table(table, path, compression="zstd")


def read_parquet(path: str) -> Recording:
    """A recording from a Parquet file that `write_parquet` made. Raises ValueError for another one."""
    table = pq.read_table(path)
    meta = (table.schema.metadata or {}).get(META)
    if meta is None:
        raise ValueError("the Parquet file does not come from here: the metadata “kumpel” is missing")
    data = json.loads(meta)
    channels = {}
    step = min((c["interval_s"] for c in data["channels"]), default=1.0)
    for c in data["channels"]:
        label = f"{c['key']} [{c['unit']}]" if c["unit"] else c["key"]
        values = np.asarray(table.column(label).to_numpy(zero_copy_only=False), dtype=np.float64)
        rows = np.rint(np.arange(c["samples"]) * (c["interval_s"] / step)).astype(np.intp)
        channels[c["key"]] = Channel(c["key"], c["name"], c["unit"], c["interval_s"], values[rows])
    events = tuple(Event(e["at_s"], e["code"], e["text"], e["data"]) for e in data["events"])
    return Recording(
        data["kind"], data["start"], data["utc_offset_min"], channels, events, data["setup"], data["recorder"]
    )

"""A recording as a table: the frame that CSV, Parquet and XLSX share."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from kumpel.core.bounds import ANY, Bounds
from kumpel.core.recording import Channel, Event, Floats, Recording
from kumpel.core.timebase import wall_clock

META = b"kumpel"
ROWS_AT_ONCE = 262_144


def _label(channel: Channel) -> str:
    return f"{channel.key} [{channel.unit}]" if channel.unit else channel.key


def base_interval(recording: Recording) -> tuple[float, int]:
    """Interval in s and number of rows of the table: those of the fastest channel, as long as the longest one."""
    if not recording.channels:
        return 1.0, 0
    step = min(c.interval_s for c in recording.channels.values())
    return step, max(round(c.length_s / step) for c in recording.channels.values())


def _spread(channel: Channel, step: float, first: int, end: int) -> Floats:
    """A channel on rows `first` to `end` - 1 of the table: its values on its own rows, else nan."""
    values = np.full(end - first, np.nan)
    per = channel.interval_s / step
    if abs(per - 1) < 1e-9:
        own = channel.samples.read(first, end)
        values[: len(own)] = own
        return values
    low, high = max(int(first / per) - 1, 0), min(int(end / per) + 2, channel.count)
    rows = np.rint(np.arange(low, max(high, low)) * per).astype(np.intp)
    inside = (rows >= first) & (rows < end)
    values[rows[inside] - first] = channel.samples.read(low, high)[inside]
    return values


def frame(recording: Recording, code: str = "") -> pa.Table:
    """Columns: wall clock, seconds, one a channel ("key [unit]"). Missing samples are null.

    A recording with rows at uneven times gives these rows. One without channels gives one row an event (of `code`): its
    time, code, text, numbers and words.
    """
    if not base_interval(recording)[1]:
        return _event_frame(recording, code)
    if recording.points is not None:
        points = recording.points
        return pa.table(
            {
                "time": _clock(recording, points.at_s),
                "seconds": pa.array(points.at_s),
                **{
                    _label(recording.channels[k]) if k in recording.channels else k: pa.array(v, from_pandas=True)
                    for k, v in points.columns.items()
                },
            }
        )
    return pa.concat_tables(even_frames(recording))


def frames(recording: Recording, code: str = "") -> Iterator[pa.Table]:
    """The table of `frame` in pieces of equal columns, so that one of any length needs little memory."""
    if recording.points is None and base_interval(recording)[1]:
        yield from even_frames(recording)
    else:
        yield frame(recording, code)


def even_frames(recording: Recording) -> Iterator[pa.Table]:
    """The channels on the base of the fastest one, some rows at a time: wall clock, seconds, one column a channel."""
    step, count = base_interval(recording)
    for first in range(0, max(count, 1), ROWS_AT_ONCE):
        end = min(first + ROWS_AT_ONCE, count)
        seconds = np.arange(first, end, dtype=np.float64) * step
        columns: dict[str, Any] = {"time": _clock(recording, seconds), "seconds": pa.array(seconds)}
        for channel in recording.channels.values():
            columns[_label(channel)] = pa.array(_spread(channel, step, first, end), from_pandas=True)
        yield pa.table(columns)


def _clock(recording: Recording, seconds: Floats) -> pa.Array:
    """Times on the wall; where the offset from UTC changes, texts with the offset, so that no hour is there twice."""
    wall = wall_clock(recording, seconds)
    micro = np.rint(wall * 1e6).astype(np.int64)
    if not any(e.code == "utc-offset" for e in recording.events):
        return pa.array(micro, type=pa.timestamp("us"))
    offsets = np.rint((wall - recording.start - seconds) / 60).astype(int)
    texts = np.datetime_as_string(micro.astype("datetime64[us]"), unit="ms")
    zones = {m: f"{'-' if m < 0 else '+'}{abs(m) // 60:02d}:{abs(m) % 60:02d}" for m in np.unique(offsets).tolist()}
    return pa.array([f"{t.replace('T', ' ')}{zones[m]}" for t, m in zip(texts, offsets.tolist(), strict=True)])


def _event_frame(recording: Recording, code: str) -> pa.Table:
    events = [e for e in recording.events if not code or e.code == code]
    at = np.array([e.at_s for e in events], dtype=np.float64)
    keys = dict.fromkeys(k for e in events for k in e.data)
    columns: dict[str, Any] = {
        "time": _clock(recording, at),
        "seconds": pa.array(at),
        "event": [e.code for e in events],
        "text": [e.text for e in events],
    }
    for key in keys:
        values = [e.data.get(key) for e in events]
        if all(v is None or _number(v) is not None for v in values):
            columns[key] = pa.array([_number(v) for v in values], type=pa.float64())
        else:
            columns[key] = pa.array([_word(v) for v in values], type=pa.string())
    return pa.table(columns)


def _word(value: object) -> str | None:
    """A value of an event as a cell: texts as they are, but for those that would read as something else."""
    if value is None:
        return None
    if isinstance(value, str):
        try:
            json.loads(value)
        except ValueError:
            return value
    return json.dumps(plain_of(value), ensure_ascii=False)


def _number(value: object) -> float | None:
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else None


def about(recording: Recording) -> dict[str, Any]:
    """What a table cannot say by its columns: kind, start, setup, channels, events."""
    return {
        "kind": recording.kind,
        "start": recording.start,
        "utc_offset_min": recording.utc_offset_min,
        "channels": [
            {"key": c.key, "name": c.name, "unit": c.unit, "interval_s": c.interval_s, "samples": c.count}
            for c in recording.channels.values()
        ],
        "events": [
            {"at_s": e.at_s, "code": e.code, "text": e.text, "data": plain_of(e.data)} for e in recording.events
        ],
        "setup": plain_of(recording.setup),
        "recorder": plain_of(recording.recorder),
    }


def plain_of(value: object) -> Any:
    """A value as JSON can say it."""
    if isinstance(value, Mapping):
        return {str(k): plain_of(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [plain_of(v) for v in value]
    return value if isinstance(value, str | int | float | bool) or value is None else str(value)


def write_parquet(recording: Recording, path: str) -> None:
    """A Parquet file: the frame, and everything else as JSON in the schema's metadata under “kumpel”."""
    meta = {META: json.dumps(about(recording), ensure_ascii=False).encode()}
    tables = even_frames(recording) if recording.channels else iter([frame(recording)])
    first = next(tables).replace_schema_metadata(meta)
    with pq.ParquetWriter(path, first.schema, compression="zstd") as writer:
        writer.write_table(first)
        for table in tables:
            writer.write_table(table.replace_schema_metadata(meta))


def read_parquet(path: str, bounds_of: Callable[[str], Bounds] = lambda kind: ANY) -> Recording:
    """A recording from a Parquet file that `write_parquet` made. Raises ValueError for another one, BoundsError for one
    that holds more than its kind can (told before anything is unpacked)."""
    with pq.ParquetFile(path) as file:
        stored = (file.schema_arrow.metadata or {}).get(META, b"{}")
        bounds = bounds_of(str(json.loads(stored).get("kind", "")))
        bounds.check_samples(file.metadata.num_rows * max(file.metadata.num_columns - 2, 1))
        table = file.read()
    meta = (table.schema.metadata or {}).get(META)
    if meta is None:
        raise ValueError("the Parquet file does not come from here: the metadata “kumpel” is missing")
    data = json.loads(meta)
    bounds.check_channels(len(data["channels"]))
    bounds.check_events(len(data["events"]))
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

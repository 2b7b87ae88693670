"""A session as a file to go on working with: a workbook with figures, tables and samples, or its samples as they were recorded."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime, time, timedelta
from pathlib import Path
from typing import Literal

from sqlmodel import Session as Db
from sqlmodel import col, func, select

from kumpel.core.assessment import Assessment, Table
from kumpel.core.hidden_ends import without_ends
from kumpel.core.reckoning import table
from kumpel.core.recording import Channel, Event, Recording
from kumpel.formats import files
from kumpel.formats.errors import FileFormatError
from kumpel.kinds.registry import kind_of
from kumpel.services.ground import apart, figures, naming, sensor_checks, settings
from kumpel.services.ground.problems import ConflictError, InvalidError
from kumpel.services.ground.recordings import recording_of, session_of
from kumpel.services.ground.sensor_checks import Fitted
from kumpel.services.register.sessions import SessionRow, row_of, wall_start
from kumpel.store.tables import Session, Team

Form = Literal["xlsx", "csv", "gpx", "edf"]
MOST_CELLS = 1_000_000
"""Samples that a workbook is good for: beyond it opens slowly, and takes minutes to write."""
MOST_VALUES = 20_000_000
"""Samples of a CSV file: more than half a gigabyte beyond; the original has them, too."""


Span = tuple[float, float]
"""From when to when of a session, in s after its start."""


def write(db: Db, session_id: int, form: Form, span: Span | None = None, without_m: float = 0.0) -> tuple[str, Path]:
    """The name of the file and where it lies; whoever asked takes it away afterwards.

    The workbook has the figures as reviewed, every table (laps, and what else the kind makes of it), events and samples; of a long
    recording it says that the samples are left out. With a `span` the samples and events are those of it alone; figures and tables stay
    those of the session. `without_m` leaves the positions out that lie so near to its start or end (m); in EDF+ events are
    annotations. ConflictError when the format cannot hold the recording.
    """
    folder = Path(tempfile.mkdtemp(prefix="kumpel-export-"))
    try:
        return apart.read("The file", db, _write, session_id, form, folder, span, without_m)
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise


def _write(db: Db, session_id: int, form: Form, folder: Path, span: Span | None, without_m: float) -> tuple[str, Path]:
    session = session_of(db, session_id)
    kind, recording = kind_of(session.kind), recording_of(db, session)
    found = None
    if form in ("xlsx", "edf") and session.figures == figures.ASSESSED:
        outcome = figures.outcome(db, session_id)
        if outcome is not None and form == "edf":
            recording = replace(recording, events=_with_found(recording, outcome.both.reviewed))
        elif outcome is not None:
            found = outcome.both.reviewed
            if kind.sheets is not None:
                found = replace(found, tables=(*found.tables, *kind.sheets(recording, outcome.review)))
    sensors = sensor_checks.fitted_at(db, row_of(db, session).recorder, session.started_at)
    if found is not None and sensors:
        found = replace(found, tables=(*found.tables, _fitted(sensors)))
    if without_m > 0:
        # Before a span is cut: it is the ends of the session that are not told, wherever the span begins.
        recording = without_ends(recording, without_m)
    part = ""
    if span is not None:
        begin, end = (min(max(at, 0.0), session.length_s) for at in span)
        if not end > begin:
            raise InvalidError("A span ends after it begins, and lies within the session.", field="end_s")
        recording = recording.between(begin, end)
        first = wall_start(session)
        part = f" {first + timedelta(seconds=begin):%H%M}-{first + timedelta(seconds=end):%H%M}"
    values = sum(channel.count for channel in recording.channels.values())
    if form == "csv" and values > MOST_VALUES:
        raise ConflictError(
            f"{values / 1e6:.0f} million samples are too many for a CSV file. Fetch the original recording in place of it.",
            code="no-file",
        )
    if form == "xlsx" and values > MOST_CELLS:
        recording = replace(recording, channels={})
        if found is not None:
            found = replace(found, tables=(*found.tables, _left_out(values)))
    name = file_name(db, row_of(db, session), form).replace(f".{form}", f"{part}.{form}")
    db.commit()
    path = folder / f"session.{form}"
    recording = replace(recording, channels={key: _named(each, sensors) for key, each in recording.channels.items()})
    readings = kind.reading_code if form == "csv" and kind.readings and not recording.channels else ""
    try:
        files.write(recording, path, found, "", readings)
    except FileFormatError as error:
        raise ConflictError(f"No file was made: {error}. The recording is safe.", code="no-file") from error
    return name, path


FOUND = "found."
"""Before the code of an event that was found in the signals, in a file that says it beside those of the recorder."""


def _with_found(recording: Recording, found: Assessment) -> tuple[Event, ...]:
    """Events of the recorder, and those that were found and count, with their length; none that the recorder said itself."""
    said = {(e.code, round(e.at_s, 3)) for e in recording.events}
    own = [
        Event(e.at_s, f"{FOUND}{e.code}", e.text, {"length_s": round(e.end_s - e.at_s, 3)} if e.end_s > e.at_s else {})
        for e in found.events
        if e.kept and (e.code, round(e.at_s, 3)) not in said
    ]
    return tuple(sorted((*recording.events, *own), key=lambda e: e.at_s))


def _fitted(sensors: Sequence[Fitted]) -> Table:
    """Which sensors were in the recorder, and when each was last calibrated before."""
    columns = [(head, "", None) for head in ("Sensor", "Type", "Serial number", "Last calibration", "Due")]
    rows = [
        (s.sensor, s.type, s.serial, *(f"{at:%Y-%m-%d}" if at else "" for at in (s.calibrated_at, s.due_at)))
        for s in sensors
    ]
    return table("fitted", "Sensors fitted", columns, rows)


def _named(channel: Channel, sensors: Sequence[Fitted]) -> Channel:
    """A channel whose name says which sensor measured it, and when that was last calibrated."""
    mine = next((s for s in sensors if s.sensor in (channel.key, channel.key.partition(".")[0])), None)
    if mine is None:
        return channel
    known = [f"sensor {mine.type}".strip(), f"no. {mine.serial}" if mine.serial else ""]
    known.append(f"calibrated {mine.calibrated_at:%Y-%m-%d}" if mine.calibrated_at else "no calibration on record")
    return replace(channel, name=f"{channel.name}, {' '.join(each for each in known if each)}")


def _left_out(values: int) -> Table:
    words = f"{values / 1e6:.1f} million samples are more than a workbook is good for: they are in the CSV file and in the original."
    return table("samples", "Samples left out", [("", "", None)], [(words,)])


def remove(path: Path) -> None:
    """Take a written file away."""
    path.unlink(missing_ok=True)
    path.parent.rmdir()


def file_name(db: Db, row: SessionRow, form: str) -> str:
    """By the pattern of the house; as shipped "2026-11-27 Surface loop Jonas Tveter practice 2.xlsx"."""
    session, person = row.session, row.person
    local = wall_start(session)
    team = db.get(Team, person.team_id) if person and person.team_id else None
    pattern = settings.value_of(db, settings.FILE_NAME, kind=session.kind, team=team.name if team else "")
    values = {
        "date": f"{local:%Y-%m-%d}",
        "time": f"{local:%H%M}",
        "place": row.tags.get("place", ""),
        "person": person.name if person else "",
        "kind": kind_of(session.kind).name.lower(),
        "run": row.tags.get("run", ""),
        "recorder": row.recorder.token if row.recorder else "",
        "n": str(nth_of_day(db, session)),
    }
    return f"{naming.name_of(pattern, values)}.{form}"


def nth_of_day(db: Db, session: Session) -> int:
    """Which session of its recorder on its day it is, from 1; by the wall clock of the recorder."""
    local = wall_start(session)
    midnight = datetime.combine(local.date(), time(), UTC) - timedelta(minutes=session.utc_offset_min)
    before = db.exec(
        select(func.count())
        .select_from(Session)
        .where(
            Session.serial == session.serial,
            Session.state == "stored",
            Session.aside == "",
            col(Session.deleted_at).is_(None),
            Session.started_at >= midnight,
            Session.started_at < session.started_at,
        )
    ).one()
    return before + 1

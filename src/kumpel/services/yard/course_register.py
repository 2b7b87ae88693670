"""The register of courses: typed by their lines, from a GPX file or from their plain form; what of them is on a recorder."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

import numpy as np
from sqlalchemy.exc import IntegrityError
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.geo import plane_of
from kumpel.core.names import clean_line
from kumpel.core.vehicle import courses as core
from kumpel.core.vehicle.corners import Corner, corners_of, line_of
from kumpel.core.vehicle.course_lines import STEP_M, drawn, moved
from kumpel.core.vehicle.drive import learnt_from
from kumpel.formats import gpx_line
from kumpel.formats.errors import GpxError
from kumpel.link.abilities import MOST_COURSE_VALUES, course_hash
from kumpel.link.client import RecorderLink
from kumpel.services.ground import decisions, deeds
from kumpel.services.ground.carriers import CourseOnIt
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.ground.recordings import recording_of, session_of
from kumpel.store.database import tell
from kumpel.store.tables import Account, Course, Recorder, now

OUTLINE_POINTS = 80
LONGEST_NAME = 80
MOST_DRAWN = 2000
MOST_SECTOR_LINES = 30
MOST_POINTS = MOST_COURSE_VALUES // 4


@dataclass(frozen=True)
class CourseRow:
    """A course: its length, whether it is a loop, its lines, and its outline for drawing in m (x to the east, y to the north)."""

    id: int
    name: str
    closed: bool
    length_m: float
    sectors: int
    outline: list[list[float]]


@dataclass(frozen=True)
class LineOn:
    """A line of a course: "start", "S2" and so on, "finish"; its place in m along the points, how far it reaches to each side."""

    name: str
    at_m: float
    half_width_m: float


@dataclass(frozen=True)
class Version:
    """How a course was at a time; `by` is who made it so."""

    id: int
    made_at: datetime
    by: str
    current: bool


@dataclass(frozen=True)
class CourseDetail:
    """A course with its points (m east and north, every `step_m`, of a loop from the start line on), lines, corners and versions.
    Without points there is nothing to draw."""

    id: int
    name: str
    closed: bool
    current: bool
    length_m: float
    step_m: float
    x: list[float]
    y: list[float]
    lines: list[LineOn]
    corners: list[Corner]
    versions: list[Version]


def detail(db: Db, course_id: int) -> CourseDetail:
    """A course of the register, also in a version of before."""
    row = db.get(Course, course_id)
    if row is None:
        raise NotFoundError("This course is not on record.")
    course = core.course_from(row.plain)
    found, line = drawn(course), line_of(course)
    names = ["start", *(f"S{i}" for i in range(2, len(course.sectors) + 2)), *([] if course.closed else ["finish"])]
    step = max(len(found.x) // MOST_DRAWN, 1) if found else 1
    first = found.at_m[0] if found and not found.closed else 0.0
    corners = corners_of(line) if line is not None else []
    return CourseDetail(
        course_id,
        row.name,
        course.closed,
        row.removed_at is None,
        round(course.length_m, 1),
        step * STEP_M,
        found.x[::step].round(2).tolist() if found else [],
        found.y[::step].round(2).tolist() if found else [],
        [LineOn(n, m, g.half_width_m) for n, m, g in zip(names, found.at_m, course.gates, strict=True)]
        if found
        else [],
        [replace(c, begin_m=c.begin_m + first, apex_m=c.apex_m + first, end_m=c.end_m + first) for c in corners],
        _versions(db, row.name),
    )


def _versions(db: Db, name: str) -> list[Version]:
    found = db.exec(
        select(Course, Account.name)
        .outerjoin(Account, col(Course.made_by) == Account.id)
        .where(Course.name == name)
        .order_by(col(Course.made_at).desc(), col(Course.id).desc())
    ).all()
    return [Version(row.id or 0, row.made_at, by or "", row.removed_at is None) for row, by in found]


def change(
    db: Db, course_id: int, name: str, at_m: Sequence[float], half_width_m: float, who: int | None
) -> CourseDetail:
    """The course under another name or with its lines elsewhere: a new version; the one before stays on record.

    InvalidError for places that are none, ConflictError when it was changed meanwhile or another course has the name.
    """
    deeds.ask(db, "course changed", Whom("course", course_id))
    row = course_of(db, course_id)
    try:
        made = moved(core.course_from(row.plain), at_m, half_width_m)
    except ValueError as error:
        raise InvalidError(f"{str(error)[:1].upper()}{str(error)[1:]}. Nothing was changed.", field="lines") from error
    named = clean_line(name)[:LONGEST_NAME] or row.name
    row.removed_at = now()
    db.add(row)
    db.flush()
    new = Course(name=named, plain=core.course_data(replace(made, name=named)), made_by=who)
    db.add(new)
    try:
        db.flush()
    except IntegrityError as error:
        db.rollback()
        raise ConflictError(f"There is a course “{named}” already. Nothing was changed.") from error
    about = {"name": row.name, "version": row.id}
    deeds.keep(db, "course changed", Whom("course", course_id), about, {"name": named, "version": new.id}, who)
    tell(db, "courses")
    db.commit()
    return detail(db, new.id or 0)


def learn(db: Db, session_id: int, lap: int, name: str, who: int | None = None) -> CourseRow:
    """A course from a driven lap of a session. InvalidError when the lap does not make one."""
    session = session_of(db, session_id)
    recording, review = recording_of(db, session), decisions.review_of(decisions.of_session(db, session_id))
    try:
        made = learnt_from(recording, review, lap, clean_line(name)[:LONGEST_NAME] or "learnt course")
    except ValueError as error:
        raise InvalidError(f"No course can be learnt from lap {lap}: {error}.", field="lap") from error
    return add(db, made.name, json.dumps(core.course_data(made)), who)


def all_courses(db: Db) -> list[CourseRow]:
    return [_row(course) for course in _kept(db)]


def _kept(db: Db) -> Sequence[Course]:
    return db.exec(select(Course).where(col(Course.removed_at).is_(None)).order_by(col(Course.name))).all()


def _row(course: Course) -> CourseRow:
    made = core.course_from(course.plain)
    return CourseRow(
        course.id or 0, course.name, made.closed, round(made.length_m, 1), len(made.sectors) + 1, outline_of(made)
    )


def outline_of(course: core.Course) -> list[list[float]]:
    """A few points of the course in m around its middle, the first one again at the end of a loop."""
    if len(course.lat) < 2:
        return []
    x, y = plane_of(course.lat, course.lon).xy(course.lat, course.lon)
    every = max(len(x) // OUTLINE_POINTS, 1)
    points = [[round(float(a), 1), round(float(b), 1)] for a, b in zip(x[::every], y[::every], strict=True)]
    return [*points, points[0]] if course.closed else points


def add(db: Db, name: str, content: str, who: int | None = None) -> CourseRow:
    """Add a course from the content of a GPX file or from its plain form as JSON. InvalidError says what is wrong in it."""
    plain = _plain_of(clean_line(name), content)
    try:
        made = core.course_from(plain)
    except (ValueError, TypeError) as error:
        raise InvalidError(f"This is no course: {error}. Nothing was added.", field="content") from error
    if len(made.sectors) > MOST_SECTOR_LINES:
        raise InvalidError(f"The course has {len(made.sectors)} lines between; {MOST_SECTOR_LINES} are possible.")
    if len(made.lat) > MOST_POINTS:
        raise InvalidError(f"The course has {len(made.lat)} points; a recorder takes {MOST_POINTS} at the most.")
    deeds.ask(db, "course added", Whom("course", made.name[:64]))
    row = Course(name=made.name, plain=core.course_data(made), made_by=who)
    db.add(row)
    try:
        db.flush()
    except IntegrityError as error:
        db.rollback()
        raise ConflictError(
            f"There is a course “{made.name}” already. Take it away first, or name this one."
        ) from error
    deeds.keep(db, "course added", Whom("course", row.id), after={"name": row.name, "length_m": made.length_m}, who=who)
    tell(db, "courses")
    db.commit()
    return _row(row)


def _plain_of(name: str, content: str) -> dict[str, Any]:
    if content.lstrip().startswith("{"):
        try:
            plain: dict[str, Any] = json.loads(content)
        except (ValueError, RecursionError) as error:
            raise InvalidError(f"The course is not readable as JSON ({error}). Nothing was added.") from error
        named = name or clean_line(str(plain.get("name", "")))
        return plain | {"name": named[:LONGEST_NAME]}
    try:
        line = gpx_line.read_line(content.encode())
        made = core.course_of_line((name or clean_line(line.name) or "course")[:LONGEST_NAME], line.lat, line.lon)
    except (GpxError, ValueError) as error:
        raise InvalidError(
            f"No course can be made of this file: {error}. Nothing was added.", field="content"
        ) from error
    return core.course_data(made)


def course_of(db: Db, course_id: int) -> Course:
    course = db.get(Course, course_id)
    if course is None or course.removed_at is not None:
        raise NotFoundError("This course is not on record.")
    return course


def as_gpx(db: Db, course_id: int) -> tuple[str, bytes]:
    """The name of a course and its line as a GPX route."""
    course = core.course_from(course_of(db, course_id).plain)
    lat, lon = course.lat, course.lon
    if course.closed and len(lat):
        lat, lon = np.append(lat, lat[0]), np.append(lon, lon[0])
    return course.name, gpx_line.write_line(course.name, lat, lon)


def remove(db: Db, course_id: int) -> None:
    """Take a course off the register; it stays on the recorders that have it."""
    deeds.ask(db, "course removed", Whom("course", course_id))
    course = course_of(db, course_id)
    course.removed_at = now()
    db.add(course)
    deeds.keep(db, "course removed", Whom("course", course_id), {"name": course.name})
    tell(db, "courses")
    db.commit()


def bring_back(db: Db, course_id: int) -> None:
    """Undo `remove`. ConflictError when another one took the name meanwhile."""
    deeds.ask(db, "course added", Whom("course", course_id))
    course = db.get(Course, course_id)
    if course is None:
        raise NotFoundError("This course is not on record.")
    course.removed_at = None
    db.add(course)
    try:
        db.flush()
    except IntegrityError as error:
        db.rollback()
        raise ConflictError("Another course has this name now.") from error
    deeds.keep(db, "course added", Whom("course", course_id), after={"name": course.name})
    tell(db, "courses")
    db.commit()


def beside(db: Db, recorder: Recorder) -> list[CourseOnIt]:
    """The courses known here beside those on a recorder, by name."""
    there = {each["name"]: each["sha256"] for each in recorder.setup.get("_courses", [])}
    if "courses" not in recorder.status.get("can", []):
        return []
    found = []
    for course in _kept(db):
        same = there.get(course.name) == course_hash(course.plain).hex()
        outline = outline_of(core.course_from(course.plain))
        found.append(CourseOnIt(course.name, True, course.name in there, same, outline))
    named = {course.name for course in found}
    found += [CourseOnIt(name, False, True, False, []) for name in there if name not in named]
    return sorted(found, key=lambda each: each.name)


def send(db: Db, link: RecorderLink, wished: Sequence[str]) -> None:
    """Make the recorder hold the wished courses: sends those that it lacks or has otherwise, removes those not wished.

    InvalidError for a wished one that is neither here nor there.
    """
    here: Mapping[str, Course] = {course.name: course for course in _kept(db)}
    there = {each.name: each.sha256 for each in link.courses()}
    unknown = [name for name in wished if name not in here and name not in there]
    if unknown:
        raise InvalidError(f"There is no course “{unknown[0]}”, neither here nor on the recorder.", field="courses")
    for name, sha256 in there.items():
        if name not in wished:
            link.remove_course(name, sha256)
    for name in wished:
        if name in here and there.get(name) != course_hash(here[name].plain):
            link.write_course(here[name].plain)

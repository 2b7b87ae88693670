"""A session brought onto a course: which course it was, its path, the way driven and its laps.

Channels read: `lat`, `lon` (deg), `speed` (m/s). Event read: `beacon`. The setup may list `courses` (see `courses.course_from`) and name
the `course` driven.
"""

from __future__ import annotations

import json
from dataclasses import dataclass, replace

import numpy as np

from kumpel.core.assessment import event_key
from kumpel.core.recording import Channel, Floats, Recording, sample_times
from kumpel.core.review import Review, named
from kumpel.core.vehicle.channels import at_times, in_units
from kumpel.core.vehicle.compare import Along, along, gate_distances, way_of
from kumpel.core.vehicle.courses import (
    Course,
    Match,
    alike,
    course_from,
    find_lap,
    learn_course,
    recognise,
    turned,
)
from kumpel.core.vehicle.laps import Lap, Path, laps_from_beacons, laps_on, path_of

OTHER_WAY = 0.02
"""Share of positions against the found direction from which on laps decide which direction it was."""


@dataclass(frozen=True)
class Drive:
    """A session brought onto a course: its path, the way driven, the laps and where the course comes from.

    `origin` is "setup", "position", "learnt", "beacon" or "none"; `fits_too` names other courses that fit as well.
    """

    path: Path
    way: Floats
    course: Course | None
    origin: str
    backwards: bool
    laps: tuple[Lap, ...]
    fits_too: tuple[str, ...] = ()

    def compared(self) -> tuple[tuple[float, ...], list[Along]]:
        """Distances of the lines, and the laps that count over the course's distance."""
        laps = list(self.laps)
        gates = gate_distances(laps, self.path, self.way)
        good = [lap for lap in laps if lap.kind == "timed" and lap.counts]
        return gates, [along(self.path, self.way, lap, gates) for lap in good] if gates else []


def drive_of(recording: Recording, review: Review) -> Drive:
    """Find the course and the laps of a session.

    The course is that whose lines the reviewer chose to cut by (option `cut_by`, its plain form as JSON); else the one that the reviewer (option `course`) or the setup names, when the session fits it; else the best
    fitting one of `setup["courses"]`; else one learnt from the session itself. Events `beacon` make laps when
    there are no positions. Raises ValueError when there are neither positions, beacons nor speed.
    """
    key = f"drive on {review.options.get('course')} by {review.options.get('cut_by')}"
    found = recording.once(key, lambda: _drive_of(recording, review, _cut_by(review)))
    return replace(found, laps=tuple(_decided(list(found.laps), review)))


def _cut_by(review: Review) -> Course | None:
    plain = review.options.get("cut_by")
    return course_from(json.loads(plain)) if isinstance(plain, str) and plain else None


def drive_on(recording: Recording, review: Review, course: Course) -> Drive:
    """A session cut by the lines of a given course, to be compared with another one on it.

    Raises ValueError when it was not driven on this course, or the other way round.
    """
    found = _drive_of(recording, review, course)
    return replace(found, laps=tuple(_decided(list(found.laps), review)))


def _drive_of(recording: Recording, review: Review, given: Course | None = None) -> Drive:
    """The drive before anything is decided of its laps."""
    lat, lon, speed = (in_units(recording, k) for k in ("lat", "lon", "speed"))
    beacons = [e.at_s for e in recording.events if e.code == "beacon"]
    if lat is None or lon is None or not lat.count:
        if speed is None and not beacons:
            raise ValueError("the session has neither positions (lat, lon) nor beacons nor speed: nothing to assess")
        path = _without_positions(recording, speed)
        laps = laps_from_beacons(beacons, recording.length_s) if beacons else []
        return Drive(path, way_of(path), None, "beacon" if beacons else "none", False, tuple(laps))
    n = min(lat.count, lon.count)
    on_path = None if speed is None else _on(speed, lat.interval_s, n)
    path = path_of(lat.values[:n], lon.values[:n], lat.interval_s, on_path)
    good = ~np.isnan(path.x)
    where = (np.where(good, lat.values[:n], np.nan), np.where(good, lon.values[:n], np.nan))
    course, origin, backwards, fits_too = (
        _course(recording, review, path, *where) if given is None else _given(given, path, *where)
    )
    laps = (
        laps_on(path, course)
        if course is not None
        else laps_from_beacons(beacons, recording.length_s)
        if beacons
        else []
    )
    return Drive(
        path,
        way_of(path),
        course,
        origin if course else "beacon" if beacons else "none",
        backwards,
        tuple(laps),
        fits_too,
    )


def _without_positions(recording: Recording, speed: Channel | None) -> Path:
    if speed is None:
        return path_of(np.empty(0), np.empty(0), 1.0)
    nowhere = np.full(speed.count, np.nan)
    return path_of(nowhere, nowhere, speed.interval_s, speed.values)


def _on(channel: Channel, interval_s: float, n: int) -> Floats:
    """A channel at n samples of another interval, by linear interpolation between its samples."""
    if channel.interval_s == interval_s and channel.count == n:
        return channel.values
    return at_times(channel, sample_times(n, interval_s))


def _course(
    recording: Recording, review: Review, path: Path, lat: Floats, lon: Floats
) -> tuple[Course | None, str, bool, tuple[str, ...]]:
    listed = recording.setup.get("courses")
    courses = [course_from(c) for c in listed] if isinstance(listed, list | tuple) else []
    named = str(review.options.get("course", recording.setup.get("course", "")))
    matches = recognise(lat, lon, courses)
    chosen = next((m for m in matches if m.course.name == named), None)
    origin = "setup" if chosen else "position"
    best = chosen or (matches[0] if matches else None)
    if best is not None:
        others = () if chosen else tuple(m.course.name for m in alike(matches) if m is not best)
        backwards = _driven_backwards(path, best)
        return (turned(best.course) if backwards else best.course), origin, backwards, others
    lines = next((c for c in courses if c.name == named and len(c.lat) < 2), None)
    if lines is not None:
        return lines, "setup", False, ()
    span = find_lap(lat, lon, path.interval_s)
    if span is None:
        return None, "none", False, ()
    try:
        return learn_course("learnt course", lat[span[0] : span[1]], lon[span[0] : span[1]]), "learnt", False, ()
    except ValueError:
        return None, "none", False, ()


def _driven_backwards(path: Path, match: Match) -> bool:
    """Whether a session was driven against a course's direction: decided by whole laps or runs, only then by positions.

    A hill that is driven up against the clock and rolled down again is driven up, however long the way down takes.
    """
    if match.other_way < OTHER_WAY:
        return match.backwards
    if any(lap.kind == "timed" for lap in laps_on(path, match.course)):
        return False
    return any(lap.kind == "timed" for lap in laps_on(path, turned(match.course))) or match.backwards


def _given(course: Course, path: Path, lat: Floats, lon: Floats) -> tuple[Course | None, str, bool, tuple[str, ...]]:
    """A course that is to be cut by, as `_course` gives one. Raises ValueError when the positions do not fit it."""
    matches = recognise(lat, lon, [course])
    if not matches:
        raise ValueError(f"it was not driven on the course {course.name}")
    if _driven_backwards(path, matches[0]):
        raise ValueError(f"it was driven on {course.name} in the other direction")
    return course, "setup", False, ()


def lap_key(lap: Lap) -> str:
    """What a review names a lap by: "lap@" and its start."""
    return event_key("lap", lap.start_s)


def _decided(laps: list[Lap], review: Review) -> list[Lap]:
    """Laps that the reviewer dropped, or that a left-out stretch touches, do not count."""
    found = []
    starts = np.array([lap.start_s for lap in laps], dtype=np.float64)
    dropped, kept = (named(keys, "lap", starts, starts).tolist() for keys in (review.dropped, review.kept))
    for lap, gone, stays in zip(laps, dropped, kept, strict=True):
        touching = [s for s in review.left_out if s.start_s < lap.end_s and lap.start_s < s.end_s]
        why = "left out" if gone else touching[0].label if touching else ""
        out = bool(why) and not stays and lap.kind == "timed"
        found.append(replace(lap, counts=False, why=why) if out else lap)
    return found


def learnt_from(recording: Recording, review: Review, number: int, name: str) -> Course:
    """A course from the positions of one driven lap. Raises ValueError when there is no such lap, or it makes no course."""
    lap = next((each for each in drive_of(recording, review).laps if each.number == number), None)
    lat, lon = in_units(recording, "lat"), in_units(recording, "lon")
    if lap is None or lat is None or lon is None:
        raise ValueError("there is no such lap with positions")
    part = slice(round(lap.start_s / lat.interval_s), round(lap.end_s / lat.interval_s) + 1)
    return learn_course(name, lat.values[part], lon.values[part])

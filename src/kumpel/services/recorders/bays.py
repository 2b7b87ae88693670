"""What is on the recorders in reach, and where each of their sessions stands here."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from typing import Any

from sqlmodel import Session as Db
from sqlmodel import col, or_, select

from kumpel.kinds.registry import KINDS
from kumpel.services.ground.tags import tags_of
from kumpel.services.recorders.recorders import in_reach
from kumpel.store.database import among, without
from kumpel.store.tables import HandOver, Person, Recorder, Session, Team, now

Known = dict[tuple[str, str, str], Session]
"""Sessions that are here, by the serial number of what recorded them, their name on it and the hash of their content."""

CLOCKS_APART = timedelta(minutes=10)
"""By so much the clock of a recorder may be slow and a session that it began after its hand-over still counts as begun after it."""

NOT_HERE = ("new", "arriving")
"""Standings of sessions whose only whole copy is on the recorder: half of one here is none."""


@dataclass(frozen=True)
class InBay:
    """A session on a recorder, and where it stands here: new, arriving, stored, aside, deleted, recording or unreadable."""

    recorder_session: str
    start: datetime
    length_s: float
    size: int
    about: str
    standing: str
    too_short: bool
    session_id: int | None
    received: int
    trouble: str
    tags: dict[str, str]
    may_clear: bool
    kind: str
    person: str
    """Whose it is, or will be by the slip; empty: nobody's yet."""
    team: str
    transfer_s: float | None
    """How long reading what is left of it takes, where the recorder says how fast its link is."""
    figures: str
    verdict: str
    key_figure: str
    clock_error_s: float | None
    """How wrong the recorder's clock was when it was taken in."""
    clock_shift_s: float
    """By how much it was moved since."""
    signed: bool
    to_clear: bool
    """It is to be removed on the recorder, as was wished with taking it in, and is there yet."""
    nth: int
    """Which recording of its recorder on its day it is, from 1, those that were cleared there counted in; 0: too short to count."""
    of_day: int


@dataclass(frozen=True)
class Bay:
    """A recorder with what is on it and who had it."""

    recorder: Recorder
    holder: Person | None
    since: datetime | None
    tags: dict[str, str]
    sessions: list[InBay]

    @property
    def not_taken_in(self) -> int:
        """How many sessions worth taking in are not here whole."""
        return sum(f.standing in NOT_HERE and not f.too_short for f in self.sessions)


def standing_of(listed: dict[str, Any], known: Session | None) -> str:
    if listed.get("trouble"):
        return "unreadable"
    if not listed["complete"]:
        return "recording"
    if known is None:
        return "new"
    if known.deleted_at is not None:
        return "deleted"
    if known.state == "arriving":
        return "arriving"
    return "aside" if known.aside else "stored"


def bays(db: Db) -> list[Bay]:
    """Every recorder in reach with its sessions; the rest is in the recorders' register."""
    here = in_reach(db)
    known = _known(db, here)
    tags = tags_of(db, [session.id for session in known.values()])
    given = _given(db, here)
    people = _people(
        db,
        [slip.person_id for slips in given.values() for slip in slips]
        + [session.person_id for session in known.values() if session.person_id]
        + [session.wish["person_id"] for session in known.values() if session.wish.get("person_id")],
    )
    stored = _stored(db, here)
    teams = {team.id: team.name for team in db.exec(select(Team)).all()}
    found = []
    for recorder in here:
        slips = given.get(recorder.id or 0, [])
        out = next((slip for slip in slips if slip.returned_at is None), None)
        said = KINDS[recorder.kind].said(recorder.setup) if recorder.kind in KINDS else {}
        about = _About(known, tags, people, teams, slips, out, said)
        days = _Days.of(recorder, stored)
        sessions = [_found(recorder, listed, about, days) for listed in recorder.inventory]
        holder = people[out.person_id] if out else None
        found.append(Bay(recorder, holder, out.given_at if out else None, said | (out.tags if out else {}), sessions))
    return found


def new_count(db: Db) -> int:
    """How many sessions on recorders in reach were not taken in."""
    here = in_reach(db)
    known = _known(db, here)
    return sum(len(_standing(recorder, known, ("new",))) for recorder in here)


def not_taken_in(db: Db, recorders: Sequence[Recorder]) -> dict[str, int]:
    """How many sessions worth taking in are on each recorder and not here whole, by serial number."""
    known = _known(db, recorders)
    found = {}
    for each in recorders:
        left = _standing(each, known, NOT_HERE)
        found[each.serial] = sum(listed["length_s"] >= _shortest_s(each) for listed in left)
    return found


def worth_taking_in(db: Db, recorder: Recorder) -> list[str]:
    """The names of what is new on a recorder, whole, and long enough to count."""
    new = _standing(recorder, _known(db, [recorder]), ("new",))
    return [listed["id"] for listed in new if listed["sha256"] and listed["length_s"] >= _shortest_s(recorder)]


def _standing(recorder: Recorder, known: Known, standings: Sequence[str]) -> list[dict[str, Any]]:
    """What is listed on a recorder and has one of these standings here."""
    return [
        listed for listed in recorder.inventory if standing_of(listed, known.get(_key(recorder, listed))) in standings
    ]


def made_by(recorder: Recorder, listed: dict[str, Any]) -> str:
    """Serial number of what recorded a listed session: on a stick it may be another recorder."""
    return listed.get("serial") or recorder.serial


def _key(recorder: Recorder, listed: dict[str, Any]) -> tuple[str, str, str]:
    return made_by(recorder, listed), listed["id"], listed["sha256"] or ""


def _known(db: Db, recorders: Sequence[Recorder]) -> Known:
    """What is here of the recorders, in one question."""
    keys = [_key(recorder, listed) for recorder in recorders for listed in recorder.inventory]
    mine = select(Session).where(
        col(Session.serial).in_({serial for serial, _, _ in keys}),
        col(Session.recorder_session).in_({name for _, name, _ in keys}),
    )
    rows = db.exec(mine.options(*without(Session.head))).all()
    return {(s.serial, s.recorder_session, s.sha256.hex()): s for s in rows}


Starts = dict[tuple[str, str], datetime]
"""When recordings began, by the serial number of what made them and their name there."""


def _stored(db: Db, recorders: Sequence[Recorder]) -> Starts:
    """When what was taken in began, since the first day of which something is still listed."""
    begun = [listed["start"] for recorder in recorders for listed in recorder.inventory]
    if not begun:
        return {}
    mine = select(Session.serial, Session.recorder_session, Session.started_at).where(
        col(Session.serial).in_({made_by(recorder, listed) for recorder in recorders for listed in recorder.inventory}),
        Session.started_at >= datetime.fromtimestamp(min(begun), UTC) - timedelta(days=1),
        Session.state == "stored",
        Session.aside == "",
        col(Session.deleted_at).is_(None),
    )
    return {(serial, name): started_at for serial, name, started_at in db.exec(mine).all()}


@dataclass(frozen=True)
class _Days:
    """When recordings began, by what made them (on a stick that may be several) and the day on its clock."""

    starts: dict[tuple[str, date], list[datetime]]
    offset: timedelta

    @classmethod
    def of(cls, recorder: Recorder, stored: Starts) -> _Days:
        serials = {made_by(recorder, each) for each in recorder.inventory}
        listed = {
            (made_by(recorder, each), each["id"]): datetime.fromtimestamp(each["start"], UTC)
            for each in recorder.inventory
            if each["length_s"] >= _shortest_s(recorder) or not each["complete"]
        }
        offset = timedelta(minutes=recorder.status.get("utc_offset_min", 0))
        here = {key: start for key, start in stored.items() if key[0] in serials}
        starts: dict[tuple[str, date], list[datetime]] = {}
        for (serial, _), start in sorted((here | listed).items(), key=lambda each: each[1]):
            starts.setdefault((serial, (start + offset).date()), []).append(start)
        return cls(starts, offset)

    def place(self, serial: str, start: datetime) -> tuple[int, int]:
        """Which one of its day a recording is, and of how many."""
        mine = self.starts.get((serial, (start + self.offset).date()), [])
        at = bisect_left(mine, start)
        return (at + 1 if at < len(mine) and mine[at] == start else 0), len(mine)


def _given(db: Db, recorders: Sequence[Recorder]) -> dict[int, list[HandOver]]:
    """The hand-overs that the sessions listed on each recorder may have come of, the newest first."""
    begun = [listed["start"] for recorder in recorders for listed in recorder.inventory]
    oldest = datetime.fromtimestamp(min(begun), UTC) if begun else now()
    mine = select(HandOver).where(
        among(col(HandOver.recorder_id), [r.id for r in recorders]),
        or_(col(HandOver.returned_at).is_(None), col(HandOver.returned_at) >= oldest),
    )
    found: dict[int, list[HandOver]] = {}
    for given in db.exec(mine.order_by(col(HandOver.given_at).desc())).all():
        found.setdefault(given.recorder_id, []).append(given)
    return found


def _people(db: Db, ids: Sequence[int]) -> dict[int, Person]:
    return {person.id or 0: person for person in db.exec(select(Person).where(among(col(Person.id), ids))).all()}


def _shortest_s(recorder: Recorder) -> float:
    return KINDS[recorder.kind].shortest_s if recorder.kind in KINDS else 0.0


@dataclass(frozen=True)
class _About:
    """What is known of the sessions on a recorder: what is here, its tags and people; who had the recorder when."""

    known: Known
    tags: dict[int, dict[str, str]]
    people: dict[int, Person]
    teams: dict[int | None, str]
    slips: list[HandOver]
    out: HandOver | None
    said: dict[str, str]

    def slip(self, start: datetime) -> HandOver | None:
        """The hand-over that a session came of, by its time: the recording itself names it once it is read."""
        for given in self.slips:
            if given.given_at - CLOCKS_APART <= start and (given.returned_at is None or start <= given.returned_at):
                return given
        return self.out

    def person(self, session: Session | None, slip: HandOver | None) -> Person | None:
        held = self.people.get(slip.person_id) if slip else None
        if session is None:
            return held
        if session.state != "arriving":
            return self.people.get(session.person_id or 0)
        if session.wish.get("unclaimed"):
            return None
        return self.people.get(session.wish["person_id"]) if session.wish.get("person_id") else held


def _found(recorder: Recorder, listed: dict[str, Any], about: _About, days: _Days) -> InBay:
    session = about.known.get(_key(recorder, listed))
    standing = standing_of(listed, session)
    start = datetime.fromtimestamp(listed["start"], UTC)
    slip = about.slip(start)
    person = about.person(session, slip)
    received = session.received if session else 0
    rate = recorder.status.get("link", {}).get("bytes_per_s")
    left = max(listed["size"] - received, 0)
    return InBay(
        listed["id"],
        start,
        listed["length_s"],
        listed["size"],
        listed["about"],
        standing,
        listed["length_s"] < _shortest_s(recorder),
        session.id if session else None,
        received,
        session.trouble if session else listed.get("trouble", ""),
        (about.tags.get(session.id or 0) or session.wish.get("tags") if session else None)
        or about.said | (slip.tags if slip else {}),
        standing in ("stored", "aside", "deleted") and session is not None and session.purged_at is None,
        listed.get("kind") or recorder.kind,
        person.name if person else "",
        about.teams.get(person.team_id, "") if person else "",
        left / rate if rate and standing in NOT_HERE else None,
        session.figures if session and session.state == "stored" else "",
        session.verdict if session else "",
        session.key_figure if session else "",
        session.clock_error_s if session else None,
        session.clock_shift_s if session else 0.0,
        session is not None and session.signed_at is not None,
        session is not None and session.state == "stored" and bool(session.wish.get("clear_after")),
        *days.place(made_by(recorder, listed), start),
    )

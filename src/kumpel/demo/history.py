"""Loading Tarnfels: people, recorders, three months of history, a shift that has just ended."""

from __future__ import annotations

import itertools
import zlib
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
from sqlmodel import Session as Db
from sqlmodel import select

from kumpel.demo import clinic, other_kinds, stick, yard_register
from kumpel.demo.people import LOGIN, NOISE_WEARERS, OFFICER, PASSWORD, PLACES, STANDS_IN, TEAMS, team_of
from kumpel.demo.recorders import METERS, RECORDERS
from kumpel.kinds.noise import NoiseSetup
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import accounts, figures, settings
from kumpel.services.ground.people import create_person
from kumpel.services.groups import kept as groups
from kumpel.services.groups.kept import GroupWish
from kumpel.services.plan import rules as plan_rules
from kumpel.services.plan.rules import MEDICINE
from kumpel.services.plan.rules import Wish as RuleWish
from kumpel.services.report import conclusions, reports
from kumpel.services.review import interventions
from kumpel.services.take_in import take_in
from kumpel.standins.devices import DEVICES
from kumpel.standins.devices.noise import make_file
from kumpel.store.tables import Account, HandOver, Person, Recorder, Session, Setup, now

AWAY = Recorder(serial="NM-000105", kind="noise", token="N-05", name="Noise meter 5", model="NM-1", firmware="1.3.2")
CONCLUSIONS = {
    "within": "Within the lower action value. No measure needed; next measurement in a year.",
    "action level reached": "Hearing protection offered and information given. Look at the loud task again.",
    "above limit": "Hearing protection worn as ordered. The loud task brings most of the dose; a damped tool is on order.",
    "not assessable": "Too short to stand for the day. Repeat.",
}


def local_offset() -> int:
    return int((datetime.now().astimezone().utcoffset() or timedelta()).total_seconds() // 60)


def last_early_shift() -> datetime:
    """Start (06:04 local) of the last early shift that has ended."""
    local = datetime.now().astimezone()
    start = local.replace(hour=6, minute=4, second=12, microsecond=0)
    return start if local - start > timedelta(hours=8) else start - timedelta(days=1)


def load_first(db: Db) -> None:
    """What the first screen needs: an account, people, recorders, the yard. Everything is seeded; only the dates move with today."""
    account = accounts.create_account(db, LOGIN, OFFICER, PASSWORD, "administrator")
    settings.keep(db, settings.NAME.key, "site", "", "Tarnfels mine and works clinic", 0, account.id)
    settings.keep(db, settings.ADDRESS.key, "site", "", "Shaft road 4\n9911 Tarnfels", 0, account.id)
    number = 401
    for team, names in TEAMS.items():
        for name in names:
            seed = zlib.crc32(name.encode())
            born = datetime(1960 + seed % 44, 1 + seed // 44 % 12, 1 + seed // 528 % 28).date()
            create_person(db, name, number=f"TF-{number:04d}", team=team, born=born)
            number += 1
    for place, team in STANDS_IN.items():
        create_person(db, place, team=team, is_place=True)
    for each in RECORDERS:
        device = DEVICES[each.kind]
        db.add(
            Recorder(
                serial=each.serial,
                kind=each.kind,
                token=each.token,
                name=each.name,
                model=device.model,
                firmware=device.firmware,
                keeps_one=device.keeps_one,
            )
        )
    db.add(Recorder(**AWAY.model_dump(exclude={"id"}) | {"seen_at": now() - timedelta(days=3, hours=2)}))
    db.commit()
    yard_register.put(db, account.id)
    stick.put(db, account.id)


def load_behind(db: Db, amount: Callable[[int, int], None] = lambda done, of: None) -> None:
    """The sessions of three months, of every kind; `amount` is told how many of how many there are."""
    who = db.exec(select(Account.id).where(Account.login == LOGIN)).one()
    shifts = _shifts()
    assert who is not None
    of = other_kinds.COUNT + clinic.COUNT + len(shifts)
    steps = itertools.chain(
        other_kinds.load(db, who, local_offset()), clinic.load(db, who, local_offset()), _history(db, who, shifts)
    )
    for done, _ in enumerate(steps, 1):
        amount(done, of)
    _changes(db, who)


def _changes(db: Db, who: int) -> None:
    """What was changed in these months, so that it stands through the lanes of whoever it touches; and who is looked at together."""
    today = last_early_shift().date()
    for days, words, team, place in (
        (31, "new liner at the crusher", "", "crusher hall"),
        (58, "bagging moved indoors", "Mill", ""),
    ):
        interventions.note(db, interventions.Wish(today - timedelta(days=days), words, None, team, place), who)
    since = today - timedelta(days=45)
    groups.create(db, "Crusher hall operators", "noise", GroupWish(team="Crusher hall", since=since), who)
    for wish in (
        RuleWish("noise", 365, 3, "Crusher hall", starts=today - timedelta(days=340)),
        RuleWish("noise", 730, 2, "Mill", starts=today - timedelta(days=700)),
        RuleWish("blood_pressure", 42, team="Works clinic", after=MEDICINE, starts=today - timedelta(days=400)),
        RuleWish("training", 28, team="Rescue squad", starts=today - timedelta(days=30)),
        RuleWish("gas", 91, 1, "Blasting crew", starts=today - timedelta(days=75)),
    ):
        plan_rules.make(db, wish, today, who)
    groups.create(db, "Bagging and mill floor, dust", "dust", GroupWish(team="", place="mill"), who)


@dataclass(frozen=True)
class _Shift:
    """A shift with a noise meter, so many weeks ago."""

    week: int
    index: int
    name: str
    start: datetime
    length_s: int
    wish: dict[str, Any]


def _shifts() -> list[_Shift]:
    rng = np.random.default_rng(20)
    found = []
    day = last_early_shift()
    for week in range(12, -1, -1):
        for index, (name, (_, base, loud)) in enumerate(NOISE_WEARERS.items()):
            start = _working_day(day - timedelta(days=week * 7 + 1 + index % 4))
            if rng.random() < 0.22:
                continue
            improved = 1.5 if week < 4 and name == "Oskar Nyland" else 0.0
            wish = {"seed": int(rng.integers(1, 2**31)), "base_db": base, "loud_db": loud - improved}
            if week == 0 and name == "Hamid Sorush":
                wish["worn_s"] = 3 * 3600 + 300  # carried for three of eight hours
            if week == 1 and name == "Tomas Ek":
                wish["drift_db"] = 0.8
            length = int(wish.get("worn_s", rng.integers(27_000, 28_500)))
            found.append(_Shift(week, index, name, start, length, wish))
    return found


def _working_day(start: datetime) -> datetime:
    """The day itself, else the Friday before it: whatever day today is, everybody who wears a meter was measured."""
    return start - timedelta(days=max(start.weekday() - 4, 0))


def _history(db: Db, who: int, shifts: Sequence[_Shift]) -> Iterator[Session]:
    wearers = {p.name: p for p in db.exec(select(Person)).all() if p.name in NOISE_WEARERS}
    for each in shifts:
        task = NOISE_WEARERS[each.name][0]
        session = _worn(db, wearers[each.name], METERS[each.index % 4], each.start, each.length_s, each.wish, task, who)
        if each.week >= 2:
            _sign(db, session, who, issue=each.week >= 3)
        yield session


def _worn(
    db: Db, person: Person, meter: Any, start: datetime, length: int, wish: dict[str, Any], task: str, who: int | None
) -> Session:
    """One past hand-over with its session, taken in as a file."""
    recorder = db.exec(select(Recorder).where(Recorder.serial == meter.serial)).one()
    tags = {"shift": "early, 8 h", "place": PLACES[team_of(person.name)], "task": task}
    setup = Setup(kind="noise", name="Full shift", settings=NoiseSetup().model_dump(mode="json"), made_by=who)
    db.add(setup)
    db.flush()
    assert recorder.id is not None and person.id is not None and setup.id is not None
    given = HandOver(
        recorder_id=recorder.id,
        person_id=person.id,
        setup_id=setup.id,
        given_by=who,
        given_at=start - timedelta(minutes=9),
        expected_at=start + timedelta(hours=8),
        returned_at=start + timedelta(hours=8, minutes=10),
        tags=tags,
    )
    db.add(given)
    db.commit()
    head = {
        "session": f"{meter.serial}-H{start:%y%m%d}{person.id:03d}",
        "start": start.timestamp(),
        "utc_offset_min": local_offset(),
        "length_s": length,
        "setup": setup.settings,
        "slip": {"hand_over": str(given.id)},
        "recorder": {
            "serial": meter.serial,
            "name": meter.name,
            "token": meter.token,
            "model": "NM-1",
            "firmware": "1.4.0",
        },
    }
    session = take_in.from_file(db, make_file(head, wish), who)
    session.clock_error_s = 0.4
    figures.assess(db, session)
    db.commit()
    return session


def _sign(db: Db, session: Session, who: int | None, issue: bool) -> None:
    assert session.id is not None and who is not None
    conclusions.conclude(db, session.id, CONCLUSIONS[session.verdict], who)
    when = min(session.started_at + timedelta(days=1, hours=3), datetime.now(UTC))
    conclusions.sign(db, session.id, session.review_version, who, at=when)
    if issue:
        reports.issue(db, session.id, reports.Options(KINDS["noise"].one_page), who)

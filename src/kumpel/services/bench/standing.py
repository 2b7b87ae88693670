"""The bench as it stands: recorders in reach that can be checked, what is due on each, what is at work, and whatever else is due."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.check_rules import FactorTrend, factor_trend
from kumpel.kinds.bench import BenchCheck
from kumpel.kinds.registry import KINDS
from kumpel.services.bench import running
from kumpel.services.bench.concerned import Asked, asked
from kumpel.services.ground import sensor_checks
from kumpel.services.ground.carriers import carriers
from kumpel.services.ground.sensor_checks import Standing
from kumpel.store.database import among
from kumpel.store.tables import BenchRun, HandOver, Person, Recorder, SensorCheck, now

SOON = timedelta(days=14)
SPAN = "span"
MOST_FACTORS = 8


@dataclass(frozen=True)
class Bay:
    """A recorder in reach, the checks it can have, what is due of them, and the newest run of the last hours."""

    recorder: Recorder
    holder: str
    checks: tuple[BenchCheck, ...]
    due: tuple[Standing, ...]
    run: BenchRun | None


@dataclass(frozen=True)
class DueRow:
    """Something that is due, or will be soon, wherever its recorder is."""

    recorder: Recorder
    holder: str
    standing: Standing


@dataclass(frozen=True)
class Drift:
    """The span factor of a sensor over its life: when and what, and where it goes."""

    sensor: str
    serial: str
    days: list[float]
    factors: list[float]
    trend: FactorTrend | None


def bays(db: Db) -> tuple[list[Bay], list[DueRow], list[Asked]]:
    """The recorders that can be checked here now, everything that is due, the most urgent first, and what asks for a decision."""
    kinds = [kind.key for kind in KINDS.values() if kind.bench]
    rows = db.exec(
        select(Recorder, Person.name)
        .outerjoin(HandOver, (col(HandOver.recorder_id) == Recorder.id) & col(HandOver.returned_at).is_(None))
        .outerjoin(Person, col(HandOver.person_id) == Person.id)
        .where(col(Recorder.kind).in_(kinds))
        .order_by(col(Recorder.token))
    ).all()
    ids = [recorder.id or 0 for recorder, _ in rows]
    made: dict[int, list[SensorCheck]] = {each: [] for each in ids}
    for check in db.exec(select(SensorCheck).where(among(col(SensorCheck.recorder_id), ids))).all():
        made[check.recorder_id].append(check)
    days = carriers().check_days(db, [recorder for recorder, _ in rows])
    runs = running.newest(db, ids)
    found, due, asks = [], [], []
    for recorder, name in rows:
        key, holder = recorder.id or 0, name or ""
        standings = sensor_checks.standings(recorder, made[key], days=days.get(key))
        late = tuple(s for s in standings if s.state != "right")
        if recorder.in_reach and recorder.status.get("mode") != "recording":
            found.append(Bay(recorder, holder, KINDS[recorder.kind].bench, late, runs.get(key)))
        asks += asked(db, recorder, made[key])
        due += [DueRow(recorder, holder, s) for s in standings if s.state != "right" or _is_near(s)]
    order = {"failed": 0, "overdue": 1, "never": 2, "right": 3}
    due.sort(key=lambda row: (order[row.standing.state], row.standing.due_at or now(), row.recorder.token))
    return found, due, asks


def _is_near(standing: Standing) -> bool:
    """Whether something is due soon: within two weeks, of what is made more often within a quarter of its time."""
    if standing.due_at is None or standing.at is None:
        return False
    return standing.due_at - now() < min(SOON, (standing.due_at - standing.at) / 4)


def drifts(db: Db, recorder_id: int) -> list[Drift]:
    """The span factors of each sensor since it was put in, the last few; a sensor of another serial number begins anew."""
    rows = db.exec(
        select(SensorCheck)
        .where(SensorCheck.recorder_id == recorder_id, SensorCheck.what == SPAN, col(SensorCheck.factor).is_not(None))
        .order_by(col(SensorCheck.at))
    ).all()
    by: dict[tuple[str, str], list[SensorCheck]] = {}
    for row in rows:
        by.setdefault((row.sensor, row.serial), []).append(row)
    newest: dict[str, str] = {}
    for sensor, serial in by:
        newest[sensor] = serial
    found = []
    for (sensor, serial), of in by.items():
        if newest[sensor] != serial:
            continue
        last = of[-MOST_FACTORS:]
        days = [(row.at - last[0].at).total_seconds() / 86_400 for row in last]
        factors = [float(row.factor or 0.0) for row in last]
        # Each factor is what a reading is multiplied by since: over its life they multiply.
        for i in range(1, len(factors)):
            factors[i] = round(factors[i] * factors[i - 1], 6)
        found.append(Drift(sensor, serial, days, factors, factor_trend(days, factors)))
    return found

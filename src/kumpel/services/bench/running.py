"""Checks at work: a recorder's sensors one after the other, several recorders side by side; each result is kept when it is read."""

from __future__ import annotations

import logging
import math
import threading
import time
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

import sqlalchemy
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.exc import IntegrityError, SQLAlchemyError
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.check_rules import judge, judge_factor
from kumpel.kinds.bench import BenchCheck, BenchSensor
from kumpel.kinds.registry import kind_of
from kumpel.link.abilities import CheckMade
from kumpel.link.errors import LinkError
from kumpel.link.messages import Mode
from kumpel.services.bench import certificates, references
from kumpel.services.ground import deeds, doubts
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError, ProblemError
from kumpel.services.recorders.live_values import talk_to
from kumpel.services.recorders.recorders import recorder_of
from kumpel.store.database import engine, tell
from kumpel.store.tables import BenchRun, Recorder, Reference, SensorCheck, metadata, now

log = logging.getLogger("kumpel.bench")
WAITS, RUNS, PASSED, FAILED, SKIPPED = "waits", "runs", "passed", "failed", "no result"
LOOKS_S, SPARE_S = 0.5, 15.0
BEATS_S, DEAD_S = 5.0, 30.0
"""A run says so often that it is at work; of one that has not for so long the process has ended."""
FORGOTTEN = timedelta(hours=2)
"""One that somebody goes through by hand and has not gone on with for so long is over."""
MOST_AT_ONCE = 16
RUNNING, DONE, STOPPED, BROKEN = "running", "done", "stopped", "broken"


@dataclass(frozen=True)
class Begun:
    """What was begun, and of which recorders not, with why."""

    runs: list[BenchRun]
    refused: dict[int, str]


def check_word(recorder: Recorder, what: str) -> BenchCheck:
    """The check of a kind. InvalidError when it has none such."""
    word = next((each for each in kind_of(recorder.kind).bench if each.key == what), None)
    if word is None:
        raise InvalidError(f"{recorder.token}: there is no check “{what}” at the bench for it.", field="what")
    return word


def begin(db: Db, url: str, recorder_ids: Sequence[int], what: str, reference_id: int | None, who: int | None) -> Begun:
    """Begin a check of recorders, side by side. What stands against one is said, and stops none of the others."""
    if len(recorder_ids) > MOST_AT_ONCE:
        raise InvalidError(f"At most {MOST_AT_ONCE} recorders at a time.")
    found = Begun([], {})
    for recorder_id in dict.fromkeys(recorder_ids):
        try:
            found.runs.append(_begun(db, recorder_id, what, reference_id, who))
        except ProblemError as problem:
            db.rollback()
            found.refused[recorder_id] = problem.detail
    for run in found.runs:
        if is_guided(run):
            continue  # It goes on with every reading that somebody asks for.
        threading.Thread(target=_work, args=(url, run.id), name=f"bench {run.id}", daemon=True).start()
    return found


def _begun(db: Db, recorder_id: int, what: str, reference_id: int | None, who: int | None) -> BenchRun:
    recorder = recorder_of(db, recorder_id)
    deeds.ask(db, "check begun", Whom("recorder", recorder_id))
    word = check_word(recorder, what)
    if not recorder.in_reach:
        raise ConflictError(f"{recorder.token} is not in reach.", code="away")
    held = _references(db, recorder, word, reference_id)
    rows = []
    for sensor in word.sensors(recorder.setup):
        reference = next((each for each in held if sensor.key in each.holds), None)
        if word.steady is not None:
            rows.append(_row(sensor, reference) | {"by_hand": True, "reference": held[0].id if held else None})
        elif sensor.applied is not None or reference is not None:
            rows.append(_row(sensor, reference))
    if not rows:
        raise ConflictError(f"{recorder.token}: none of its sensors is in {held[0].name if held else 'reach'}.")
    # Sensor by sensor through one bottle, then the next.
    rows.sort(key=lambda row: [each.id for each in held].index(row["reference"]) if row["reference"] else -1)
    run = BenchRun(
        recorder_id=recorder_id, what=what, reference_id=held[0].id if held else None, rows=rows, made_by=who
    )
    db.add(run)
    token = recorder.token
    try:
        db.flush()
    except IntegrityError as error:
        raise ConflictError(f"{token} is being checked already.", code="checking") from error
    deeds.keep(db, "check begun", Whom("recorder", recorder_id), after={"what": what})
    tell(db, "bench", run=run.id)
    db.commit()
    return run


def is_guided(run: BenchRun) -> bool:
    """Whether somebody goes through it step by step."""
    return any(row.get("by_hand") for row in run.rows)


def _references(db: Db, recorder: Recorder, word: BenchCheck, reference_id: int | None) -> list[Reference]:
    """The one that was named, else all that can be used for any of its sensors."""
    if not word.needs:
        return []
    if reference_id is not None:
        row = db.get(Reference, reference_id)
        if row is None or row.removed_at is not None or row.what != word.needs:
            raise NotFoundError("This reference is not on the register (any more).")
        if wrong := references.wrong_with(row):
            raise ConflictError(f"Nothing is checked with it: {wrong}.", code="reference")
        return [row]
    sensors = [sensor.key for sensor in word.sensors(recorder.setup)]
    found = references.usable(references.all_of(db), word.needs, sensors)
    if not found:
        raise ConflictError(
            f"{recorder.token}: no reference that can be used for it is on the register. Add one, or see which has expired.",
            code="no-reference",
        )
    return found


def _row(sensor: BenchSensor, reference: Reference | None) -> dict[str, Any]:
    applied = sensor.applied if sensor.applied is not None else (reference.holds[sensor.key] if reference else None)
    return {
        "sensor": sensor.key,
        "label": sensor.label,
        "channel": sensor.channel,
        "do": sensor.do,
        "by_hand": False,
        "unit": sensor.unit,
        "decimals": sensor.decimals,
        "applied": applied,
        "reference": reference.id if reference and sensor.applied is None else None,
        "before": None,
        "after": None,
        "factor": None,
        "serial": "",
        "check": None,
        "state": WAITS,
        "words": "",
        "seconds": None,
    }


def stop(db: Db, run_id: int) -> BenchRun:
    """End a run after the sensor that is at work: what was read before stays."""
    run = db.get(BenchRun, run_id)
    if run is None:
        raise NotFoundError("This check is not on record.")
    deeds.ask(db, "check stopped", Whom("recorder", run.recorder_id))
    run.stop = True
    db.add(run)
    if is_guided(run) and run.state == RUNNING:
        close(db, run, STOPPED, "stopped by hand")
    db.commit()
    return run


def newest(db: Db, recorder_ids: Sequence[int], within: timedelta = timedelta(hours=12)) -> dict[int, BenchRun]:
    """The newest run of each recorder, of the last hours; one whose process has ended is broken."""
    rows = db.exec(
        select(BenchRun)
        .where(col(BenchRun.recorder_id).in_(list(recorder_ids)), BenchRun.began_at > now() - within)
        .order_by(col(BenchRun.id))
    ).all()
    for row in rows:
        if row.state == RUNNING and is_guided(row) and row.beat_at < now() - FORGOTTEN:
            close(db, row, BROKEN, "nobody went on with it; what was not read has no result")
            db.commit()
        elif row.state == RUNNING and not is_guided(row) and row.beat_at < now() - timedelta(seconds=DEAD_S):
            _end(row, BROKEN, "the server ended in the middle; what was not read has no result, repeat it")
            db.add(row)
            db.commit()
    return {row.recorder_id: row for row in rows}


def _end(run: BenchRun, state: str, trouble: str = "") -> None:
    run.rows = [
        row | ({"state": SKIPPED, "words": "", "seconds": None} if row["state"] in (WAITS, RUNS) else {})
        for row in run.rows
    ]
    run.state, run.trouble, run.ended_at = state, trouble[:400], now()


def _work(url: str, run_id: int | None) -> None:
    """A run from its first sensor to its certificate."""
    try:
        with Db(engine(url), expire_on_commit=False) as db:
            run = db.get_one(BenchRun, run_id)
            deeds.work_for(db, run.made_by)
            _checked(db, run)
    except Exception:
        # A database that is away for longer leaves it to `newest`: a run that says nothing any more is broken.
        log.exception("a check at the bench ended")
        with suppress(SQLAlchemyError), Db(engine(url)) as db:
            run = db.get_one(BenchRun, run_id)
            _end(run, BROKEN, "it could not go on; what is wrong stands in the log of the server")
            db.add(run)
            db.commit()


def _checked(db: Db, run: BenchRun) -> None:
    recorder = recorder_of(db, run.recorder_id)
    word = check_word(recorder, run.what)
    trouble, state = "", DONE
    for n in range(len(run.rows)):
        db.refresh(run, ["stop"])
        if run.stop:
            state, trouble = STOPPED, "stopped by hand"
            break
        try:
            with talk_to(db, recorder) as link:
                seconds = link.check(run.what, run.rows[n]["sensor"], run.rows[n]["applied"])
                _put(db, run, n, state=RUNS, seconds=seconds)
                made = _wait(db, run, n, link, seconds)
        except (ProblemError, LinkError) as error:
            state = BROKEN
            trouble = (
                f"{recorder.token} was lost while {run.rows[n]['label']} was checked ({error}): no result, repeat it"
            )
            break
        if made is None:
            state, trouble = BROKEN, f"{run.rows[n]['label']}: the recorder told no result; repeat it"
            break
        held = run.rows[n]["reference"]
        reference = db.get(Reference, held) if held else None
        if reference is not None and not _one_less(db, reference):
            state, trouble = BROKEN, f"{reference.name} is empty: {run.rows[n]['label']} has no result"
            break
        keep_result(db, run, n, recorder, word, reference, made)
    close(db, run, state, trouble)
    db.commit()


def close(db: Db, run: BenchRun, state: str, trouble: str = "") -> None:
    """End a run with its certificate. The caller commits."""
    recorder = recorder_of(db, run.recorder_id)
    _end(run, state, trouble)
    db.add(run)
    certificates.issue(db, run, recorder, check_word(recorder, run.what))
    tell(db, "bench", run=run.id)
    tell(db, "recorders")


def _put(db: Db, run: BenchRun, n: int, **changes: Any) -> None:
    run.rows = [row | changes if i == n else row for i, row in enumerate(run.rows)]
    run.beat_at = now()
    db.add(run)
    tell(db, "bench", run=run.id)
    db.commit()


def _wait(db: Db, run: BenchRun, n: int, link: Any, seconds: float) -> CheckMade | None:
    """The recorder's own result, once it has come to it; None where it tells none."""
    ends, beat = time.monotonic() + seconds + SPARE_S, time.monotonic()
    began = datetime.now(UTC)
    while time.monotonic() < ends:
        time.sleep(LOOKS_S)
        if time.monotonic() - beat > BEATS_S:
            beat = time.monotonic()
            left = max(seconds - (datetime.now(UTC) - began).total_seconds(), 0.0)
            _put(db, run, n, seconds=round(left))
        if link.status().mode == Mode.CHECKING:
            continue
        first = next(iter(link.checks()), None)
        same = first is not None and (first.check, first.sensor) == (run.what, run.rows[n]["sensor"])
        return first if same else None
    return None


def _one_less(db: Db, reference: Reference) -> bool:
    """Takes one test out of a bottle; says whether there was one."""
    if reference.left is None:
        return True
    table = metadata.tables["reference"]
    taken = db.connection().execute(
        sqlalchemy.update(table).where(table.c.id == reference.id, table.c.left > 0).values({"left": table.c.left - 1})
    )
    db.commit()
    return taken.rowcount == 1


_NOT_MADE = {
    "id",
    "recorder_id",
    "what",
    "sensor",
    "at",
    "points",
    "certificate",
    "follows",
    "follows_why",
    "follows_by",
}
"""Of a check what its place says, and what is never told by the making of it."""


def keep_result(
    db: Db, run: BenchRun, n: int, recorder: Recorder, word: BenchCheck, reference: Reference | None, made: CheckMade
) -> None:
    """Keep what was read: judged here, by what the source allows; the recorder's own no stands."""
    row = run.rows[n]
    read = math.nan if made.read is None else made.read
    judged = judge(word.allowed, float(row["applied"] or 0.0), read, int(row["decimals"]))
    if judged.passed and made.adjusted and made.factor is not None:
        judged = judge_factor(made.factor)
    passed = judged.passed and made.passed
    words = judged.words if judged.passed == made.passed or not judged.passed else "the recorder itself says it failed"
    at = datetime.fromtimestamp(round(made.at, 3), UTC)
    days = _days(recorder, word, row["sensor"])
    due_at = at + timedelta(days=days) if days and passed else None
    row_made = SensorCheck(
        recorder_id=recorder.id or 0,
        what=run.what,
        sensor=row["sensor"],
        at=at,
        applied=made.applied,
        before=made.before,
        read=made.read,
        factor=made.factor,
        unit=made.unit or row["unit"],
        type=made.type,
        serial=made.serial,
        gas=made.gas,
        lot=reference.lot if reference else made.lot,
        adjusted=made.adjusted,
        passed=passed,
        made_by=run.made_by,
        note=words,
        due_at=due_at,
    )
    facts = row_made.model_dump(exclude=_NOT_MADE)
    # The lookout hears of the same check from the recorder itself, at this very moment maybe: one row, and what is said here stands.
    one = {"recorder_id": recorder.id, "what": run.what, "sensor": row["sensor"], "at": at}
    kept = insert(metadata.tables["sensor_check"]).values(**one, **facts, points={}, certificate="")
    there = kept.on_conflict_do_update(index_elements=[*one], set_=facts).returning(
        metadata.tables["sensor_check"].c.id
    )
    check = db.connection().execute(there).scalar_one()
    doubts.look_again(db, row_made)
    _put(
        db,
        run,
        n,
        before=made.read if made.before is None else made.before,
        after=made.read if made.adjusted else None,
        factor=made.factor,
        serial=made.serial,
        check=check,
        state=PASSED if passed else FAILED,
        words=words,
        seconds=None,
        due=None if due_at is None else due_at.isoformat(),
    )


def _days(recorder: Recorder, word: BenchCheck, sensor: str) -> float | None:
    of = kind_of(recorder.kind).watched
    watched = of(recorder.setup) if of else ()
    return next((w.every_days for w in watched if (w.check, w.sensor) == (word.key, sensor)), word.days)

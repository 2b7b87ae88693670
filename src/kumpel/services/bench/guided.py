"""Checks of recorders that cannot check themselves: somebody applies something, the live value is read once it is steady, and judged."""

from __future__ import annotations

import math
import time
from contextlib import closing

from sqlmodel import Session as Db

from kumpel.core.check_rules import Steady
from kumpel.core.rounding import shown
from kumpel.link.abilities import CheckMade
from kumpel.services.bench import running
from kumpel.services.ground import deeds
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.recorders.live_values import watch
from kumpel.services.recorders.recorders import recorder_of
from kumpel.store.tables import BenchRun, Recorder, Reference, now

PATIENCE_S = 10.0
"""So much longer than it has to be steady it is waited for; then somebody is told how far it is."""
MOST = 1e6


def read(db: Db, url: str, run_id: int, n: int, applied: float, typed: float | None) -> BenchRun:
    """Read the step `n` of a run while `applied` is given to it: from the recorder's live value, or as `typed` from its display.

    ConflictError when it does not become steady; nothing is kept then. The last step ends the run with its certificate.
    """
    run = db.get(BenchRun, run_id)
    if run is None or not running.is_guided(run):
        raise NotFoundError("This check is not on record.")
    deeds.ask(db, "check read", Whom("recorder", run.recorder_id))
    if run.state != running.RUNNING:
        raise ConflictError("This check has ended. Begin it anew.", code="ended")
    if not 0 <= n < len(run.rows):
        raise NotFoundError("This check has no such step.")
    if not math.isfinite(applied) or abs(applied) > MOST or (typed is not None and not abs(typed) <= MOST):
        raise InvalidError("A number is needed.", field="applied")
    recorder = recorder_of(db, run.recorder_id)
    word = running.check_word(recorder, run.what)
    row = run.rows[n]
    if typed is None and (word.steady is None or not row["channel"]):
        raise InvalidError(f"{row['label']}: type what the recorder shows.", field="read")
    db.expunge(recorder)
    db.commit()  # waiting for a hand that holds still is no transaction
    value = _steady(url, recorder, row, word.steady) if typed is None and word.steady is not None else typed
    db.refresh(run, with_for_update=True)
    if run.state != running.RUNNING:
        raise ConflictError("This check has ended meanwhile. Nothing was kept.", code="ended")
    run.rows = [each | {"applied": applied} if i == n else each for i, each in enumerate(run.rows)]
    made = CheckMade(
        check=run.what,
        sensor=row["sensor"],
        at=now().timestamp(),
        applied=applied,
        read=value,
        unit=row["unit"],
        passed=True,
    )
    recorder = recorder_of(db, run.recorder_id)
    reference = db.get(Reference, row["reference"]) if row["reference"] else None
    running.keep_result(db, run, n, recorder, word, reference, made)
    if all(each["state"] in (running.PASSED, running.FAILED) for each in run.rows):
        running.close(db, run, running.DONE)
    db.commit()
    return run


def _steady(url: str, recorder: Recorder, row: dict[str, object], steady: Steady) -> float:
    """The mean of a live value once it is steady."""
    at_s: list[float] = []
    values: list[float] = []
    began_s = time.monotonic()
    channel = str(row["channel"])
    with closing(watch(url, recorder, [channel], [])) as packs:
        for pack in packs:
            found = next((each.value for each in pack if each.channel == channel), None)
            at_s.append(time.monotonic() - began_s)
            values.append(math.nan if found is None else found)
            mean = steady.mean(at_s, values)
            if mean is not None:
                return mean
            if at_s[-1] > steady.for_s + PATIENCE_S:
                break
    # A link that ends without a value leaves nothing to look at.
    since_s = (at_s[-1] if at_s else 0.0) - steady.for_s
    last = [v for at, v in zip(at_s, values, strict=True) if at >= since_s and math.isfinite(v)]
    unit, decimals = str(row["unit"]), max(int(str(row["decimals"])), 1)
    between = (
        f"between {shown(min(last), decimals)} and {shown(max(last), decimals)} {unit}" if last else "not measured"
    )
    raise ConflictError(
        f"{row['label']}: not steady, {between} in the last {steady.for_s:g} s; it has to stay within {steady.band:g} {unit}. Nothing was kept: hold it still and read it again.",
        code="not-steady",
    )

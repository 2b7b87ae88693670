"""The clock of a recorder: set with its settings, or by itself."""

from __future__ import annotations

import time
from datetime import datetime, timedelta

from sqlmodel import Session as Db

from kumpel.services.ground import deeds
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError
from kumpel.services.recorders import bays
from kumpel.services.recorders.reaching import AnyLink
from kumpel.services.recorders.recorders import link_to, refresh, worn_recorder
from kumpel.store.tables import Recorder, now


def set_on(link: AnyLink, recorder: Recorder) -> None:
    """Sets the clock to that of the server, with its offset from UTC."""
    offset = datetime.now().astimezone().utcoffset() or timedelta()
    link.set_clock(time.time(), int(offset.total_seconds() // 60))
    recorder.clock_set_at = now()


def set_clock(db: Db, recorder_id: int, passcode: str = "") -> Recorder:
    """Sets the clock without handing the recorder out; how wrong it was is measured first and stays on record.

    ConflictError while a session on it was not taken in: each is kept with the error that the clock had, and setting it would lose that.
    """
    deeds.ask(db, "clock set", Whom("recorder", recorder_id))
    recorder = worn_recorder(db, recorder_id)
    left = bays.not_taken_in(db, [recorder])[recorder.serial]
    if left:
        raise ConflictError(
            f"The clock was not set: {left} session{'s' if left > 1 else ''} on {recorder.token} {'were' if left > 1 else 'was'} not "
            "taken in. Take in first; how wrong the clock was is kept with each.",
            code="not-taken-in",
        )
    db.commit()  # nothing is held while the recorder is asked
    with link_to(db, recorder, passcode) as link:
        before = round(link.status().clock - time.time(), 1)
        set_on(link, recorder)
        after = round(link.status().clock - time.time(), 1)
    deeds.keep(db, "clock set", Whom("recorder", recorder_id), {"clock_error_s": before}, {"clock_error_s": after})
    db.add(recorder)
    return refresh(db, recorder)

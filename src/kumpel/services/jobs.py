"""Long work as jobs in the database: goes on after a restart, can be spread over machines."""

from __future__ import annotations

import asyncio
import contextlib

import procrastinate
from sqlalchemy import text
from sqlmodel import Session as Db

from kumpel.services import figures, mail, take_in
from kumpel.store.database import engine, plain_url

STALLED_S = 30.0
"""A worker that has not said anything for so long is gone (it says so every ten seconds)."""


AT_ONCE = 32
"""Sessions that are put in line for their figures at a time; the rest follows."""


HUGE, HUGE_BYTES = "huge", 32 * 2**20
"""Sessions of this size have one lane together; the others pass them."""


class Jobs:
    """The job queue of one database: deferring from anywhere, working in the server process."""

    def __init__(self, url: str) -> None:
        self._url = url
        working = procrastinate.PsycopgConnector(conninfo=plain_url(url), max_size=6)
        deferring = procrastinate.SyncPsycopgConnector(conninfo=plain_url(url))
        self.app, self._sync = procrastinate.App(connector=working), procrastinate.App(connector=deferring)

        @self.app.task(name="take-in")
        async def take_in_job(session_id: int) -> None:
            await asyncio.to_thread(take_in.run, engine(url), session_id)

        @self.app.task(name="assess")
        async def assess_job(session_id: int, again: bool = False) -> None:
            await asyncio.to_thread(figures.run, engine(url), session_id, again=again)

        @self.app.task(name="mail")
        async def mail_job(mail_id: int) -> None:
            await asyncio.to_thread(mail.run, engine(url), mail_id)

    def open(self) -> None:
        self._sync.open()

    @staticmethod
    def tidy(db: Db) -> int:
        """Take away what ended workers left: jobs done or failed, and those at work under nobody. What they were for is found
        again by `go_on`. How many there were."""
        db.connection().execute(
            text("delete from procrastinate_workers where last_heartbeat < now() - make_interval(secs => :stalled)"),
            {"stalled": STALLED_S},
        )
        gone = db.connection().execute(
            text(
                "delete from procrastinate_jobs where status not in ('todo', 'doing') or (status = 'doing' and worker_id is null)"
            )
        )
        db.commit()
        return gone.rowcount

    def close(self) -> None:
        self._sync.close()

    def start_take_in(self, session_id: int) -> None:
        """One waiting job a session at most; a second is not needed, it would find nothing to do.

        Small ones come first, and huge ones one after the other: a night of raw signal holds nobody up.
        """
        with Db(engine(self._url)) as db:
            size = take_in.size_of(db, session_id)
        job = self._sync.configure_task(
            "take-in",
            queueing_lock=f"take-in {session_id}",
            lock=HUGE if size >= HUGE_BYTES else None,
            priority=-size.bit_length(),
        )
        with contextlib.suppress(procrastinate.exceptions.AlreadyEnqueued):
            job.defer(session_id=session_id)

    def start_assess(self, session_id: int, *, again: bool = False) -> None:
        """Compute the figures of a stored session; once more, when asked for."""
        job = self._sync.configure_task("assess", queueing_lock=f"assess {session_id}")
        with contextlib.suppress(procrastinate.exceptions.AlreadyEnqueued):
            job.defer(session_id=session_id, again=again)

    def start_mail(self, mail_id: int) -> None:
        """Send what is in the outbox; one waiting job a mail at most."""
        job = self._sync.configure_task("mail", queueing_lock=f"mail {mail_id}")
        with contextlib.suppress(procrastinate.exceptions.AlreadyEnqueued):
            job.defer(mail_id=mail_id)

    def go_on(self, db: Db, serial: str | None = None, *, stopped_too: bool = True) -> None:
        """Go on with what was cut, for one recorder or for all; a job that finds somebody at work ends at once."""
        for session_id in take_in.unfinished(db, serial, stopped_too):
            self.start_take_in(session_id)
        if serial is None:
            for session_id in figures.waiting(db, AT_ONCE):
                self.start_assess(session_id)
            for mail_id in mail.waiting(db):
                self.start_mail(mail_id)

    async def work(self) -> None:
        """Work on jobs until cancelled."""
        async with self.app.open_async():
            await self.app.run_worker_async(
                concurrency=4,
                install_signal_handlers=False,
                delete_jobs="successful",
                listen_notify=True,
                fetch_job_polling_interval=2.0,
                shutdown_graceful_timeout=5.0,
            )

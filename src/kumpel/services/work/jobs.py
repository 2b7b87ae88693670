"""Long work as jobs in the database: goes on after a restart, can be spread over machines."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from functools import partial

import procrastinate
from procrastinate.jobs import Status
from sqlalchemy import text
from sqlmodel import Session as Db
from sqlmodel import select

from kumpel.services.batches import batch
from kumpel.services.firmware import updates
from kumpel.services.ground import doubts, figures
from kumpel.services.ground.apart import Children
from kumpel.services.report import mail
from kumpel.services.take_in import take_in
from kumpel.services.work.children import Reckoners
from kumpel.store.database import engine, plain_url
from kumpel.store.tables import Recorder

log = logging.getLogger("kumpel.jobs")
POLLS_S = 6.0
"""A new job is told to its worker; looking for one by itself is for the note that was lost, and five queues look."""
BEATS_S = 5.0
STALLED_S = 20.0
"""A worker says every five seconds that it is there; one that has not for so long is gone, and what it worked on is free."""
AT_ONCE = 32
"""Sessions that are put in line for their figures at a time; the rest follows."""
HUGE, HUGE_BYTES = "huge", 32 * 2**20
"""Sessions of this size have one lane together; the others pass them."""
SLOW_BYTES_PER_S = 65_536.0
"""A link that carries less has a place among the slow ones: however long they take, they hold up nobody else."""
TAKE_IN, SLOW, FIGURES, MAIL, REPORTS, UPDATES = "take-in", "take-in-slow", "figures", "mail", "reports", "updates"
AT_MACHINE, MACHINE_SHARE = "at-machine", 16
SHARES = {TAKE_IN: 6, SLOW: 24, FIGURES: 2, MAIL: 1, REPORTS: 1, UPDATES: 12}
"""Queues by kind of work, and how much of each is done at a time: none waits for another kind."""


def at_machine(machine: str) -> str:
    """The queue of what is taken in from the ports and folders of a machine: only there it can be done."""
    return f"{TAKE_IN} at {machine}"


class Jobs:
    """The job queue of one database: deferring from anywhere, working in this process; figures, with `children`, in those."""

    def __init__(self, url: str, *, children: Children | None = None) -> None:
        self._url, self._children = url, children
        compute = Reckoners(url, children).figures_of if children else partial(figures.run, engine(url))
        working = procrastinate.PsycopgConnector(conninfo=plain_url(url), max_size=4 + len(SHARES))
        deferring = procrastinate.SyncPsycopgConnector(conninfo=plain_url(url))
        self.app, self._sync = procrastinate.App(connector=working), procrastinate.App(connector=deferring)
        shares = SHARES | {AT_MACHINE: MACHINE_SHARE}
        self._threads = {queue: ThreadPoolExecutor(share, queue) for queue, share in shares.items()}

        async def take_in_job(session_id: int) -> None:
            if await self._in(TAKE_IN, lambda: take_in.read_and_clear(engine(url), session_id)):
                await asyncio.to_thread(self.start_assess, session_id)

        async def take_all_job(recorder_id: int) -> None:
            await self._in(
                TAKE_IN, lambda: take_in.take_all(engine(url), recorder_id, self.start_assess, HUGE_BYTES) > 0
            )

        async def slow_take_all_job(recorder_id: int) -> None:
            await self._in(SLOW, lambda: take_in.take_all(engine(url), recorder_id, self.start_assess) > 0)

        async def assess_job(session_id: int, again: bool = False) -> None:
            await self._in(FIGURES, lambda: compute(session_id, again=again))

        async def at_machine_job(recorder_id: int) -> None:
            await self._in(AT_MACHINE, lambda: take_in.take_all(engine(url), recorder_id, self.start_assess) > 0)

        async def clear_job(session_id: int) -> None:
            await self._in(TAKE_IN, lambda: take_in.clear_if_wished(engine(url), session_id))

        async def mail_job(mail_id: int) -> None:
            await self._in(MAIL, lambda: mail.run(engine(url), mail_id))

        async def update_job(update_id: int) -> None:
            await self._in(UPDATES, lambda: updates.run(engine(url), update_id))

        async def reports_job(batch_id: int) -> None:
            await self._in(REPORTS, lambda: batch.run(engine(url), batch_id, self.start_mail))

        self.app.task(name="take-in", queue=TAKE_IN)(take_in_job)
        self.app.task(name="take-all", queue=TAKE_IN)(take_all_job)
        self.app.task(name="take-all-slow", queue=SLOW)(slow_take_all_job)
        self.app.task(name="take-all-here", queue=TAKE_IN)(at_machine_job)
        self.app.task(name="assess", queue=FIGURES)(assess_job)
        self.app.task(name="clear", queue=TAKE_IN)(clear_job)
        self.app.task(name="update", queue=UPDATES)(update_job)
        self.app.task(name="mail", queue=MAIL)(mail_job)
        self.app.task(name="reports", queue=REPORTS)(reports_job)

    async def _in(self, queue: str, work: Callable[[], bool | None]) -> bool | None:
        """Work on a thread of its queue: the usual pool of threads is small, and shared by all."""
        return await asyncio.get_running_loop().run_in_executor(self._threads[queue], work)

    def open(self) -> None:
        self._sync.open()

    @staticmethod
    def let_go(db: Db) -> None:
        """The server is stopped on purpose: what is under way here was no accident."""
        figures.let_go(db)
        take_in.let_go(db)

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
        if self._children:
            self._children.end()
        for threads in self._threads.values():
            threads.shutdown(wait=False, cancel_futures=True)

    def start_take_in(self, ids: list[int]) -> None:
        """One waiting job a recorder at most, and one at work; a second is not needed, it would find nothing to do.

        Those with little to read come first, and huge sessions one after the other: a night of raw signal holds nobody up.
        """
        with Db(engine(self._url)) as db:
            turns = take_in.turns(db, ids)
        for turn in turns:
            once = f"take-all {turn.recorder_id}"
            if turn.machine:
                size = sum(turn.sizes.values())
                queue = at_machine(turn.machine)
                self._defer("take-all-here", queue, once, size, None, recorder_id=turn.recorder_id)
                continue
            slow = turn.bytes_per_s is not None and turn.bytes_per_s < SLOW_BYTES_PER_S
            huge = {} if slow else {i: size for i, size in turn.sizes.items() if size >= HUGE_BYTES}
            for session_id, size in huge.items():
                self._defer("take-in", TAKE_IN, f"take-in {session_id}", size, HUGE, session_id=session_id)
            size = sum(size for i, size in turn.sizes.items() if i not in huge)
            if len(huge) < len(turn.sizes):
                name, queue = ("take-all-slow", SLOW) if slow else ("take-all", TAKE_IN)
                # No lock of the queue: one that a killed worker held would be free only after a while.
                self._defer(name, queue, once, size, None, recorder_id=turn.recorder_id)

    def _defer(self, task: str, queue: str, once: str, size: int, lock: str | None, **about: int) -> None:
        """`once` of such jobs waits at most; those of one `lock` are worked on one after the other; the smaller the sooner."""
        job = self._sync.configure_task(task, queue=queue, queueing_lock=once, lock=lock, priority=-size.bit_length())
        with contextlib.suppress(procrastinate.exceptions.AlreadyEnqueued):
            job.defer(**about)

    def _start_clear(self, session_id: int, machine: str) -> None:
        """Clear on the recorder what was to be cleared with taking it in."""
        queue = at_machine(machine) if machine else TAKE_IN
        job = self._sync.configure_task("clear", queue=queue, queueing_lock=f"clear {session_id}")
        with contextlib.suppress(procrastinate.exceptions.AlreadyEnqueued):
            job.defer(session_id=session_id)

    def start_assess(self, session_id: int, *, again: bool = False) -> None:
        """Compute the figures of a stored session; once more, when asked for."""
        job = self._sync.configure_task("assess", queue=FIGURES, queueing_lock=f"assess {session_id}")
        with contextlib.suppress(procrastinate.exceptions.AlreadyEnqueued):
            job.defer(session_id=session_id, again=again)

    def start_mail(self, mail_id: int) -> None:
        """Send what is in the outbox; one waiting job a mail at most."""
        job = self._sync.configure_task("mail", queue=MAIL, queueing_lock=f"mail {mail_id}")
        with contextlib.suppress(procrastinate.exceptions.AlreadyEnqueued):
            job.defer(mail_id=mail_id)

    def start_update(self, update_id: int) -> None:
        """Bring an image onto its recorder; one waiting job an update at most."""
        job = self._sync.configure_task("update", queue=UPDATES, queueing_lock=f"update {update_id}")
        with contextlib.suppress(procrastinate.exceptions.AlreadyEnqueued):
            job.defer(update_id=update_id)

    def start_reports(self, batch_id: int) -> None:
        """Issue the reports of a batch; one waiting job a batch at most."""
        job = self._sync.configure_task("reports", queue=REPORTS, queueing_lock=f"reports {batch_id}")
        with contextlib.suppress(procrastinate.exceptions.AlreadyEnqueued):
            job.defer(batch_id=batch_id)

    def go_on(self, db: Db, serial: str | None = None, *, stopped_too: bool = True) -> None:
        """Go on with what was cut, for one recorder or for all; a job that finds somebody at work ends at once."""
        self.start_take_in(take_in.unfinished(db, serial, stopped_too))
        for update_id in updates.waiting(db, serial):
            self.start_update(update_id)
        if serial is not None:
            machine = db.exec(select(Recorder.machine).where(Recorder.serial == serial)).first() or ""
            for session_id in take_in.to_clear(db, serial):
                self._start_clear(session_id, machine)
        if serial is None:
            doubts.renew(db)
            for session_id in figures.waiting(db, AT_ONCE):
                self.start_assess(session_id)
            for mail_id in mail.waiting(db):
                self.start_mail(mail_id)
            for batch_id in batch.unfinished(db):
                self.start_reports(batch_id)

    async def work(self, shares: Mapping[str, int] = SHARES) -> None:
        """Work on jobs until cancelled, each queue with its own share; what a dead worker held is set free all the time."""
        async with self.app.open_async():
            workers = [
                self.app.run_worker_async(
                    queues=[queue],
                    name=queue,
                    concurrency=share,
                    install_signal_handlers=False,
                    delete_jobs="successful",
                    listen_notify=queue
                    not in (MAIL, UPDATES),  # its connection costs; nobody watches a mail go out, and updates are few
                    fetch_job_polling_interval=POLLS_S,
                    shutdown_graceful_timeout=2.0,
                    update_heartbeat_interval=BEATS_S,
                    stalled_worker_timeout=STALLED_S,
                )
                for queue, share in shares.items()
            ]
            async with asyncio.TaskGroup() as group:
                for worker in (*workers, self._set_free()):
                    group.create_task(worker)

    async def _set_free(self) -> None:
        """Take away jobs whose worker is gone, and with them the lanes they held; `go_on` puts what is not done in line again."""
        while True:
            await self.free_stalled()
            await asyncio.sleep(STALLED_S / 2)

    async def free_stalled(self) -> int:
        """Jobs of dead workers, found by their heartbeat; how many there were."""
        jobs = self.app.job_manager
        stalled = list(await jobs.get_stalled_jobs(seconds_since_heartbeat=STALLED_S))
        for job in stalled:
            log.warning(
                "%s of %s was left by a worker that is gone; it is put in line again", job.task_name, job.task_kwargs
            )
            await jobs.finish_job(job, status=Status.FAILED, delete_job=True)
        return len(stalled)

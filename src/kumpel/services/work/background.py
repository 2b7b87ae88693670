"""What is done while nobody asks: jobs, the lookout, memory given back. In the process of the web, or in one of its own."""

from __future__ import annotations

import asyncio
import contextlib
import importlib
import logging
from collections.abc import AsyncIterator, Callable, Mapping

from sqlmodel import Session as Db

from kumpel.services.ground import figures, limits
from kumpel.services.recorders.reaching import this_machine
from kumpel.services.register import purging
from kumpel.services.work.jobs import MACHINE_SHARE, SHARES, Jobs, at_machine
from kumpel.services.work.leading import Leading
from kumpel.store import database, locks
from kumpel.store.freed import give_back

log = logging.getLogger("kumpel")
GIVES_BACK_S = 30.0
PURGES_S = 3600.0
WARMS_S = 5.0
WARM = ("scipy.signal", "scipy.interpolate")
"""What the first figures would wait a second for, loaded by a process that has started and has nothing to do yet."""
STOPS_S = 1.5
"""How long each part is waited for when a process stops: threads that hang on a database that is away hold up nothing."""


def prepare(url: str) -> None:
    """The database as this version needs it; several may come at once."""
    database.migrate(url)
    with Db(database.engine(url)) as db:
        locks.wait_for_transaction(db, locks.LIMITS)
        limits.put_shipped(db)
        figures.wait_for_new_methods(db)


@contextlib.asynccontextmanager
async def background(
    url: str, jobs: Jobs, *, works: bool = True, watches: bool = True, answers: bool = False
) -> AsyncIterator[None]:
    """What this process does beside the web, from a prepared database on until it is left: `works` on jobs, `watches` recorders while it
    leads, gets ready to give `answers`."""
    await asyncio.to_thread(jobs.open)
    tasks = [asyncio.create_task(_give_back())]
    if answers:
        tasks.append(asyncio.create_task(_warm()))
    shares = dict(SHARES) if works else {}
    leading = [Leading(url, jobs), Leading(url, jobs, area=this_machine())] if watches else []
    if watches:
        # Ports and folders are of the machine of who looks at them: what is on them is taken in here.
        shares[at_machine(this_machine())] = MACHINE_SHARE
    if shares:
        tasks.append(asyncio.create_task(_work(jobs, url, shares)))
    if works:
        tasks.append(asyncio.create_task(_purge(url)))
    for each in leading:
        each.start()
    try:
        yield
    finally:
        await asyncio.gather(*(_within(each.stop) for each in leading))
        for task in tasks:
            task.cancel()
        with contextlib.suppress(TimeoutError, Exception):
            await asyncio.wait_for(asyncio.gather(*tasks, return_exceptions=True), STOPS_S)
        # Without a database nothing of this can be said to anybody: it ends all the same.
        await _within(lambda: _let_go(url))
        await _within(jobs.close)


async def _within(work: Callable[[], None]) -> None:
    with contextlib.suppress(TimeoutError, Exception):
        await asyncio.wait_for(asyncio.to_thread(work), STOPS_S)


def _let_go(url: str) -> None:
    with Db(database.engine(url)) as db:
        Jobs.let_go(db)


async def _warm() -> None:
    await asyncio.sleep(WARMS_S)
    for name in WARM:
        await asyncio.to_thread(importlib.import_module, name)


async def _give_back() -> None:
    """Pages and figures come and go; what they took is given back while nobody notices."""
    while True:
        await asyncio.sleep(GIVES_BACK_S)
        await asyncio.to_thread(give_back)


async def _purge(url: str) -> None:
    """What was deleted longer ago than the house keeps it."""
    while True:
        await asyncio.sleep(PURGES_S)
        with contextlib.suppress(Exception):  # a database that is away: the next turn is soon enough
            while await asyncio.to_thread(purging.purge, database.engine(url)):
                await asyncio.sleep(0)


async def _work(jobs: Jobs, url: str, shares: Mapping[str, int]) -> None:
    """The worker, started again when the database went away under it."""
    first = True
    while True:
        with contextlib.suppress(Exception):
            await asyncio.to_thread(_go_on, jobs, url, first)
            first = False
        try:
            await jobs.work(shares)
        except asyncio.CancelledError:
            raise
        except Exception as error:
            log.warning("the worker stopped (%s); starting it again", type(error).__name__)
        await asyncio.sleep(1)


def _go_on(jobs: Jobs, url: str, at_start: bool) -> None:
    with Db(database.engine(url)) as db:
        if at_start:
            jobs.tidy(db)
        jobs.go_on(db)

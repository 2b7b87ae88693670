"""The web application: routers, the built interface, background work."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import AsyncIterator
from typing import Any

from fastapi import FastAPI
from fastapi.responses import FileResponse, Response
from fastapi.staticfiles import StaticFiles
from sqlmodel import Session as Db
from starlette.middleware.gzip import GZipMiddleware

from kumpel import __version__
from kumpel.api import events, hand_out, people, reports, review, sensors, sessions, settings, sign_in, take_in, yard
from kumpel.api import limits as limit_sets
from kumpel.api.guard import Guard
from kumpel.api.once import Once
from kumpel.api.problems import PROBLEMS, add_handlers, problem
from kumpel.config import Config
from kumpel.services import figures, limits
from kumpel.services.jobs import Jobs
from kumpel.services.watch import Lookout
from kumpel.store import database
from kumpel.store.freed import give_back

log = logging.getLogger("kumpel")
GIVES_BACK_S = 30.0
STOPS_S = 1.5
"""How long each part is waited for when the server stops: threads that hang on a database that is away hold up nothing."""
ROUTERS = (sign_in, people, hand_out, sensors, take_in, sessions, review, limit_sets, reports, settings, yard, events)


class Assets(StaticFiles):
    """Built files carry a hash of their content in their name: a browser may keep them for good."""

    def file_response(self, *arguments: Any, **named: Any) -> Response:
        response = super().file_response(*arguments, **named)
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return response


@contextlib.asynccontextmanager
async def _lifespan(app: FastAPI) -> AsyncIterator[None]:
    config: Config = app.state.config
    await asyncio.to_thread(_prepare, config)
    jobs: Jobs = app.state.jobs
    await asyncio.to_thread(jobs.open)
    tasks = [asyncio.create_task(work) for work in (app.state.broadcast.listen(), _work(jobs, config), _give_back())]
    lookout = Lookout(config.database_url, jobs) if config.watch else None
    if lookout:
        lookout.start()
    try:
        yield
    finally:
        if lookout:
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(asyncio.to_thread(lookout.stop), STOPS_S)
        for task in tasks:
            task.cancel()
        with contextlib.suppress(TimeoutError, Exception):
            await asyncio.wait_for(asyncio.gather(*tasks, return_exceptions=True), STOPS_S)
        for last in (_let_go, lambda _: jobs.close()):
            # Without a database nothing of this can be said to anybody: it ends all the same.
            with contextlib.suppress(TimeoutError, Exception):
                await asyncio.wait_for(asyncio.to_thread(last, config), STOPS_S)


def _let_go(config: Config) -> None:
    with Db(database.engine(config.database_url)) as db:
        Jobs.let_go(db)


def _prepare(config: Config) -> None:
    database.migrate(config.database_url)
    with Db(database.engine(config.database_url)) as db:
        limits.put_shipped(db)
        figures.wait_for_new_methods(db)


async def _give_back() -> None:
    """Pages and figures come and go; what they took is given back while nobody notices."""
    while True:
        await asyncio.sleep(GIVES_BACK_S)
        await asyncio.to_thread(give_back)


async def _work(jobs: Jobs, config: Config) -> None:
    """The worker, started again when the database went away under it."""
    first = True
    while True:
        with contextlib.suppress(Exception):
            await asyncio.to_thread(_go_on, jobs, config, first)
            first = False
        try:
            await jobs.work()
        except asyncio.CancelledError:
            raise
        except Exception as error:
            log.warning("the worker stopped (%s); starting it again", type(error).__name__)
        await asyncio.sleep(1)


def _go_on(jobs: Jobs, config: Config, at_start: bool) -> None:
    with Db(database.engine(config.database_url)) as db:
        if at_start:
            jobs.tidy(db)
        jobs.go_on(db)


def create_app(config: Config | None = None) -> FastAPI:
    """The application; configuration from the environment when none is given."""
    config = config or Config.from_environment()
    app = FastAPI(
        title="Kumpel",
        version=__version__,
        lifespan=_lifespan,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        generate_unique_id_function=lambda route: route.name,
        description="Recorders for named people: hand out, take in, review, report.",
    )
    set_up(app, config)
    for module in ROUTERS:
        app.include_router(module.router, prefix="/api", responses=PROBLEMS)
    add_handlers(app)
    app.add_middleware(Once)
    app.add_middleware(Guard)
    _add_interface(app, config)
    return app


def set_up(app: FastAPI, config: Config) -> None:
    """What the application serves and works on."""
    app.state.config = config
    app.state.jobs = Jobs(config.database_url)
    app.state.broadcast = events.Broadcast(config.database_url)


def _add_interface(app: FastAPI, config: Config) -> None:
    index = config.web / "index.html"
    if not index.exists():
        return
    app.mount("/assets", GZipMiddleware(Assets(directory=config.web / "assets"), minimum_size=1000), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    async def interface(path: str) -> Response:
        if path.startswith("api/"):
            return problem(404, "not-found", "There is no such address in the API.")
        return FileResponse(index, headers={"Cache-Control": "no-cache"})

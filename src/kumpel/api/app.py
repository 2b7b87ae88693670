"""The web application: routers, the built interface, background work."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator
from typing import Any

from fastapi import FastAPI
from fastapi.responses import FileResponse, Response
from fastapi.staticfiles import StaticFiles
from starlette.middleware.gzip import GZipMiddleware

from kumpel import __version__
from kumpel.api import (
    batches,
    bench,
    board,
    events,
    filter_factors,
    firmware,
    groups,
    hand_out,
    people,
    plan,
    radio,
    reports,
    review,
    sensors,
    sessions,
    settings,
    sign_in,
    spot,
    take_in,
    wall,
    yard,
)
from kumpel.api import limits as limit_sets
from kumpel.api.guard import Guard
from kumpel.api.kept import Kept
from kumpel.api.once import Once
from kumpel.api.problems import PROBLEMS, add_handlers, problem
from kumpel.config import Config
from kumpel.services.ground import apart
from kumpel.services.work.background import STOPS_S, background, prepare
from kumpel.services.work.children import children_for_answers
from kumpel.services.work.jobs import Jobs

ROUTERS = (
    bench,
    sign_in,
    people,
    groups,
    batches,
    plan,
    board,
    hand_out,
    filter_factors,
    firmware,
    radio,
    sensors,
    spot,
    wall,
    take_in,
    sessions,
    review,
    limit_sets,
    reports,
    settings,
    yard,
    events,
)


class Assets(StaticFiles):
    """Built files carry a hash of their content in their name: a browser may keep them for good."""

    def file_response(self, *arguments: Any, **named: Any) -> Response:
        response = super().file_response(*arguments, **named)
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return response


@contextlib.asynccontextmanager
async def _lifespan(app: FastAPI) -> AsyncIterator[None]:
    config: Config = app.state.config
    await asyncio.to_thread(prepare, config.database_url)
    listening = asyncio.create_task(app.state.broadcast.listen())
    children = None if config.works else children_for_answers()
    apart.use(children)
    try:
        async with background(
            config.database_url, app.state.jobs, works=config.works, watches=config.watch, answers=True
        ):
            yield
    finally:
        apart.use(None)
        if children:
            children.end()
        listening.cancel()
        with contextlib.suppress(TimeoutError, asyncio.CancelledError, Exception):
            await asyncio.wait_for(listening, STOPS_S)


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
    app.add_middleware(Kept)
    app.add_middleware(Once)
    app.add_middleware(Guard)
    _add_interface(app, config)
    return app


def set_up(app: FastAPI, config: Config) -> None:
    """What the application serves and works on."""
    app.state.config = config
    app.state.jobs = Jobs(config.database_url)
    app.state.broadcast = events.Broadcast(config.database_url)
    app.state.wall = wall.WallFeed(config.database_url)


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

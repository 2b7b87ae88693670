"""The web application: routers, problem details, the built interface, background work."""

from __future__ import annotations

import asyncio
import contextlib
import errno
import logging
import threading
import traceback
from collections.abc import AsyncIterator
from http import HTTPStatus
from pathlib import Path
from typing import Any

import psycopg
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from sqlalchemy.exc import DataError, OperationalError
from sqlmodel import Session as Db
from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.middleware.gzip import GZipMiddleware
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from kumpel import __version__
from kumpel.api import events, hand_out, people, reports, review, schemas, sessions, sign_in, take_in
from kumpel.config import Config
from kumpel.kinds.registry import UnknownKindError
from kumpel.services import limits
from kumpel.services.jobs import Jobs
from kumpel.services.problems import ProblemError
from kumpel.services.review import catch_up
from kumpel.services.watch import Lookout
from kumpel.store import database

log = logging.getLogger("kumpel")
LARGEST_BODY = 1_000_000
UNEXPECTED = "Something unexpected went wrong on the server; it is in the server's log. What was stored is safe."
DISK_FULL = "The disk of the server is full. Nothing was changed, what is stored is safe; make room, then try again."
DISK_STATES = ("53100", "58030")
"""PostgreSQL's disk_full and io_error."""
STREAMED = ("/api/files",)
"""Addresses that take files: their bodies go to the disk piece by piece, with a limit of their own."""
ROUTERS = (sign_in, people, hand_out, take_in, sessions, review, reports, events)
PROBLEMS: dict[int | str, dict[str, Any]] = {
    "4XX": {
        "model": schemas.Problem,
        "description": "A problem (RFC 9457)",
        "content": {"application/problem+json": {}},
    }
}
SECURITY_HEADERS = {
    "Content-Security-Policy": "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; "
    "frame-ancestors 'none'; form-action 'self'; base-uri 'self'",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
}


class Assets(StaticFiles):
    """Built files carry a hash of their content in their name: a browser may keep them for good."""

    def file_response(self, *arguments: Any, **named: Any) -> Response:
        response = super().file_response(*arguments, **named)
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return response


def problem(status: int, code: str, detail: str) -> JSONResponse:
    body = {
        "type": f"urn:kumpel:problem:{code}",
        "title": HTTPStatus(status).phrase,
        "status": status,
        "detail": detail,
        "code": code,
    }
    return JSONResponse(body, status, media_type="application/problem+json")


@contextlib.asynccontextmanager
async def _lifespan(app: FastAPI) -> AsyncIterator[None]:
    config: Config = app.state.config
    await asyncio.to_thread(_prepare, config)
    jobs: Jobs = app.state.jobs
    await asyncio.to_thread(jobs.open)
    tasks = [asyncio.create_task(app.state.broadcast.listen()), asyncio.create_task(_work(jobs, config))]
    # Thousands of sessions may wait for it; stopping the server does not.
    threading.Thread(target=_catch_up, args=(config,), name="catch up", daemon=True).start()
    lookout = Lookout(config.database_url, jobs) if config.watch else None
    if lookout:
        lookout.start()
    try:
        yield
    finally:
        if lookout:
            await asyncio.to_thread(lookout.stop)
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)
        await asyncio.to_thread(jobs.close)


def _prepare(config: Config) -> None:
    database.migrate(config.database_url)
    with Db(database.engine(config.database_url)) as db:
        limits.put_shipped(db)


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


def _catch_up(config: Config) -> None:
    with contextlib.suppress(OperationalError), Db(database.engine(config.database_url)) as db:
        catch_up(db)


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
    app.state.config = config
    app.state.jobs = Jobs(config.database_url)
    app.state.broadcast = events.Broadcast(config.database_url)
    for module in ROUTERS:
        app.include_router(module.router, prefix="/api", responses=PROBLEMS)
    _add_problem_handlers(app)
    app.add_middleware(Guard)
    _add_interface(app, config)
    return app


class Guard:
    """Refuses changes that another site asked for and bodies that are too large; adds security headers.

    Plain ASGI: an open stream costs no task of its own here.
    """

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        headers = Headers(scope=scope)

        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                sent = MutableHeaders(scope=message)
                for key, value in SECURITY_HEADERS.items():
                    sent.setdefault(key, value)
            await send(message)

        origin = headers.get("origin")
        changes = scope["method"] not in ("GET", "HEAD", "OPTIONS")
        if changes and origin and origin.split("://", 1)[-1] != headers.get("host"):
            await problem(403, "other-origin", "This request came from another site.")(scope, receive, with_headers)
            return
        if scope["path"] in STREAMED:
            await self._guarded(scope, receive, with_headers)
            return
        declared = headers.get("content-length", "0")
        body = _Body(receive, LARGEST_BODY)
        if declared.isdigit() and int(declared) <= LARGEST_BODY and await body.fits(scope["method"]):
            await self._guarded(scope, body, with_headers)
        else:
            words = f"A request may have {LARGEST_BODY // 1_000_000} MB at most. Nothing was changed."
            await problem(413, "too-large", words)(scope, receive, with_headers)

    async def _guarded(self, scope: Scope, receive: Receive, send: Send) -> None:
        """What nobody expected is logged without what it carried, and ends an answer that has begun."""
        began = False

        async def watched(message: Message) -> None:
            nonlocal began
            began = began or message["type"] == "http.response.start"
            await send(message)

        try:
            await self._app(scope, receive, watched)
        except Exception as error:
            _log_failure(scope["path"], error)
            if began:
                raise BrokenOffError from None
            await problem(500, "unexpected", UNEXPECTED)(scope, receive, send)


class BrokenOffError(Exception):
    """An answer that had begun could not be finished: the connection closes, so that the browser knows."""


def _log_failure(path: str, error: Exception) -> None:
    """Kind and place of a failure. Its words and values stay out of the log: they may name people."""
    frames = traceback.extract_tb(error.__traceback__)
    own = [f"{Path(f.filename).name}:{f.lineno} {f.name}" for f in frames if "kumpel" in f.filename][-4:]
    log.error("unexpected %s at %s: %s", type(error).__name__, path, " > ".join(own))


class _Body:
    """A request's body, read before anything parses it, so that one without a length is bounded, too."""

    def __init__(self, receive: Receive, most: int) -> None:
        self._receive, self._most = receive, most
        self._messages: list[Message] = []

    async def fits(self, method: str) -> bool:
        if method in ("GET", "HEAD", "OPTIONS", "DELETE"):
            return True
        size = 0
        while True:
            message = await self._receive()
            self._messages.append(message)
            size += len(message.get("body", b""))
            if size > self._most:
                return False
            if message["type"] != "http.request" or not message.get("more_body", False):
                return True

    async def __call__(self) -> Message:
        return self._messages.pop(0) if self._messages else await self._receive()


def _add_problem_handlers(app: FastAPI) -> None:
    @app.exception_handler(ProblemError)
    async def known(request: Request, error: ProblemError) -> JSONResponse:
        return problem(error.status, error.code, error.detail)

    @app.exception_handler(UnknownKindError)
    async def unknown_kind(request: Request, error: UnknownKindError) -> JSONResponse:
        return problem(404, "unknown-kind", f"{error}.")

    @app.exception_handler(RequestValidationError)
    async def invalid(request: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"][1:]) or "request"
        return problem(422, "invalid", f"{where}: {first['msg']}.")

    @app.exception_handler(HTTPException)
    async def http(request: Request, error: HTTPException) -> JSONResponse:
        return problem(error.status_code, "http", str(error.detail))

    @app.exception_handler(DataError)
    @app.exception_handler(UnicodeEncodeError)
    async def unstorable(request: Request, error: Exception) -> JSONResponse:
        return problem(
            422, "invalid", "A number is out of range, or a text has a sign that cannot be stored. Nothing was changed."
        )

    @app.exception_handler(OSError)
    async def disk(request: Request, error: OSError) -> JSONResponse:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            return problem(507, "disk-full", DISK_FULL)
        return await unknown(request, error)

    # COPY speaks to the driver itself.
    @app.exception_handler(psycopg.OperationalError)
    @app.exception_handler(OperationalError)
    async def away(request: Request, error: OperationalError | psycopg.OperationalError) -> JSONResponse:
        cause = error.orig if isinstance(error, OperationalError) else error
        if getattr(cause, "sqlstate", None) in DISK_STATES:
            return problem(507, "disk-full", DISK_FULL)
        return problem(503, "database-away", "The database does not answer. Nothing is lost; try again in a moment.")

    @app.exception_handler(Exception)
    async def unknown(request: Request, error: Exception) -> JSONResponse:
        _log_failure(request.url.path, error)
        return problem(
            500,
            "unexpected",
            UNEXPECTED,
        )


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

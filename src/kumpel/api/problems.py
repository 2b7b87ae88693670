"""How whatever goes wrong is answered: problem details (RFC 9457), and a log without anybody's data."""

from __future__ import annotations

import errno
import logging
import traceback
from http import HTTPStatus
from pathlib import Path
from typing import Any

import psycopg
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from sqlalchemy.exc import DataError, OperationalError
from starlette.exceptions import HTTPException

from kumpel.api import schemas
from kumpel.kinds.registry import UnknownKindError
from kumpel.services.ground.problems import ProblemError

log = logging.getLogger("kumpel")
UNEXPECTED = "Something unexpected went wrong on the server; it is in the server's log. What was stored is safe."
DISK_FULL = "The disk of the server is full. Nothing was changed, what is stored is safe; make room, then try again."
DISK_STATES = ("53100", "58030")
"""PostgreSQL's disk_full and io_error."""
PROBLEMS: dict[int | str, dict[str, Any]] = {
    "4XX": {
        "model": schemas.Problem,
        "description": "A problem (RFC 9457)",
        "content": {"application/problem+json": {}},
    }
}


def problem(status: int, code: str, detail: str, field: str = "") -> JSONResponse:
    body = {
        "type": f"urn:kumpel:problem:{code}",
        "title": HTTPStatus(status).phrase,
        "status": status,
        "detail": detail,
        "code": code,
    } | ({"field": field} if field else {})
    return JSONResponse(body, status, media_type="application/problem+json")


def log_failure(path: str, error: Exception) -> None:
    """Kind and place of a failure. Its words and values stay out of the log: they may name people."""
    frames = traceback.extract_tb(error.__traceback__)
    own = [f"{Path(f.filename).name}:{f.lineno} {f.name}" for f in frames if "kumpel" in f.filename][-4:]
    log.error("unexpected %s at %s: %s", type(error).__name__, path, " > ".join(own))


def add_handlers(app: FastAPI) -> None:
    @app.exception_handler(ProblemError)
    async def known(request: Request, error: ProblemError) -> JSONResponse:
        return problem(error.status, error.code, error.detail, error.field)

    @app.exception_handler(UnknownKindError)
    async def unknown_kind(request: Request, error: UnknownKindError) -> JSONResponse:
        return problem(404, "unknown-kind", f"{error}.")

    @app.exception_handler(RequestValidationError)
    async def invalid(request: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"][1:]) or "request"
        return problem(422, "invalid", f"{where}: {first['msg'].removeprefix('Value error, ').rstrip('.')}.", where)

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
        log_failure(request.url.path, error)
        return problem(
            500,
            "unexpected",
            UNEXPECTED,
        )

"""What a browser asks for twice under one key is done once: the second asking gets the first one's answer.

A double click, a request sent again after a cut: both carry the `Idempotency-Key` of the first. Only what was done is remembered; what was
refused or failed changed nothing, and may be asked for again.
"""

from __future__ import annotations

import asyncio
import hashlib
import json
import logging
from datetime import timedelta
from typing import Any

from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.exc import SQLAlchemyError
from sqlmodel import Session as Db
from sqlmodel import col, delete, select, update
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import Headers
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from kumpel.store.database import engine
from kumpel.store.tables import Request, now

HEADER = "idempotency-key"
LONGEST_KEY = 100
KEPT = timedelta(days=1)
GIVEN_UP = timedelta(seconds=60)
"""A request that was begun so long ago and has no answer died with its process."""
WAITS_S, LOOKS_S = 20.0, 0.1
MOST_ANSWER = 1_000_000

log = logging.getLogger("kumpel.once")


class Once:
    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        headers = Headers(scope=scope) if scope["type"] == "http" else None
        named = headers.get(HEADER, "") if headers is not None and scope["method"] == "POST" else ""
        if headers is None or not 8 <= len(named) <= LONGEST_KEY:
            await self._app(scope, receive, send)
            return
        whose = "\n".join(
            (headers.get("cookie", ""), scope["path"], scope.get("query_string", b"").decode("latin-1"), named)
        )
        key = hashlib.sha256(whose.encode()).hexdigest()
        url = scope["app"].state.config.database_url
        try:
            known = await self._known(url, key)
        except SQLAlchemyError:
            await self._app(scope, receive, send)  # without a database the application says what is wrong
            return
        if known is not None:
            await known(scope, receive, send)
            return
        await self._do(scope, receive, send, url, key)

    async def _known(self, url: str, key: str) -> JSONResponse | None:
        """The answer that was given under a key, waited for while it is being worked out; None when it is this one's to do."""
        for _ in range(round(WAITS_S / LOOKS_S)):
            mine, status, answer = await run_in_threadpool(_begun, url, key)
            if mine:
                return None
            if status is not None:
                return JSONResponse(answer["content"] if answer else None, status)
            await asyncio.sleep(LOOKS_S)
        return JSONResponse(
            {
                "title": "Conflict",
                "status": 409,
                "detail": "The same was asked for a moment ago and is still being done.",
                "code": "under-way",
            },
            409,
            media_type="application/problem+json",
        )

    async def _do(self, scope: Scope, receive: Receive, send: Send, url: str, key: str) -> None:
        status, body, is_json = 0, bytearray(), False

        async def watched(message: Message) -> None:
            nonlocal status, is_json
            if message["type"] == "http.response.start":
                status = message["status"]
                is_json = "json" in Headers(raw=message.get("headers", [])).get("content-type", "")
            elif message["type"] == "http.response.body" and len(body) <= MOST_ANSWER:
                body.extend(message.get("body", b""))
            await send(message)

        try:
            await self._app(scope, receive, watched)
        finally:
            done = 200 <= status < 300 and (is_json or not body) and len(body) <= MOST_ANSWER
            answer = {"content": json.loads(bytes(body)) if body else None} if done else None
            try:
                await asyncio.shield(run_in_threadpool(_ended, url, key, status if done else None, answer))
            except SQLAlchemyError as error:
                log.warning("an answer was not remembered (%s)", type(error).__name__)


def _begun(url: str, key: str) -> tuple[bool, int | None, dict[str, Any] | None]:
    """Whether a request is new and begun by this, else its status and answer."""
    with Db(engine(url)) as db:
        row = insert(Request).values(key=key, at=now()).on_conflict_do_nothing().returning(col(Request.key))
        if db.connection().execute(row).first() is not None:
            db.exec(delete(Request).where(col(Request.at) < now() - KEPT))
            db.commit()
            return True, None, None
        found = db.exec(select(Request).where(Request.key == key).with_for_update()).first()
        if found is None:
            return False, None, None
        if found.status is None and found.at < now() - GIVEN_UP:
            found.at = now()
            db.add(found)
            db.commit()
            return True, None, None
        return False, found.status, found.answer


def _ended(url: str, key: str, status: int | None, answer: dict[str, Any] | None) -> None:
    with Db(engine(url)) as db:
        mine = col(Request.key) == key
        if status is None:
            db.exec(delete(Request).where(mine))
        else:
            db.exec(update(Request).where(mine).values(status=status, answer=answer))
        db.commit()

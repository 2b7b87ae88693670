"""Answers are kept in the form in which they are sent, as long as nothing in the database has changed since.

After every change each open browser asks for the same lists anew, and most of the time nothing changes at all. What an answer says
depends on the database alone; PostgreSQL says in one short statement which transactions the asker would see (`pg_current_snapshot`),
and whether the browser is signed in. The same snapshot as before the answer was worked out means: no transaction has ended
since, the answer would be the same byte for byte. So nothing has to be told of to be true, and several web processes need not know of each other.
What depends on the hour (due, expected back) is worked out anew every few seconds all the same.

Nothing is worked out twice at once: who asks while the same is being worked out waits for it.
"""

from __future__ import annotations

import asyncio
import gzip
import hashlib
import re
import threading
import time
from collections import OrderedDict
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from http.cookies import CookieError, SimpleCookie
from typing import Any, Final

import psycopg
from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from kumpel.api.dependencies import COOKIE
from kumpel.services.ground.accounts import token_hash
from kumpel.store.database import plain_url

KEEPS: Final = re.compile(
    r"/api/(line|kinds|take-in|people|teams|recorders(/(register|board|\d+/life))?|sessions|vehicles|courses|limit-sets(/(in-use|\d+/(measured|hit)))?|sessions/\d+(/(review|view|laps|bins|comparison))?|people/\d+(/(years|due|hand-overs))?|groups(/\d+)?|plan(/overdue)?)"
)
"""Addresses whose answers depend on the database alone, and not on who asks as long as somebody is signed in."""
FRESH_S: Final = 5.0
MOST_BYTES: Final = 8_000_000
LARGEST: Final = 4_000_000
SMALLEST_PACKED: Final = 1_000
THREADS: Final = 4
CONNECTS_S: Final = 3
STANDS: Final = "select pg_current_snapshot()::text from sign_in where token_hash = %s and expires_at > now()"


@dataclass(frozen=True)
class _Answer:
    stands: str
    made_s: float
    headers: tuple[tuple[bytes, bytes], ...]
    body: bytes
    packed: bool
    """Whether the body is compressed; small ones are not."""
    tag: str


class Kept:
    def __init__(self, app: ASGIApp) -> None:
        self._app = app
        self._threads = ThreadPoolExecutor(THREADS, "kept")
        self._own = threading.local()
        self._answers: OrderedDict[bytes, _Answer] = OrderedDict()
        self._bytes = 0
        self._turns: dict[bytes, asyncio.Lock] = {}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["method"] != "GET" or not KEEPS.fullmatch(scope["path"]):
            await self._app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        token = _token(headers)
        url = scope["app"].state.config.database_url
        stands = await self._stands(url, token) if token else None
        if stands is None:
            await self._app(scope, receive, send)  # it says what is wrong
            return
        key = scope["path"].encode() + b"?" + scope.get("query_string", b"")
        messages: list[Message] = []
        async with self._turn(key):
            answer = self._known(key, stands)
            if answer is None:
                messages = await self._worked_out(scope, receive)
                answer = await self._keep(key, stands, messages)
        if answer is None:
            for message in messages:
                await send(message)
            return
        await _send(answer, headers, send)

    def _turn(self, key: bytes) -> asyncio.Lock:
        """One at a time for the same answer. Locks that nobody holds are let go when there are many."""
        if len(self._turns) > 1000:
            self._turns = {each: lock for each, lock in self._turns.items() if lock.locked()}
        return self._turns.setdefault(key, asyncio.Lock())

    async def _stands(self, url: str, token: str) -> str | None:
        """How the database stands; None for who is not signed in, or when it does not say."""
        return await asyncio.get_running_loop().run_in_executor(
            self._threads, partial(self._ask, plain_url(url), token_hash(token))
        )

    def _ask(self, url: str, hashed: str) -> str | None:
        connection: psycopg.Connection[Any] | None = getattr(self._own, "connection", None)
        try:
            if connection is None or connection.closed:
                connection = psycopg.connect(url, autocommit=True, connect_timeout=CONNECTS_S, prepare_threshold=1)
                self._own.connection = connection
            found = connection.execute(STANDS, (hashed,)).fetchone()
        except psycopg.Error:
            if connection is not None:
                connection.close()
            return None
        return None if found is None else str(found[0])

    def _known(self, key: bytes, stands: str) -> _Answer | None:
        answer = self._answers.get(key)
        if answer is None or answer.stands != stands or time.monotonic() - answer.made_s > FRESH_S:
            return None
        self._answers.move_to_end(key)
        return answer

    async def _worked_out(self, scope: Scope, receive: Receive) -> list[Message]:
        messages: list[Message] = []

        async def take(message: Message) -> None:
            messages.append(message)

        await self._app(scope, receive, take)
        return messages

    async def _keep(self, key: bytes, stands: str, messages: list[Message]) -> _Answer | None:
        """The answer as it is kept; None for one that is not: a refusal, something huge, no JSON."""
        if not messages or messages[0].get("status") != 200:
            return None
        body = b"".join(message.get("body", b"") for message in messages[1:])
        found = Headers(raw=messages[0].get("headers", []))
        if len(body) > LARGEST or found.get("content-type") != "application/json":
            return None
        packed, kept = len(body) >= SMALLEST_PACKED, body
        if packed:
            kept = await asyncio.get_running_loop().run_in_executor(self._threads, partial(gzip.compress, body, 2))
        rest = tuple((k, v) for k, v in messages[0]["headers"] if k.lower() != b"content-length")
        tag = f'"{hashlib.sha256(body).hexdigest()[:20]}"'
        answer = _Answer(stands, time.monotonic(), rest, kept, packed, tag)
        before = self._answers.pop(key, None)
        self._bytes += len(answer.body) - (len(before.body) if before else 0)
        self._answers[key] = answer
        while self._bytes > MOST_BYTES:
            _, oldest = self._answers.popitem(last=False)
            self._bytes -= len(oldest.body)
        return answer


def _token(headers: Headers) -> str | None:
    try:
        return SimpleCookie(headers.get("cookie", ""))[COOKIE].value
    except (KeyError, CookieError):
        return None


async def _send(answer: _Answer, asked: Headers, send: Send) -> None:
    start: Message = {"type": "http.response.start", "status": 200, "headers": list(answer.headers)}
    headers = MutableHeaders(scope=start)
    # Nothing of this lies on a disk: what a browser keeps of it, the page keeps in its memory.
    headers["Cache-Control"] = "no-store"
    headers["ETag"] = answer.tag
    headers["Vary"] = "Accept-Encoding"
    body = answer.body
    if asked.get("if-none-match") == answer.tag:
        start["status"], body = 304, b""
    elif answer.packed and "gzip" in asked.get("accept-encoding", ""):
        headers["Content-Encoding"] = "gzip"
    elif answer.packed:
        body = gzip.decompress(body)
    if start["status"] != 304:
        headers["Content-Length"] = str(len(body))
    await send(start)
    await send({"type": "http.response.body", "body": body})

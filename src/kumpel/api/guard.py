"""What stands before every request: origin, account and size of bodies, security headers, and failures that nobody expected."""

from __future__ import annotations

import asyncio
from http.cookies import CookieError, SimpleCookie

from sqlalchemy.exc import SQLAlchemyError
from sqlmodel import Session as Db
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from kumpel.api.dependencies import COOKIE
from kumpel.api.problems import UNEXPECTED, log_failure, problem
from kumpel.services.ground.accounts import browser_of
from kumpel.store.database import engine

LARGEST_BODY = 1_000_000
LARGEST_BEFORE = 20_000
"""Of those who are not signed in: a name and a password."""
MOST_TOGETHER = 64_000_000
"""Bodies that are being waited for take so much together."""
BODY_S = 30.0
"""A body has come within this time, or is waited for no longer."""
SILENCE_S = 30.0
"""A file may take as long as it likes, but never so long without a byte."""
OPEN = ("/api/sign-in", "/api/first-administrator", "/api/sign-out")
"""Addresses that nobody has to be signed in for."""
STREAMED = ("/api/files", "/api/firmware/images")
"""Addresses that take files: their bodies go to the disk piece by piece, with a limit of their own."""
BODILESS = ("GET", "HEAD", "OPTIONS", "DELETE")
SECURITY_HEADERS = {
    "Content-Security-Policy": "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; "
    "frame-ancestors 'none'; form-action 'self'; base-uri 'self'",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
}


class Guard:
    """Refuses changes that another site asked for, bodies of nobody and bodies that are too large or too slow; adds security headers.

    Plain ASGI: an open stream costs no task of its own here.
    """

    def __init__(self, app: ASGIApp) -> None:
        self._app = app
        self._waiting_bytes = 0

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
        if scope["method"] in BODILESS:
            await self._guarded(scope, receive, with_headers)
            return
        body = _Body(self, scope, receive)
        try:
            refused = await body.refused(headers)
            if refused is None:
                await self._guarded(scope, body, with_headers)
            else:
                await refused(scope, receive, with_headers)
        finally:
            body.let_go()

    def hold(self, count: int) -> bool:
        """Count bytes of a body that is waited for; whether there is room for them."""
        self._waiting_bytes += count
        return self._waiting_bytes <= MOST_TOGETHER

    def let_go(self, count: int) -> None:
        self._waiting_bytes -= count

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
            log_failure(scope["path"], error)
            if began:
                raise BrokenOffError from None
            await problem(500, "unexpected", UNEXPECTED)(scope, receive, send)


class BrokenOffError(Exception):
    """An answer that had begun could not be finished: the connection closes, so that the browser knows."""


async def _is_signed_in(scope: Scope, headers: Headers) -> bool:
    """Whether the browser is signed in, asked before its body is waited for."""
    try:
        token = SimpleCookie(headers.get("cookie", ""))[COOKIE].value
    except (KeyError, CookieError):
        return False
    url = scope["app"].state.config.database_url

    def known() -> bool:
        with Db(engine(url)) as db:
            return browser_of(db, token) is not None

    try:
        return await run_in_threadpool(known)
    except SQLAlchemyError:
        return True  # without a database the application says what is wrong


class _Body:
    """A request's body, read before anything parses it, so that one without a length is bounded, too.

    What comes in one piece is taken as it is; who sends more has to be signed in before it is waited for.
    """

    def __init__(self, guard: Guard, scope: Scope, receive: Receive) -> None:
        self._guard, self._scope, self._receive = guard, scope, receive
        self._messages: list[Message] = []
        self._held = 0
        self._streamed = scope["path"] in STREAMED

    def let_go(self) -> None:
        self._guard.let_go(self._held)
        self._held = 0

    async def refused(self, headers: Headers) -> Response | None:
        """The answer to a body that is not taken; None when it is all here, or goes to the disk as it comes."""
        free = self._scope["path"] in OPEN
        most = LARGEST_BEFORE if free else LARGEST_BODY
        declared = headers.get("content-length", "")
        size = int(declared) if declared.isdigit() else 0
        if size > most and not self._streamed:
            return _too_large(most)
        if self._streamed:
            return None if await _is_signed_in(self._scope, headers) else _sign_in()
        try:
            async with asyncio.timeout(BODY_S):
                return await self._read(most, free, headers)
        except TimeoutError:
            return problem(408, "too-slow", f"The request did not come within {BODY_S:.0f} s. Nothing was changed.")

    async def _read(self, most: int, free: bool, headers: Headers) -> Response | None:
        size = 0
        while True:
            message = await self._receive()
            self._messages.append(message)
            count = len(message.get("body", b""))
            size, self._held = size + count, self._held + count
            if not self._guard.hold(count):
                return problem(
                    503, "busy", "Too much is being sent at once. Nothing was changed; try again in a moment."
                )
            if size > most:
                return _too_large(most)
            if message["type"] != "http.request" or not message.get("more_body", False):
                return None
            if not free and len(self._messages) == 1 and not await _is_signed_in(self._scope, headers):
                return _sign_in()

    async def __call__(self) -> Message:
        if self._messages:
            message = self._messages.pop(0)
            count = len(message.get("body", b""))
            self._guard.let_go(count)
            self._held -= count
            return message
        if not self._streamed:
            return await self._receive()
        try:
            async with asyncio.timeout(SILENCE_S):
                return await self._receive()
        except TimeoutError:
            return {"type": "http.disconnect"}


def _sign_in() -> Response:
    return problem(401, "sign-in", "Please sign in.")


def _too_large(most: int) -> Response:
    words = f"{most // 1_000_000} MB" if most >= 1_000_000 else f"{most // 1000} kB"
    return problem(413, "too-large", f"A request may have {words} at most. Nothing was changed.")

"""What stands before every request: origin, size, security headers, and failures that nobody expected."""

from __future__ import annotations

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from kumpel.api.problems import UNEXPECTED, log_failure, problem

LARGEST_BODY = 1_000_000
STREAMED = ("/api/files",)
"""Addresses that take files: their bodies go to the disk piece by piece, with a limit of their own."""
SECURITY_HEADERS = {
    "Content-Security-Policy": "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; "
    "frame-ancestors 'none'; form-action 'self'; base-uri 'self'",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
}


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
            log_failure(scope["path"], error)
            if began:
                raise BrokenOffError from None
            await problem(500, "unexpected", UNEXPECTED)(scope, receive, send)


class BrokenOffError(Exception):
    """An answer that had begun could not be finished: the connection closes, so that the browser knows."""


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

"""Server-sent events: what changes in the database reaches every browser."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import AsyncIterator

import psycopg
from fastapi import APIRouter, Request
from sse_starlette import EventSourceResponse, ServerSentEvent

from kumpel.api.dependencies import Who
from kumpel.store.database import CHANGES, plain_url

router = APIRouter(tags=["events"])
log = logging.getLogger("kumpel.events")


class Broadcast:
    """Listens on the database once and passes every note on to all open browsers."""

    def __init__(self, url: str) -> None:
        self._url = url
        self._open: set[asyncio.Queue[str]] = set()

    async def listen(self) -> None:
        """Until cancelled; comes back after a database restart and tells browsers to look at everything again."""
        while True:
            try:
                async with await psycopg.AsyncConnection.connect(plain_url(self._url), autocommit=True) as connection:
                    await connection.execute(f"listen {CHANGES}")
                    self.tell('{"what": "everything"}')
                    async for note in connection.notifies():
                        self.tell(note.payload)
            except psycopg.Error as error:
                log.warning("the database is away (%s); listening again in a second", type(error).__name__)
            await asyncio.sleep(1)

    def tell(self, note: str) -> None:
        for browser in self._open:
            with contextlib.suppress(asyncio.QueueFull):
                browser.put_nowait(note)

    async def notes(self) -> AsyncIterator[ServerSentEvent]:
        browser: asyncio.Queue[str] = asyncio.Queue(1000)
        self._open.add(browser)
        try:
            yield ServerSentEvent(data='{"what": "everything"}')
            while True:
                yield ServerSentEvent(data=await browser.get())
        finally:
            self._open.discard(browser)


@router.get("/events", response_class=EventSourceResponse)
async def events(request: Request, who: Who) -> EventSourceResponse:
    """A stream of notes: recorders, hand-overs, take-in, arriving (with bytes), stored, review, sessions, reports."""
    broadcast: Broadcast = request.app.state.broadcast
    return EventSourceResponse(broadcast.notes(), ping=15)

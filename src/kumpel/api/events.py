"""Server-sent events: what changes in the database reaches every browser."""

from __future__ import annotations

import asyncio
import json
import logging
from collections.abc import AsyncIterator
from dataclasses import dataclass, field

import psycopg
from fastapi import APIRouter, Request
from sqlalchemy.exc import SQLAlchemyError
from sqlmodel import Session as Db
from sse_starlette import EventSourceResponse, ServerSentEvent

from kumpel.api.dependencies import SignedIn
from kumpel.services.ground.accounts import SIGNED_OUT, Browser, still_signed_in
from kumpel.store.database import CHANGES, engine, plain_url
from kumpel.store.tables import now

router = APIRouter(tags=["events"])
log = logging.getLogger("kumpel.events")
EVERYTHING = '{"what": "everything"}'
MOST_WAITING = 200
PING_S = 2
"""A browser that hears nothing for twice as long and a little more knows that the server hangs."""


def _ping() -> ServerSentEvent:
    """An event of its own: comments, the usual sign of life, are not shown to the page."""
    return ServerSentEvent(event="ping", data="")


@dataclass(eq=False)
class _Stream:
    """One open stream: what it has still to send; None ends it."""

    browser: Browser
    notes: asyncio.Queue[str | None] = field(default_factory=lambda: asyncio.Queue(MOST_WAITING))

    def put(self, note: str | None) -> None:
        if self.notes.full():
            # A browser that does not read: it looks at everything again when it does.
            while not self.notes.empty():
                self.notes.get_nowait()
            self.notes.put_nowait(EVERYTHING)
        self.notes.put_nowait(note)


class Broadcast:
    """Listens on the database once and passes every note on to all open browsers.

    A stream keeps no connection to the database, and ends when its browser signs out or its sign-in runs out.
    """

    def __init__(self, url: str) -> None:
        self._url = url
        self._open: set[_Stream] = set()

    async def listen(self) -> None:
        """Until cancelled; comes back after a database restart and tells browsers to look at everything again."""
        while True:
            try:
                async with await psycopg.AsyncConnection.connect(plain_url(self._url), autocommit=True) as connection:
                    await connection.execute(f"listen {CHANGES}")
                    # Who signed out meanwhile was not heard; neither was anything else.
                    await self._end_signed_out(list(self._open))
                    self.tell(EVERYTHING)
                    async for note in connection.notifies():
                        self.hear(note.payload)
            except (psycopg.Error, SQLAlchemyError) as error:
                log.warning("the database is away (%s); listening again in a second", type(error).__name__)
            await asyncio.sleep(1)

    def hear(self, payload: str) -> None:
        """A note of the database: passed on, or the end of somebody's streams."""
        if SIGNED_OUT not in payload:
            self.tell(payload)
            return
        key = json.loads(payload).get("key")
        for stream in self._open:
            if stream.browser.key == key:
                stream.put(None)

    async def _end_signed_out(self, streams: list[_Stream]) -> None:
        """End those whose browser is not signed in any more."""
        left = await asyncio.to_thread(self._signed_in, [stream.browser for stream in streams])
        for stream in streams:
            if stream.browser.key not in left:
                stream.put(None)

    def _signed_in(self, browsers: list[Browser]) -> set[str]:
        with Db(engine(self._url)) as db:
            return still_signed_in(db, browsers)

    def tell(self, note: str) -> None:
        for stream in self._open:
            stream.put(note)

    async def notes(self, browser: Browser) -> AsyncIterator[ServerSentEvent]:
        stream = _Stream(browser)
        self._open.add(stream)
        try:
            # It may have signed out between being asked who it is and being on the list.
            await self._end_signed_out([stream])
            yield ServerSentEvent(data=EVERYTHING)
            while (left_s := (browser.until - now()).total_seconds()) > 0:
                try:
                    note = await asyncio.wait_for(stream.notes.get(), min(left_s, 3600))
                except TimeoutError:
                    continue
                if note is None:
                    return
                yield ServerSentEvent(data=note)
        finally:
            self._open.discard(stream)


@router.get("/events", response_class=EventSourceResponse, responses={200: {"content": {"text/event-stream": {}}}})
async def events(request: Request, browser: SignedIn) -> EventSourceResponse:
    """A stream of notes: recorders, hand-overs, take-in, arriving (with bytes), stored, review, sessions, reports."""
    broadcast: Broadcast = request.app.state.broadcast
    return EventSourceResponse(broadcast.notes(browser), ping=PING_S, ping_message_factory=_ping)

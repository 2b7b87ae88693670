"""The wall: recorders worn now, their values as they are heard. One subscription a process, however many browsers look on."""

from __future__ import annotations

import asyncio
import json
import logging
import threading
from collections.abc import AsyncIterator
from contextlib import closing
from typing import Any

from fastapi import APIRouter, Request
from sqlmodel import Session as Db
from sqlmodel import select
from sse_starlette import EventSourceResponse, ServerSentEvent

from kumpel.api import schemas
from kumpel.api.dependencies import Database, SignedIn, Who
from kumpel.services.ground import settings
from kumpel.services.ground.accounts import Browser, still_signed_in
from kumpel.services.ground.problems import ProblemError
from kumpel.services.recorders import wall, wall_marks
from kumpel.services.recorders.wall import COURSE_S, COURSE_STEP_S, Note
from kumpel.store.database import engine
from kumpel.store.tables import Team, now

router = APIRouter(tags=["wall"])
log = logging.getLogger("kumpel.wall")
MOST_WAITING = 100
LOOK_AGAIN_S = 10.0
AGAIN_S = 1.0


class WallFeed:
    """What the wall tells, to every browser of this process; asked for while one looks."""

    def __init__(self, url: str) -> None:
        self._url = url
        self._open: set[asyncio.Queue[str]] = set()
        self._tiles: dict[int, dict[str, Any]] = {}
        self._thread: threading.Thread | None = None

    async def notes(self, browser: Browser) -> AsyncIterator[ServerSentEvent]:
        mine: asyncio.Queue[str] = asyncio.Queue(MOST_WAITING)
        loop = asyncio.get_running_loop()
        if self._tiles:
            mine.put_nowait(self._all())
        self._open.add(mine)
        if self._thread is None or not self._thread.is_alive():
            self._thread = threading.Thread(target=self._listen, args=(loop,), name="wall feed", daemon=True)
            self._thread.start()
        asked_s = loop.time()
        try:
            while browser.until > now():
                yield ServerSentEvent(data=await mine.get())
                if loop.time() - asked_s >= LOOK_AGAIN_S:
                    asked_s = loop.time()
                    if not await asyncio.to_thread(self._signed_in, browser):
                        return
        finally:
            self._open.discard(mine)

    def _signed_in(self, browser: Browser) -> bool:
        with Db(engine(self._url)) as db:
            return bool(still_signed_in(db, [browser]))

    def _listen(self, loop: asyncio.AbstractEventLoop) -> None:
        pause = threading.Event()
        while self._open:
            try:
                with closing(wall.look(self._url)) as notes:
                    for note in notes:
                        if not self._open:
                            break
                        loop.call_soon_threadsafe(self._hear, note)
            except (ProblemError, OSError) as error:
                log.warning("the wall is away (%s); asked again in a second", error)
            except RuntimeError:
                return  # the loop has ended
            except Exception:
                log.exception("the wall could not be read; asked again in a second")
            if self._open:
                pause.wait(AGAIN_S)
        loop.call_soon_threadsafe(self._tiles.clear)

    def _hear(self, note: Note) -> None:
        if "all" in note:
            self._tiles = {tile["recorder"]: tile for tile in note["all"]}
        for tile in note.get("tiles", ()):
            self._merge(tile)
        words = json.dumps(note)
        for waiting in self._open:
            if waiting.full():
                # One that does not read: it is told everything when it does.
                while not waiting.empty():
                    waiting.get_nowait()
                words = self._all()
            waiting.put_nowait(words)

    def _merge(self, tile: dict[str, Any]) -> None:
        known = self._tiles.get(tile["recorder"])
        if known is None:
            return
        known |= tile
        times, heard = known["times"], tile["heard_at"]
        if heard is None or (times and heard - times[-1] < COURSE_STEP_S):
            return
        times.append(heard)
        spare = max(len(times) - round(COURSE_S / COURSE_STEP_S), 0)
        del times[:spare]
        for channel, course in known["courses"].items():
            course.append(tile["values"].get(channel))
            del course[:spare]

    def _all(self) -> str:
        return json.dumps({"now": now().timestamp(), "all": [*self._tiles.values()]})


@router.get(
    "/wall/stream",
    response_class=EventSourceResponse,
    responses={200: {"content": {"text/event-stream": {}}}},
)
async def stream(request: Request, browser: SignedIn) -> EventSourceResponse:
    """A stream: first `all` who wear a recorder now, then the `tiles` that changed, each with `now` by the server's clock. Nothing of it
    is stored."""
    feed: WallFeed = request.app.state.wall
    return EventSourceResponse(feed.notes(browser))


@router.get("/wall/calls")
def calls(db: Database, who: Who) -> schemas.WallCalls:
    """Whom to call, by team."""
    teams = ["", *db.exec(select(Team.name).order_by(Team.name)).all()]
    held = settings.chosen(db)
    return schemas.WallCalls(
        calls=[
            schemas.WallCall(
                team=team,
                call=str(settings.value_in(held, settings.WALL_CALL, team=team) or ""),
                worse=str(settings.value_in(held, settings.WALL_WORSE, team=team) or ""),
            )
            for team in teams
        ]
    )


@router.get("/wall/marks")
def marks(db: Database, who: Who) -> schemas.WallMarks:
    """The newest marks, each with the session it lies in once that was taken in."""
    return schemas.WallMarks(marks=[schemas.WallMark.model_validate(each) for each in wall_marks.newest(db)])


@router.post("/wall/marks", status_code=201)
def set_mark(wish: schemas.NewMark, db: Database, who: Who) -> schemas.WallMarks:
    """Something happens now: stored at once, by the server's clock."""
    wall_marks.keep(db, wish.text, wish.recorder_id)
    return marks(db, who)


@router.post("/wall/answers", status_code=201)
def answer(wish: schemas.WallAnswer, request: Request, db: Database, who: Who) -> schemas.WallMarks:
    """Somebody has called: every wall says so, and it is kept as a mark."""
    wall_marks.keep(db, f"{who.name} has called", wish.recorder_id)
    wall.answer(db, request.app.state.config.database_url, wish.recorder_id, who.name)
    return marks(db, who)

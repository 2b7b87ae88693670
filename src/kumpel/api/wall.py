"""The wall: recorders worn now, their values as they are heard. One subscription a process, however many browsers look on."""

from __future__ import annotations

import asyncio
import json
import logging
import threading
from collections.abc import AsyncIterator, Callable
from contextlib import closing
from datetime import datetime, timedelta
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from sqlmodel import Session as Db
from sqlmodel import select
from sse_starlette import EventSourceResponse, ServerSentEvent

from kumpel.api import schemas
from kumpel.api.dependencies import Database, SignedIn, Who
from kumpel.services.ground import settings, tokens
from kumpel.services.ground.accounts import still_signed_in
from kumpel.services.ground.problems import ForbiddenError, ProblemError
from kumpel.services.recorders import wall, wall_marks
from kumpel.services.recorders.wall import COURSE_S, COURSE_STEP_S, Note
from kumpel.store.database import engine
from kumpel.store.tables import Team, Token, now

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

    async def notes(self, until: datetime, still: Callable[[Db], bool]) -> AsyncIterator[ServerSentEvent]:
        """What the wall tells, as long as whoever looks on `still` may."""
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
            while until > now():
                yield ServerSentEvent(data=await mine.get())
                if loop.time() - asked_s >= LOOK_AGAIN_S:
                    asked_s = loop.time()
                    if not await asyncio.to_thread(self._may, still):
                        return
        finally:
            self._open.discard(mine)

    def _may(self, still: Callable[[Db], bool]) -> bool:
        with Db(engine(self._url)) as db:
            return still(db)

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
    return EventSourceResponse(feed.notes(browser.until, lambda db: bool(still_signed_in(db, [browser]))))


@router.get("/wall/links")
def wall_links(db: Database, who: Who) -> list[schemas.WallLink]:
    """The addresses of the wall for screens that whoever asks has made, and that are not over."""
    return [_link(row) for row in tokens.of_account(db, who.id or 0, tokens.WALL)]


@router.post("/wall/links", status_code=201)
def make_wall_link(wish: schemas.NewWallLink, db: Database, who: Who) -> schemas.WallLink:
    """An address that shows the wall on a screen without a sign-in, and nothing else, for so many hours; it is shown once."""
    until = now() + timedelta(hours=wish.hours)
    row, word = tokens.make(db, tokens.WALL, who.id or 0, named=True, name=wish.name, until=until)
    # After the "#" it is in no request for the page itself, nor in what a page tells another where it came from.
    return _link(row, f"/screen#{word}")


@router.delete("/wall/links/{link_id}", status_code=204)
def end_wall_link(link_id: int, db: Database, who: Who) -> None:
    """From now on it shows nothing."""
    tokens.remove(db, link_id, who.id or 0)


def _link(row: Token, address: str = "") -> schemas.WallLink:
    return schemas.WallLink(
        id=row.id or 0, name=row.name, until=row.until or now(), used_at=row.used_at, address=address
    )


Word = Annotated[str, Query(min_length=20, max_length=100)]


@router.get("/wall/screen")
def screen(word: Word, db: Database) -> schemas.WallScreen:
    """Until when the address of a screen shows the wall, and whom it says to call."""
    row = tokens.opened_by(db, tokens.WALL, word)
    return schemas.WallScreen(until=row.until or now(), calls=_calls(db))


@router.get(
    "/wall/screen/stream",
    response_class=EventSourceResponse,
    responses={200: {"content": {"text/event-stream": {}}}},
)
async def screen_stream(word: Word, request: Request) -> EventSourceResponse:
    """As the stream of the wall, for a screen with an address of its own."""
    feed: WallFeed = request.app.state.wall

    def until(db: Db) -> datetime:
        return tokens.opened_by(db, tokens.WALL, word).until or now()

    def still(db: Db) -> bool:
        try:
            return until(db) > now()
        except ForbiddenError:
            return False

    def opened() -> datetime:
        with Db(engine(request.app.state.config.database_url)) as db:
            return until(db)

    return EventSourceResponse(feed.notes(await asyncio.to_thread(opened), still))


@router.get("/wall/calls")
def calls(db: Database, who: Who) -> schemas.WallCalls:
    """Whom to call, by team."""
    return schemas.WallCalls(calls=_calls(db))


def _calls(db: Db) -> list[schemas.WallCall]:
    teams = ["", *db.exec(select(Team.name).order_by(Team.name)).all()]
    held = settings.chosen(db)
    return [
        schemas.WallCall(
            team=team,
            call=str(settings.value_in(held, settings.WALL_CALL, team=team) or ""),
            worse=str(settings.value_in(held, settings.WALL_WORSE, team=team) or ""),
        )
        for team in teams
    ]


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

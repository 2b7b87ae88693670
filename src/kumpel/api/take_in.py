"""Take in: what is on the recorders, taking it in, clearing; files by the same door."""

from __future__ import annotations

import asyncio
import tempfile
from typing import Annotated, Any, BinaryIO

from fastapi import APIRouter, Query, Request
from sqlalchemy import Engine
from sqlmodel import Session as Db

from kumpel.api import answers, schemas
from kumpel.api.dependencies import Database, Queue, SignedIn, Who
from kumpel.services.ground import deeds
from kumpel.services.ground.problems import InvalidError
from kumpel.services.recorders import bays
from kumpel.services.register.session_list import listed
from kumpel.services.take_in import from_files, take_in
from kumpel.services.work.jobs import Jobs
from kumpel.store.database import engine

router = APIRouter(tags=["take in"])
LARGEST_FILE = 512 * 1024 * 1024
TOO_LARGE = "The file is larger than 512 MB. Nothing was stored."
PIECE_BYTES = 1 << 20


@router.get("/take-in")
def list_bays(db: Database, who: Who) -> list[schemas.Bay]:
    """Recorders in reach and the sessions on them."""
    return answers.all_bays(db, bays.bays(db))


@router.post("/take-in", status_code=202)
def begin(wish: schemas.TakeIn, db: Database, who: Who, jobs: Queue) -> schemas.Begun:
    """Take sessions in; progress comes over the event stream."""
    wishes = [take_in.Wish(**each.model_dump()) for each in wish.sessions]
    return schemas.Begun(session_ids=take_in.begin(db, wishes, who.id, jobs.start_take_in))


@router.post("/take-in/stop")
def stop_take_in(db: Database, who: Who) -> schemas.Stopped:
    """Leave on the recorders what waits for its turn; what is being read is read to its end."""
    return schemas.Stopped(sessions=take_in.stop(db))


@router.post("/recorders/{recorder_id}/clear")
def clear(recorder_id: int, wish: schemas.Clear, db: Database, who: Who) -> schemas.Cleared:
    """Remove sessions on the recorder that are stored here, verified and named one by one."""
    return schemas.Cleared(cleared=take_in.clear(db, recorder_id, wish.recorder_sessions, wish.passcode))


@router.post("/sessions/{session_id}/keep-on-recorder", status_code=204)
def keep_on_recorder(session_id: int, db: Database, who: Who) -> None:
    """Take back that a session is to be cleared on its recorder."""
    take_in.keep_on_recorder(db, session_id)


FILE_BODY = {
    "required": True,
    "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}},
}


@router.post("/files", status_code=201, openapi_extra={"requestBody": FILE_BODY})
async def upload(
    request: Request,
    browser: SignedIn,
    jobs: Queue,
    name: Annotated[str, Query(max_length=200)] = "",
    kind: Annotated[str, Query(max_length=40)] = "",
    person_id: Annotated[int | None, Query(ge=1, le=2**31 - 1)] = None,
) -> schemas.Session:
    """Take a file (as the request's body) in by the same door: a recording file, CSV, EDF, GPX or Parquet.

    It goes to the disk as it comes, into a file without a name: a broken upload or a killed server leaves nothing.
    """
    declared = request.headers.get("content-length", "0")
    if declared.isdigit() and int(declared) > LARGEST_FILE:
        raise InvalidError(TOO_LARGE)
    with tempfile.TemporaryFile(prefix="kumpel-upload-") as file:
        size, held = 0, bytearray()
        async for chunk in request.stream():
            held += chunk
            size += len(chunk)
            if size > LARGEST_FILE:
                raise InvalidError(TOO_LARGE)
            if len(held) >= PIECE_BYTES:
                await asyncio.to_thread(file.write, bytes(held))
                held.clear()
        await asyncio.to_thread(file.write, bytes(held))
        await asyncio.to_thread(file.seek, 0)
        store = engine(request.app.state.config.database_url)
        wish = {"name": name, "kind": kind, "person_id": person_id}
        return await asyncio.to_thread(_store, store, file, browser.account_id, jobs, wish)


def _store(store: Engine, file: BinaryIO, who: int, jobs: Jobs, wish: dict[str, Any]) -> schemas.Session:
    with Db(store, expire_on_commit=False) as db:
        deeds.work_for(db, who)
        session = from_files.take_in_file(db, file, who, **wish)
        jobs.start_assess(session.id or 0)
        return answers.session(listed(db, session.id or 0))

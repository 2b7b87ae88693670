"""Sensors of recorders: live values, calibrations, checks."""

from __future__ import annotations

import json
import math
import time
from collections.abc import Iterator, Sequence
from contextlib import closing
from typing import Annotated

from fastapi import APIRouter, Query, Request
from sqlmodel import Session as Db
from sse_starlette import EventSourceResponse, ServerSentEvent

from kumpel.api import schemas
from kumpel.api.dependencies import Database, SignedIn, Who
from kumpel.services.ground.accounts import Browser, still_signed_in
from kumpel.services.ground.problems import ProblemError
from kumpel.services.recorders import checks, sensors
from kumpel.services.recorders.live_values import RAW_VALUE, LiveValue, watch
from kumpel.services.recorders.recorders import recorder_of
from kumpel.store.database import engine
from kumpel.store.tables import Recorder, now

router = APIRouter(tags=["sensors"])
LOOK_AGAIN_S = 10.0
"""How often the stream of a browser asks whether that is still signed in."""
Keys = Annotated[list[str], Query(default_factory=list, max_length=64)]


@router.get("/recorders/{recorder_id}/sensors")
def sensors_of(recorder_id: int, db: Database, who: Who) -> schemas.SensorBench:
    return schemas.SensorBench.of(sensors.bench(db, recorder_id))


@router.get(
    "/recorders/{recorder_id}/live",
    response_class=EventSourceResponse,
    responses={200: {"content": {"text/event-stream": {}}}},
)
def live(recorder_id: int, request: Request, browser: SignedIn, channels: Keys, raw: Keys) -> EventSourceResponse:
    """A stream of live values: `at` (Unix s by the recorder's clock), `values` and `raw` by channel, null where nothing was measured.

    An event `lost` says why it ended.
    """
    url: str = request.app.state.config.database_url
    with Db(engine(url)) as db:
        recorder = recorder_of(db, recorder_id)
        db.expunge(recorder)
    return EventSourceResponse(_packs(url, recorder, browser, channels, raw))


def _packs(
    url: str, recorder: Recorder, browser: Browser, channels: Sequence[str], raw: Sequence[str]
) -> Iterator[ServerSentEvent]:
    asked_s = time.monotonic()
    try:
        with closing(watch(url, recorder, channels, raw)) as packs:
            for pack in packs:
                yield ServerSentEvent(data=_pack(pack))
                if time.monotonic() - asked_s < LOOK_AGAIN_S:
                    continue
                asked_s = time.monotonic()
                with Db(engine(url)) as db:
                    if browser.until < now() or not still_signed_in(db, [browser]):
                        return
    except ProblemError as problem:
        yield ServerSentEvent(event="lost", data=problem.detail)


def _pack(values: Sequence[LiveValue]) -> str:
    told: dict[str, dict[str, float | None]] = {"values": {}, "raw": {}}
    for value in values:
        known = None if math.isnan(value.value) else value.value
        if value.channel.endswith(RAW_VALUE):
            told["raw"][value.channel.removesuffix(RAW_VALUE)] = known
        else:
            told["values"][value.channel] = known
    return json.dumps({"at": max((v.at for v in values), default=0.0)} | told)


@router.post("/recorders/{recorder_id}/sensors/{sensor}/capture")
def capture(recorder_id: int, sensor: str, wish: schemas.CaptureWish, db: Database, who: Who) -> schemas.Capture:
    """Hold a position for a second. A value that cannot be used is answered with the reason; nothing is written."""
    return schemas.Capture.model_validate(
        sensors.capture(db, recorder_id, sensor, wish.position, wish.trues, wish.raws)
    )


@router.post("/recorders/{recorder_id}/sensors/{sensor}/calibrate")
def calibrate(
    recorder_id: int, sensor: str, wish: schemas.CalibrationWish, db: Database, who: Who
) -> schemas.SensorBench:
    """Write a calibration, read it back, keep it."""
    if wish.points:
        points = [(each.raw, each.true) for each in wish.points]
        found = sensors.write(db, recorder_id, sensor, points, wish.serial, wish.passcode)
    else:
        found = sensors.press(db, recorder_id, sensor, wish.serial, wish.passcode)
    return schemas.SensorBench.of(found)


@router.post("/recorders/{recorder_id}/sensors/put-back")
def put_back(recorder_id: int, wish: schemas.PutBack, db: Database, who: Who) -> schemas.SensorBench:
    """Write an earlier calibration again."""
    return schemas.SensorBench.of(sensors.put_back(db, recorder_id, wish.check_id, wish.passcode))


@router.post("/recorders/{recorder_id}/sensors/{sensor}/proof")
def prove(recorder_id: int, sensor: str, wish: schemas.ProofWish, db: Database, who: Who) -> schemas.SensorBench:
    """Keep that the calibration was seen to be right."""
    return schemas.SensorBench.of(sensors.prove(db, recorder_id, sensor, wish.seen, wish.days, wish.certificate))


@router.post("/recorders/{recorder_id}/sensors/{sensor}/replaced")
def sensor_replaced(
    recorder_id: int, sensor: str, wish: schemas.Replaced, db: Database, who: Who
) -> schemas.SensorBench:
    """Keep that the sensor is another one now: its earlier calibrations count no longer."""
    return schemas.SensorBench.of(sensors.replaced(db, recorder_id, sensor, wish.serial, wish.why))


@router.post("/recorders/{recorder_id}/checks", status_code=201)
def keep_check(recorder_id: int, wish: schemas.NewCheck, db: Database, who: Who) -> schemas.SensorCheck:
    """Keep a check that was made elsewhere."""
    return schemas.SensorCheck.model_validate(checks.add(db, recorder_of(db, recorder_id), wish.model_dump()))

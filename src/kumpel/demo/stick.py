"""A stick that came with the mail: files of other instruments, which lie in a folder that is looked into."""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path

from sqlmodel import Session as Db

from kumpel.config import DEMO
from kumpel.formats import gpx, krec
from kumpel.services.ground import settings
from kumpel.services.recorders.folder_link import IDENTITY
from kumpel.standins.signals import SIGNALS

STICKS = DEMO / "sticks"
FROM_ELSEWHERE = "Tag;Wert 1;Wert 2\n" + "".join(f"{i};{40 + i % 7};{3 + i % 2}\n" for i in range(1, 60))
"""A table whose columns say nothing: it waits with the reason."""


def put(db: Db, who: int | None, folder: Path = STICKS) -> None:
    stick = folder / "mill office"
    stick.mkdir(parents=True, exist_ok=True)
    (stick / IDENTITY).write_text(json.dumps({"serial": "FD-07C40101", "name": "Stick, mill office"}))
    (stick / "contractor shift.krec").write_bytes(_at("noise", 41, days_ago=2, hour=6.2, serial="NM-000388"))
    run = SIGNALS["training"](23).recording
    (stick / "hill run.gpx").write_bytes(gpx.write(replace(run, start=_moment(3, 17.4)), "Hill run"))
    (stick / "old monitor.csv").write_text(FROM_ELSEWHERE)
    settings.add_line(db, settings.FOLDERS, f"{folder}/*", who)


def _moment(days_ago: int, hour: float) -> float:
    midnight = datetime.now().astimezone().replace(hour=0, minute=0, second=0, microsecond=0)
    return (midnight - timedelta(days=days_ago) + timedelta(hours=hour)).timestamp()


def _at(kind: str, seed: int, *, days_ago: int, hour: float, serial: str) -> bytes:
    made = SIGNALS[kind](seed).recording
    about = {"serial": serial, "name": "Noise meter, contractor", "model": "made up"}
    return krec.write_recording(replace(made, start=_moment(days_ago, hour), recorder=about))

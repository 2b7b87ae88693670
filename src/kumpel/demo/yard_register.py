"""The yard of Tarnfels, put into the registers."""

from __future__ import annotations

import json

from sqlmodel import Session as Db

from kumpel.demo.yard import COURSES, PORTS, VEHICLES
from kumpel.services import course_register, settings, vehicles


def put(db: Db, who: int | None) -> None:
    for each in VEHICLES:
        vehicles.put(db, dict(each))
    for course in COURSES:
        course_register.add(db, "", json.dumps(course), who)
    settings.add_line(db, settings.PORTS, f"{PORTS}/*", who)
    db.commit()

"""The yard of Tarnfels, put into the registers."""

from __future__ import annotations

import json

from sqlmodel import Session as Db

from kumpel.demo.yard import COURSES, MIXTURE, PORTS, VEHICLES
from kumpel.services.ground import settings
from kumpel.services.yard import course_register, vehicles


def put(db: Db, who: int | None) -> None:
    for each in VEHICLES:
        made = vehicles.put(db, dict(each))
        if each["profile"] == "kart":
            vehicles.arrange(db, made.id, "table", MIXTURE)
    for course in COURSES:
        course_register.add(db, "", json.dumps(course), who)
    settings.add_line(db, settings.PORTS, f"{PORTS}/*", who)
    db.commit()

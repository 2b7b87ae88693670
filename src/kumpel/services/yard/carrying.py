"""The yard answers what carries a recorder: a vehicle."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from sqlmodel import Session as Db

from kumpel.kinds.kind import Kind
from kumpel.link.client import RecorderLink
from kumpel.services.ground.carriers import Carriers, CourseOnIt
from kumpel.services.yard import belonging, course_register
from kumpel.store.tables import Recorder, Session


class Vehicles(Carriers):
    def limit_set_id(self, db: Db, session: Session) -> int | None:
        return belonging.limit_set_id(db, session)

    def check_days(self, db: Db, recorders: Sequence[Recorder]) -> dict[int, Mapping[str, int]]:
        return belonging.check_days(db, recorders)

    def with_its_sensors(self, db: Db, kind: Kind, settings: Mapping[str, Any]) -> dict[str, Any]:
        return belonging.with_its_sensors(db, kind, settings)

    def on_the_same(self, db: Db, recorder: Recorder) -> list[int]:
        return belonging.with_same_machine(db, recorder)

    def courses_beside(self, db: Db, recorder: Recorder) -> list[CourseOnIt]:
        return course_register.beside(db, recorder)

    def send_courses(self, db: Db, link: RecorderLink, wished: Sequence[str]) -> None:
        course_register.send(db, link, wished)

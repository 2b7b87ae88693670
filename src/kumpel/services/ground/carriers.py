"""What carries a recorder beside a person, asked without knowing what that is.

A room that keeps such things (vehicles in the yard) answers here, by `answer_with`, when it is loaded (`kumpel.services`). The rooms in
the middle ask `carriers()`: where nothing but people carries recorders, the answers are those of the class itself.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlmodel import Session as Db

from kumpel.kinds.kind import Kind
from kumpel.link.client import RecorderLink
from kumpel.store.tables import Recorder, Session


@dataclass(frozen=True)
class CourseOnIt:
    """A course of the register or of a recorder: whether it is here, whether it is there, whether both are the same."""

    name: str
    here: bool
    on_it: bool
    same: bool
    outline: list[list[float]]


class Carriers:
    """What is so where only people carry recorders."""

    def limit_set_id(self, db: Db, session: Session) -> int | None:
        """The limit set of what carried the recorder then; None: that of the kind."""
        return None

    def check_days(self, db: Db, recorders: Sequence[Recorder]) -> dict[int, Mapping[str, int]]:
        """For how many days a calibration holds there: by recorder, then by sensor; those that are not named hold as usual."""
        return {}

    def with_its_sensors(self, db: Db, kind: Kind, settings: Mapping[str, Any]) -> dict[str, Any]:
        """The settings with the sensors that belong to what carries the recorder."""
        return dict(settings)

    def on_the_same(self, db: Db, recorder: Recorder) -> list[int]:
        """The recorders that the same thing carries, this one with them."""
        return [recorder.id or 0]

    def courses_beside(self, db: Db, recorder: Recorder) -> list[CourseOnIt]:
        """The courses known here beside those on the recorder."""
        return []

    def send_courses(self, db: Db, link: RecorderLink, wished: Sequence[str]) -> None:
        """Make the recorder hold the wished courses. InvalidError for one that is neither here nor there."""


_answering = Carriers()


def carriers() -> Carriers:
    return _answering


def answer_with(answers: Carriers) -> None:
    global _answering
    _answering = answers

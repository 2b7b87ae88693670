"""A stored session of a person, and short words for what a reviewer does with it."""

from typing import Any

from kumpel.core.assessment import BothWays
from kumpel.services.ground import figures
from kumpel.services.ground.decisions import Wish
from kumpel.services.report import conclusions
from kumpel.services.review import deciding
from kumpel.store.tables import Session
from tests.support import DatabaseTest


class ReviewTest(DatabaseTest):
    """A noise session of Ida Brandvik, reviewed by the officer."""

    row: Session

    def setUp(self) -> None:
        super().setUp()
        self.ida = self.person("Ida Brandvik", number="TF-0401", team="Crusher hall")
        self.row = self.session(27_660, self.ida)

    @property
    def id(self) -> int:
        assert self.row.id is not None
        return self.row.id

    def both(self) -> BothWays:
        """What the session says: the signed results, else the newest."""
        found = conclusions.standing(self.db, self.row)
        assert found is not None, self.row.failure
        return found.both

    def value(self, key: str = "laeq", recorded: bool = False) -> float:
        both = self.both()
        return (both.recorded if recorded else both.reviewed).figure(key).value

    def decide(self, *wishes: Wish, remove: tuple[int, ...] = ()) -> None:
        self.row = deciding.decide(self.db, self.id, self.row.review_version, wishes, remove, self.who)

    def mark(self, start: float = 0, end: float = 9000, label: str = "meter knocked", what: str = "left out") -> None:
        self.decide(Wish(what, start_s=start, end_s=end, reason=label))

    def set(self, key: str, value: Any, reason: str = "") -> None:
        self.decide(Wish("setting", key, value=value, reason=reason))

    def undo(self) -> None:
        self.row = deciding.undo(self.db, self.id, self.row.review_version)

    def redo(self) -> None:
        self.row = deciding.redo(self.db, self.id, self.row.review_version)

    def sign(self) -> None:
        self.row = conclusions.sign(self.db, self.id, self.row.review_version, self.who)

    def assess(self) -> None:
        figures.assess(self.db, self.row)
        self.db.commit()

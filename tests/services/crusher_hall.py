"""A crusher hall with shifts whose daily level is put there by hand, so that the arithmetic of a group is plain."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from kumpel.services.ground import limits
from kumpel.services.register import sessions
from kumpel.services.report import conclusions
from kumpel.store.tables import FigureValue, Person, Session
from tests.support import DatabaseTest

FIRST = datetime(2026, 9, 7, 5, 0, tzinfo=UTC)


class CrusherHall(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        limits.put_shipped(self.db)
        self.hall = [
            self.person(name, team="Crusher hall") for name in ("Ida Brandvik", "Leila Haddad", "Oskar Nyland")
        ]
        self.fenna = self.person("Fenna de Wit", team="Crusher hall")
        self.mill = self.person("Tomas Ek", team="Mill")
        self.seed = 0

    def shift(self, person: Person, level: float, *, day: int = 0, signed: bool = True, **tags: str) -> Session:
        """A shift of a daily level; its figure is put there by hand, so that the arithmetic is plain."""
        self.seed += 1
        start = (FIRST + timedelta(days=day)).timestamp()
        session = self.session(22_000, person, seed=self.seed, start=start)
        if tags:
            sessions.change(self.db, session.id or 0, {"tags": tags})
        value = self.db.get_one(FigureValue, (session.id, "lex8h"))
        value.value, value.verdict = level, "within"
        session.verdict = "within"
        self.db.add(value)
        self.db.add(session)
        self.db.commit()
        if signed:
            conclusions.sign(self.db, session.id or 0, session.review_version, self.who)
        return session

    def measured(self) -> None:
        for number, (person, level) in enumerate(
            ((0, 84.0), (0, 85.0), (1, 82.0), (1, 83.0), (2, 83.5), (2, 84.5)), start=1
        ):
            self.shift(self.hall[person], level, day=number)

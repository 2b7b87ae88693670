"""How many statements an answer takes: the same, however many rows it has."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

from sqlalchemy import event

from kumpel.api import hand_out as hand_out_routes
from kumpel.api import take_in as take_in_routes
from kumpel.store import database
from kumpel.store.tables import HandOver, Recorder, Setup, now
from tests.support import DatabaseTest

MOST = {"take-in": 12, "recorders": 6, "register": 8}


class Statements(DatabaseTest):
    @contextmanager
    def counted(self) -> Iterator[list[str]]:
        said: list[str] = []

        def hear(connection: Any, cursor: Any, statement: str, *rest: Any) -> None:
            said.append(statement)

        engine = database.engine(self.url)
        event.listen(engine, "before_cursor_execute", hear)
        try:
            yield said
        finally:
            event.remove(engine, "before_cursor_execute", hear)

    def stand(self, first: int, last: int) -> None:
        """Loggers in reach, each with two sessions, and with somebody."""
        for number in range(first, last):
            listed = [
                {
                    "id": f"S-{k}",
                    "start": 1_795_000_000.0 + 4000 * k,
                    "length_s": 900.0,
                    "size": 5000,
                    "sha256": f"{number:032x}{k:032x}",
                    "complete": True,
                    "about": "Practice",
                }
                for k in range(2)
            ]
            recorder = Recorder(
                serial=f"VL-{number}", kind="vehicle", token=f"V-{number}", name=f"Logger {number}", in_reach=True
            )
            recorder.inventory = listed
            setup = Setup(kind="vehicle", name="Practice", settings={})
            person = self.person(f"Driver {number}")
            self.db.add_all((recorder, setup))
            self.db.flush()
            ids = {"recorder_id": recorder.id or 0, "person_id": person.id or 0, "setup_id": setup.id or 0}
            self.db.add(HandOver(**ids, given_at=now()))
        self.db.commit()

    def took(self, answer: Callable[[], list[Any]], rows: int) -> int:
        self.db.expire_all()
        with self.counted() as said:
            self.assertEqual(len(answer()), rows)
        return len(said)

    def test_lists_of_recorders_take_as_many_for_three_as_for_twelve(self) -> None:
        who: Any = None
        answers: dict[str, Callable[[], list[Any]]] = {
            "take-in": lambda: take_in_routes.list_bays(self.db, who),
            "recorders": lambda: hand_out_routes.list_recorders(self.db, who),
            "register": lambda: hand_out_routes.register(self.db, who).recorders,
        }
        self.stand(1, 4)
        few = {name: self.took(answer, 3) for name, answer in answers.items()}
        self.stand(4, 13)
        for name, answer in answers.items():
            with self.subTest(name):
                self.assertEqual(self.took(answer, 12), few[name])
                self.assertLessEqual(few[name], MOST[name])


if __name__ == "__main__":
    import unittest

    unittest.main()

"""The board of recorders: each in one cell, what one press does and does not do, the life of one."""

from __future__ import annotations

import unittest
from datetime import datetime, timedelta
from typing import Any

from sqlmodel import select

from kumpel.services.recorders.reaching import FOLDER_MODEL
from kumpel.services.recorders.recorders import recorder_of
from kumpel.services.register import board
from kumpel.services.register.board import OnBoard
from kumpel.store.database import engine
from kumpel.store.tables import HandOver, Person, Recorder, SensorCheck, Setup, now
from tests.support import DatabaseTest, MeterTest

RIGHT: dict[str, Any] = {"mode": "ready", "battery": 0.8, "place": "Dock A, bay 3"}
NEW = {"id": "S-1", "start": 1_795_000_000.0, "length_s": 3600.0, "size": 10, "complete": True, "sha256": "ab" * 32}


class Cells(DatabaseTest):
    def put(self, token: str, kind: str = "noise", **facts: Any) -> Recorder:
        status = RIGHT | facts.pop("status", {})
        row = Recorder(serial=f"S-{token}", kind=kind, token=token, name=token, status=status, in_reach=True)
        for name, value in facts.items():
            setattr(row, name, value)
        self.db.add(row)
        self.db.commit()
        return row

    def give(self, row: Recorder, until: datetime | None = None) -> None:
        setup = Setup(kind=row.kind, name="As it was", settings={})
        self.db.add(setup)
        self.db.flush()
        person = self.holder()
        ids = {"recorder_id": row.id or 0, "person_id": person.id or 0, "setup_id": setup.id or 0}
        self.db.add(HandOver(**ids, given_at=now() - timedelta(days=2), expected_at=until))
        self.db.commit()

    def holder(self) -> Person:
        known = self.db.exec(select(Person).where(Person.name == "Ida Brandvik")).first()
        return known or self.person("Ida Brandvik")

    def on(self, token: str) -> OnBoard:
        return next(each for each in board.board(self.db) if each.token == token)

    def cell(self, token: str) -> tuple[str, str, str]:
        on = self.on(token)
        return on.cell, on.words, on.deed

    def check(self, row: Recorder, days_ago: float, due_in: float, *, passed: bool = True) -> None:
        self.db.add(
            SensorCheck(
                recorder_id=row.id or 0,
                what="laboratory check",
                sensor="",
                passed=passed,
                at=now() - timedelta(days=days_ago),
                due_at=now() + timedelta(days=due_in),
            )
        )
        self.db.commit()

    def test_what_is_in_reach_charged_and_right_can_go(self) -> None:
        self.put("N-01")
        self.assertEqual(self.cell("N-01"), ("go", "Dock A, bay 3", ""))

    def test_one_press_takes_in_what_is_new_and_sets_a_clock(self) -> None:
        self.put("N-01", inventory=[NEW])
        self.put("N-02", clock_error_s=-246.0)
        self.put("N-03", inventory=[NEW], clock_error_s=-246.0)
        self.assertEqual(self.cell("N-01"), ("press", "take in 1", "take in"))
        self.assertEqual(self.cell("N-02"), ("press", "clock", "set the clock"))
        self.assertEqual(
            self.cell("N-03"), ("press", "take in 1", "take in"), "its error is kept with the session first"
        )

    def test_what_only_a_person_can_do_says_what(self) -> None:
        self.put("N-01", status={"battery": 0.09})
        self.put("N-02", status={"mode": "transfer-off", "press": "hold its round key for 3 s"})
        self.put("N-03", trouble="the link broke off", inventory=[NEW])
        checked = self.put("N-04")
        self.check(checked, 700, -10)
        self.assertEqual(self.cell("N-01"), ("hand", "battery 9 %", "charge it"))
        self.assertEqual(self.cell("N-02"), ("hand", "transfer off", "hold its round key for 3 s"))
        self.assertEqual(self.cell("N-03"), ("hand", "the link broke off", "look again"))
        cell, words, deed = self.cell("N-04")
        self.assertEqual((cell, deed), ("hand", "check it"))
        self.assertIn("due since", words)

    def test_what_is_with_somebody_is_out_and_late_when_it_should_be_back(self) -> None:
        for token, until in (
            ("N-01", now() + timedelta(hours=2)),
            ("N-02", now() - timedelta(hours=2)),
            ("N-03", None),
        ):
            self.give(self.put(token, in_reach=False), until)
        self.assertEqual([self.on(t).cell for t in ("N-01", "N-02", "N-03")], ["out"] * 3)
        self.assertEqual([self.on(t).late for t in ("N-01", "N-02", "N-03")], [False, True, False])
        self.assertEqual((self.on("N-02").mark, self.on("N-02").holder), ("should be back", "Ida Brandvik"))

    def test_what_came_back_with_something_new_is_not_late(self) -> None:
        self.give(self.put("N-01", inventory=[NEW]), now() - timedelta(days=1))
        self.assertEqual((self.on("N-01").cell, self.on("N-01").late, self.on("N-01").mark), ("press", False, ""))

    def test_what_nobody_reaches_is_away_and_a_folder_goes_nowhere(self) -> None:
        self.put("N-01", in_reach=False, seen_at=now())
        self.put("N-02", in_reach=False)
        self.put("F-01", host="/media/stick", port=0, model=FOLDER_MODEL)
        self.assertEqual(self.cell("N-01")[:2], ("away", "out of reach"))
        self.assertEqual(self.cell("N-02")[:2], ("away", "not seen"))
        self.assertEqual(self.on("F-01").battery, None)
        self.assertEqual(self.cell("F-01")[:2], ("away", "a folder of files"))

    def test_a_check_that_is_due_within_a_fortnight_marks_it_and_it_can_go(self) -> None:
        self.check(self.put("N-01"), 700, 9)
        self.check(self.put("N-02"), 700, 20)
        self.assertEqual([self.on(t).cell for t in ("N-01", "N-02")], ["go", "go"])
        self.assertTrue(self.on("N-01").mark.startswith("due within 14 days"))
        self.assertEqual(self.on("N-02").mark, "")

    def test_every_recorder_is_in_one_cell(self) -> None:
        for number in range(40):
            self.put(f"N-{number}", in_reach=number % 2 == 0, status={"battery": number / 40})
        found = board.board(self.db)
        self.assertEqual(len(found), 40)
        self.assertEqual(len({each.recorder_id for each in found}), 40)

    def test_one_that_needs_a_hand_is_named_and_left_alone(self) -> None:
        low = self.put("N-01", status={"battery": 0.05})
        out = self.put("N-02", in_reach=False)
        self.give(out)
        begun: list[list[int]] = []
        done = board.set_right(self.db, engine(self.url), [low.id or 0, out.id or 0], begun.append, self.who)
        self.assertEqual([each.done for each in done], ["", ""])
        self.assertEqual([each.why for each in done], ["it needs a hand: battery 5 %", "it is with Ida Brandvik"])
        self.assertEqual(begun, [])


class OnePress(MeterTest):
    """With a recorder that answers."""

    def right(self) -> board.Righted:
        row = self.seen()
        self.db.commit()
        return board.set_right(self.db, engine(self.url), [row.id or 0], self.begun.append, self.who)[0]

    def setUp(self) -> None:
        super().setUp()
        self.begun: list[list[int]] = []

    def test_its_clock_is_set_and_what_is_new_is_begun_nothing_is_cleared(self) -> None:
        self.meter.tell("set", clock_error_s=-120.0)
        self.assertEqual(board.board(self.db), [])
        self.seen()
        self.assertEqual(board.board(self.db)[0].deed, "set the clock")
        self.assertEqual((self.right().done, self.begun), ("clock set", []))
        self.db.expire_all()
        self.assertLess(abs(self.seen().clock_error_s or 0.0), 5)
        self.assertEqual(board.board(self.db)[0].cell, "go")
        self.record(3600)
        self.assertEqual((self.right().done, len(self.begun)), ("1 on the way in", 1))
        self.assertEqual(len(self.seen().inventory), 1, "it is still on the recorder")
        self.assertEqual(self.right().why, "", "asking twice changes nothing")

    def test_one_that_does_not_answer_says_so_and_stops_none(self) -> None:
        self.meter.tell("set", clock_error_s=-120.0)
        row = self.seen()
        self.ensemble.stop()
        found = board.set_right(self.db, engine(self.url), [row.id or 0], self.begun.append, self.who)[0]
        self.assertEqual(found.done, "")
        self.assertIn("What is stored is safe", found.why)

    def test_its_life_tells_who_had_it_what_came_and_how_its_clock_was(self) -> None:
        person = self.person("Ida Brandvik")
        self.give(person)
        self.take_in(self.record(3600))
        found = board.life(self.db, self.seen().id or 0, now() - timedelta(days=30))
        self.assertEqual((found.sessions_ever, found.people_ever), (1, 1))
        self.assertEqual([each.name for each in found.held], ["Ida Brandvik"])
        self.assertEqual(len(found.recorded), 1)
        self.assertIsNotNone(found.recorded[0].clock_error_s)
        later = board.life(self.db, recorder_of(self.db, self.seen().id or 0).id or 0, now() + timedelta(days=1))
        self.assertEqual((later.recorded, later.sessions_ever), ((), 1))


if __name__ == "__main__":
    unittest.main()

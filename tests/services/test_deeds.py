"""Deeds: every change asks whether it may, and leaves who did what, on whom, before and after; nothing of it can be removed."""

import uuid
from collections.abc import Callable
from unittest import mock

from sqlalchemy import text
from sqlalchemy.exc import DBAPIError
from sqlmodel import select

from kumpel.kinds.registry import KINDS
from kumpel.services.ground import deeds, people
from kumpel.services.ground.decisions import Wish
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ForbiddenError, ProblemError
from kumpel.services.hand_out import drafts, hand_out
from kumpel.services.register import sessions
from kumpel.services.report import conclusions, reports
from kumpel.services.review import deciding
from kumpel.services.take_in import take_in
from kumpel.store.tables import Deed, Session
from tests.services.reviewing import ReviewTest
from tests.support import MeterTest, recording_file


class Deeds(ReviewTest):
    def test_who_did_what_on_whom_before_and_after(self) -> None:
        deeds.work_for(self.db, self.who)
        people.change_person(self.db, self.ida.id or 0, {"team": "Mill", "notes": "night shift"})
        person = deeds.of(self.db, Whom("person", self.ida.id))
        self.assertEqual([d.what for d in person], ["person added", "person changed"])
        self.assertEqual(person[1].who, self.who)
        assert person[1].before is not None and person[1].after is not None
        self.assertEqual((person[1].before["notes"], person[1].after["notes"]), ("", "night shift"))
        self.assertEqual(set(person[1].after), {"team_id", "notes"})

        sessions.change(self.db, self.id, {"tags": {"place": "mill"}, "note": "wet"})
        sessions.delete_session(self.db, self.id)
        sessions.restore_session(self.db, self.id)
        self.db.refresh(self.row)
        self.mark()
        self.undo()
        self.redo()
        conclusions.conclude(self.db, self.id, "Fine.", self.who)
        self.sign()
        reports.issue(self.db, self.id, reports.Options(KINDS["noise"].one_page), self.who)
        conclusions.open_again(self.db, self.id, self.who, "a task was missing")
        done = deeds.of(self.db, Whom("session", self.id))
        self.assertEqual(
            [d.what for d in done],
            [
                "taken in from a file",
                "session changed",
                "session deleted",
                "session brought back",
                "decided",
                "undone",
                "done again",
                "concluded",
                "signed off",
                "report issued",
                "opened again",
            ],
        )
        self.assertTrue(all(d.who == self.who for d in done))
        changed, decided, opened = done[1], done[4], done[-1]
        self.assertEqual(changed.before, {"note": "", "tags": {}})
        self.assertEqual(changed.after, {"note": "wet", "tags": {"place": "mill"}})
        assert decided.after is not None and opened.after is not None
        self.assertEqual(decided.after["decisions"][0]["reason"], "meter knocked")
        self.assertEqual(opened.after["why"], "a task was missing")

    def test_a_change_that_is_refused_leaves_no_deed(self) -> None:
        before = len(self.db.exec(select(Deed)).all())
        for wrong in (
            lambda: self.mark(9, 3),
            lambda: sessions.change(self.db, self.id, {"clock_shift_s": 1e12}),
            lambda: people.change_person(self.db, self.ida.id or 0, {"name": " "}),
        ):
            with self.assertRaises(ProblemError):
                wrong()
            self.db.rollback()
        people.change_person(self.db, self.ida.id or 0, {"name": self.ida.name})
        self.assertEqual(len(self.db.exec(select(Deed)).all()), before, "nor does what changes nothing")

    def test_a_deed_is_neither_changed_nor_removed(self) -> None:
        for words in ("update deed set what = 'x'", "delete from deed", "truncate deed"):
            with self.subTest(words=words), self.assertRaisesRegex(DBAPIError, "neither changed nor removed"):
                self.db.connection().execute(text(words))
            self.db.rollback()


class May(MeterTest):
    def test_every_change_is_asked_about_first(self) -> None:
        ida = self.person()
        given = self.give(ida)
        name = self.record(3600)
        recorder = self.seen()
        row = self.session(600, ida)
        conclusions.conclude(self.db, row.id or 0, "Fine.", self.who)
        i, r = row.id or 0, recorder.id or 0
        draft = drafts.draft(self.db, r, ida.id)
        calls: dict[str, Callable[[], object]] = {
            "add": lambda: people.create_person(self.db, "Tomas Ek"),
            "change": lambda: people.change_person(self.db, ida.id or 0, {"notes": "x"}),
            "remove": lambda: people.delete_person(self.db, ida.id or 0),
            "hand out": lambda: hand_out.hand_out(
                self.db, hand_out.Slip(r, ida.id or 0, draft.settings, draft.revision), self.who
            ),
            "write": lambda: hand_out.write_only(self.db, r, draft.settings, draft.revision, True),
            "take back": lambda: hand_out.take_back(self.db, uuid.UUID(str(given.id))),
            "take in": lambda: take_in.begin(self.db, [take_in.Wish(r, name)], self.who, lambda _: None),
            "clear": lambda: take_in.clear(self.db, r, [name]),
            "file": lambda: take_in.from_file(self.db, recording_file(600, "S-9"), self.who),
            "session": lambda: sessions.change(self.db, i, {"note": "x"}),
            "delete": lambda: sessions.delete_session(self.db, i),
            "restore": lambda: sessions.restore_session(self.db, i),
            "decide": lambda: deciding.decide(self.db, i, 0, [Wish("left out", start_s=0, end_s=9, reason="x")]),
            "undo": lambda: deciding.undo(self.db, i, 0),
            "redo": lambda: deciding.redo(self.db, i, 0),
            "conclude": lambda: conclusions.conclude(self.db, i, "Other.", self.who),
            "sign": lambda: conclusions.sign(self.db, i, 0, self.who),
            "open": lambda: conclusions.open_again(self.db, i, self.who, "x"),
            "issue": lambda: reports.issue(self.db, i, reports.Options(KINDS["noise"].one_page), self.who),
        }
        before = len(self.db.exec(select(Deed)).all()), len(self.db.exec(select(Session)).all())
        with mock.patch.object(deeds, "may", return_value=False):
            for what, call in calls.items():
                with self.subTest(what=what), self.assertRaises(ForbiddenError):
                    call()
                self.db.rollback()
        after = len(self.db.exec(select(Deed)).all()), len(self.db.exec(select(Session)).all())
        self.assertEqual(after, before)

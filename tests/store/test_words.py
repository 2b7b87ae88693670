"""The words a session is found by and the time of its paper are kept by the database, whoever writes."""

from __future__ import annotations

import hashlib
from datetime import timedelta

from sqlalchemy import event, text
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.services.ground import people
from kumpel.services.register import session_list, sessions
from kumpel.services.register.session_list import Filter
from kumpel.services.report import reports
from kumpel.store.tables import Recorder, Report, Session, Tag, now
from tests import support
from tests.support import DatabaseTest

MOST_STATEMENTS = 6


class Words(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        self.ida = self.person("Ida Brandvik", number="TF-0401")
        self.recorder = Recorder(serial="NM-000199", kind="noise", token="N-99", name="Noise meter 99")
        self.db.add(self.recorder)
        self.db.commit()
        self.session = self.stored(support.recording_file(600), self.ida, place="crusher hall")

    def found(self, words: str) -> bool:
        self.db.expire_all()
        rows, _ = session_list.list_sessions(self.db, Filter(search=words))
        return self.session.id in {row.id for row in rows}

    def test_a_session_is_found_by_what_its_tables_say_now(self) -> None:
        for words in ("ida", "tf-0401", "n-99", "crusher", "Ida B", "hall"):
            self.assertTrue(self.found(words), words)
        people.change_person(self.db, self.ida.id or 0, {"name": "Mirko Vidas", "number": "TF-0777"})
        self.assertFalse(self.found("brandvik") or self.found("0401"))
        self.assertTrue(self.found("vidas") and self.found("0777"))
        sessions.change(self.db, self.session.id or 0, {"tags": {"place": "mill floor", "task": "bagging"}})
        self.assertFalse(self.found("crusher"))
        self.assertTrue(self.found("mill fl") and self.found("bagging"))
        sessions.change(self.db, self.session.id or 0, {"tags": {"task": ""}, "person_id": None})
        self.assertFalse(self.found("bagging") or self.found("vidas"))
        self.recorder.token = "N-12"
        self.db.add(self.recorder)
        self.db.commit()
        self.assertTrue(self.found("n-12"))
        self.assertFalse(self.found("n-99"))

    def test_two_letters_find_names_numbers_and_tokens(self) -> None:
        for words, there in (("id", True), ("TF", True), ("9", True), ("qx", False)):
            self.assertEqual(self.found(words), there, words)

    def test_nothing_that_is_written_past_the_program_is_missed(self) -> None:
        """Every way into the tables, many rows at once; compared with what the tables say."""
        for command in (
            "insert into tag (session_id, key, value) select id, 'shift', 'early' from session",
            "update tag set value = 'late' where key = 'shift'",
            "update person set name = name || ' the second'",
            "update recorder set token = 'N-13'",
            "delete from tag where key = 'place'",
            "update session set person_id = null",
        ):
            self.db.connection().execute(text(command))
            wrong = text("select count(*) from session s where words <> session_words(s)")
            self.assertEqual(self.db.connection().execute(wrong).scalar_one(), 0, command)

    def test_the_paper_of_a_session_is_known_by_its_last_report(self) -> None:
        self.session.signed_at = now() - timedelta(hours=1)
        self.db.add(self.session)
        self.db.commit()
        self.assertEqual(
            [r.id for r in session_list.list_sessions(self.db, Filter(standing="unreported"))[0]], [self.session.id]
        )
        for number, hours in (("R-1", 2), ("R-2", 0), ("R-3", 3)):
            pdf = number.encode()
            digest = hashlib.sha256(pdf).digest()
            self.db.add(
                Report(
                    number=number,
                    session_id=self.session.id or 0,
                    title=number,
                    document={},
                    limits={},
                    pages=1,
                    pdf=pdf,
                    sha256=digest,
                    issued_at=now() - timedelta(hours=hours),
                )
            )
            self.db.commit()
            left = session_list.list_sessions(self.db, Filter(standing="unreported"))[1]
            self.assertEqual(left, 1 if number == "R-1" else 0, number)
        self.assertEqual(reports.list_reports(self.db)[1], 3)


class Lists(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        people = [self.person(f"Person {i}") for i in range(3)]
        for i in range(7):
            row = self.stored(support.recording_file(600 + 60 * i, session=f"S-{i}"), people[i % 3] if i < 5 else None)
            row.verdict = ("within", "above limit", "not assessable", "")[i % 4]
            self.db.add(row)
        self.db.commit()

    def test_every_order_shows_each_once_page_by_page(self) -> None:
        for sort in ("started", "length", "person", "verdict", "urgency"):
            for falling in (True, False):
                wanted = Filter(sort=sort, falling=falling)
                whole = [r.id for r in session_list.list_sessions(self.db, wanted, 50)[0]]
                pages = [
                    r.id for first in range(0, 8, 2) for r in session_list.list_sessions(self.db, wanted, 2, first)[0]
                ]
                with self.subTest(sort=sort, falling=falling):
                    self.assertEqual(pages, whole)
                    self.assertEqual(len(set(whole)), 7)

    def test_those_of_nobody_come_last_and_the_most_urgent_first(self) -> None:
        for falling in (True, False):
            rows = session_list.list_sessions(self.db, Filter(sort="person", falling=falling))[0]
            self.assertEqual([not r.facts["person"] for r in rows], [False] * 5 + [True] * 2)
        rows = session_list.list_sessions(self.db, Filter(sort="urgency"))[0]
        self.assertEqual([r.facts["verdict"] for r in rows][:2], ["above limit", "above limit"])
        self.assertLessEqual(rows[0].facts["started_at"], rows[1].facts["started_at"])

    def test_a_list_asks_the_database_six_times_at_the_most(self) -> None:
        asked: list[str] = []

        def note(connection: object, cursor: object, statement: str, *rest: object) -> None:
            asked.append(statement)

        for wanted in (
            Filter(),
            Filter(sort="urgency", standing="waiting"),
            Filter(sort="person"),
            Filter(search="person 1"),
            Filter(figure="laeq", sort="figure"),
        ):
            asked.clear()
            with Db(self.db.get_bind()) as db:
                event.listen(db.get_bind(), "before_cursor_execute", note)
                session_list.list_sessions(db, wanted, 50)
                event.remove(db.get_bind(), "before_cursor_execute", note)
            with self.subTest(wanted=wanted):
                self.assertGreater(len(asked), 1)
                self.assertLessEqual(len(asked), MOST_STATEMENTS)


class Tags(DatabaseTest):
    def test_tags_go_with_their_session(self) -> None:
        row = self.stored(support.recording_file(600), place="hall")
        self.db.delete(row)
        self.db.commit()
        self.assertEqual(self.db.exec(select(Tag).where(col(Tag.session_id) == row.id)).all(), [])
        self.assertEqual(self.db.exec(select(Session)).all(), [])

"""Reports for many: one after the other, stopped and gone on with, killed in the middle, failures by name; several sessions in one."""

from __future__ import annotations

import io
import zipfile
from typing import Any
from unittest.mock import patch

import pypdf
from sqlmodel import col, select

from kumpel.kinds.registry import KINDS
from kumpel.services.batches import as_files, batch, candidates
from kumpel.services.batches.batch import Wish
from kumpel.services.ground import people, settings
from kumpel.services.ground.problems import ConflictError, InvalidError
from kumpel.services.groups import concluding, kept
from kumpel.services.groups.kept import GroupWish
from kumpel.services.register import sessions
from kumpel.services.report import conclusions, health_record, reports, together
from kumpel.store.database import engine
from kumpel.store.tables import Mail, Report, ReportBatchItem, Session
from tests.services.crusher_hall import CrusherHall


def text_of(pdf: bytes) -> str:
    return " ".join(" ".join(page.extract_text() for page in pypdf.PdfReader(io.BytesIO(pdf)).pages).split())


class Many(CrusherHall):
    def setUp(self) -> None:
        super().setUp()
        self.measured()
        self.ids = [i or 0 for i in self.db.exec(select(Session.id).order_by(col(Session.id))).all()]

    def run_batch(self, batch_id: int) -> list[int]:
        sent: list[int] = []
        batch.run(engine(self.url), batch_id, sent.append)
        self.db.expire_all()
        return sent

    def begin(self, **wish: Any) -> int:
        return batch.begin(self.db, Wish(**({"sessions": tuple(self.ids)} | wish)), self.who).id or 0

    def items(self, batch_id: int) -> list[tuple[str, str, str]]:
        return [(item.who, item.state, item.problem) for item, _ in batch.items_of(self.db, batch_id)]

    def mail_server(self) -> None:
        for word, value in (
            (settings.MAIL_SERVER, "127.0.0.1:9"),
            (settings.MAIL_FROM, "safety@tarnfels.example"),
            (settings.MAIL_SECURITY, "none"),
        ):
            settings.keep(self.db, word.key, "site", "", value, 0, self.who)


class Candidates(Many):
    def test_who_can_and_why_not(self) -> None:
        waiting = self.shift(self.fenna, 71.0, day=30, signed=False)
        unclaimed = self.session(22_000, seed=900)
        gone = self.shift(self.fenna, 72.0, day=31)
        sessions.delete_session(self.db, gone.id or 0)
        people.change_person(self.db, self.hall[0].id or 0, {"contact": "shaft 3, ida@tarnfels.example"})
        found = {
            each.session_id: each
            for each in candidates.candidates(self.db, [*self.ids, waiting.id or 0, unclaimed.id or 0, gone.id or 0])
        }
        self.assertEqual([found[i].why_not for i in self.ids], [""] * 6)
        self.assertEqual(found[waiting.id or 0].why_not, "waits for review")
        self.assertEqual(found[unclaimed.id or 0].why_not, "nobody's yet")
        self.assertEqual(found[gone.id or 0].why_not, "deleted")
        ida = found[self.ids[0]]
        self.assertEqual((ida.address, ida.is_new, ida.issued), ("ida@tarnfels.example", True, ""))
        report = reports.issue(self.db, self.ids[0], reports.Options(KINDS["noise"].one_page), self.who)
        self.assertEqual(candidates.candidates(self.db, self.ids[:1])[0].issued, report.number)


class Issued(Many):
    def test_one_report_each_in_the_order_wished_with_every_number_once(self) -> None:
        order = [self.ids[4], self.ids[0], self.ids[2]]
        made = self.begin(sessions=tuple(order), one_each=False)
        self.run_batch(made)
        found = batch.items_of(self.db, made)
        self.assertEqual([item.sessions for item, _ in found], [[i] for i in order])
        numbers = [number for _, number in found]
        self.assertEqual(numbers, sorted(numbers))
        self.assertEqual(len(set(numbers)), 3)
        self.assertEqual(batch.batch_of(self.db, made).state, "done")
        for (item, number), session_id in zip(found, order, strict=True):
            report = reports.report_of(self.db, item.report_id or 0)
            session = self.db.get_one(Session, session_id)
            assert session.person_id is not None
            text = text_of(report.pdf)
            self.assertIn(number, text)
            self.assertIn(people.person_of(self.db, session.person_id).name, text)

    def test_all_sessions_of_a_person_in_one_each_as_it_was_signed(self) -> None:
        for session_id, words in zip(self.ids[:2], ("Liner worn out.", "Liner changed."), strict=True):
            conclusions.open_again(self.db, session_id, self.who, "words were missing")
            conclusions.conclude(self.db, session_id, words, self.who)
            session = self.db.get_one(Session, session_id)
            conclusions.sign(self.db, session_id, session.review_version, self.who)
        people.change_person(self.db, self.hall[0].id or 0, {"name": "Ida Other"})
        made = self.begin()
        self.run_batch(made)
        self.assertEqual([who for who, *_ in self.items(made)], ["Ida Other", "Leila Haddad", "Oskar Nyland"])
        first = reports.report_of(self.db, batch.items_of(self.db, made)[0][0].report_id or 0)
        self.assertEqual(reports.sessions_in(self.db, first.id or 0), self.ids[:2])
        text = text_of(first.pdf)
        self.assertLess(text.index("Liner worn out."), text.index("Liner changed."))
        self.assertIn("2 recordings, 08 Sep 2026 to 09 Sep 2026", text)
        # As she was called when it was signed.
        self.assertIn("Ida Brandvik", text)
        self.assertNotIn("Ida Other", text)
        for session_id in self.ids[:2]:
            self.assertIsNotNone(self.db.get_one(Session, session_id).reported_at)
        with self.assertRaisesRegex(ConflictError, "several recordings"):
            health_record.document_of(self.db, first.id or 0)

    def test_sessions_of_two_people_are_no_report(self) -> None:
        with self.assertRaises(InvalidError):
            together.made_of(self.db, [self.ids[0], self.ids[2]], {}, True, self.who)

    def test_a_failure_is_named_and_the_others_are_issued(self) -> None:
        made = self.begin(one_each=False)
        conclusions.open_again(self.db, self.ids[2], self.who, "a task was missing")
        self.run_batch(made)
        states = self.items(made)
        self.assertEqual([state for _, state, _ in states].count("issued"), 5)
        [(who, _, problem)] = [each for each in states if each[1] == "failed"]
        self.assertEqual(who, "Leila Haddad")
        self.assertIn("Sign the review off first", problem)
        session = self.db.get_one(Session, self.ids[2])
        conclusions.sign(self.db, self.ids[2], session.review_version, self.who)
        batch.go_on(self.db, made)
        self.run_batch(made)
        self.assertEqual({state for _, state, _ in self.items(made)}, {"issued"})
        self.assertEqual(len(self.db.exec(select(Report)).all()), 6)

    def test_stopped_and_gone_on_with(self) -> None:
        made = self.begin(one_each=False)
        whole = batch._next

        def two(db: Any, batch_id: int) -> bool:
            if batch.amount(db, batch_id).issued == 2:
                batch.stop(db, batch_id)
            return whole(db, batch_id)

        with patch.object(batch, "_next", two):
            self.run_batch(made)
        self.assertEqual((batch.batch_of(self.db, made).state, batch.amount(self.db, made).issued), ("stopped", 2))
        self.assertEqual(batch.unfinished(self.db), [])
        batch.go_on(self.db, made)
        self.assertEqual(batch.unfinished(self.db), [made])
        self.run_batch(made)
        self.assertEqual(batch.amount(self.db, made).issued, 6)
        with self.assertRaises(ConflictError):
            batch.stop(self.db, made)

    def test_a_process_that_dies_in_the_middle_makes_none_twice_and_leaves_no_hole(self) -> None:
        made = self.begin(one_each=False)
        put = reports.put_on_record
        count = 0

        def dies(*arguments: Any, **named: Any) -> Report:
            nonlocal count
            count += 1
            if count == 3:
                raise KeyboardInterrupt
            return put(*arguments, **named)

        with patch.object(reports, "put_on_record", dies), self.assertRaises(KeyboardInterrupt):
            self.run_batch(made)
        self.db.rollback()
        self.assertEqual(batch.amount(self.db, made).issued, 2)
        self.run_batch(made)
        numbers = sorted(self.db.exec(select(Report.number)).all())
        self.assertEqual([int(number[-5:]) for number in numbers], list(range(1, 7)))

    def test_two_workers_at_one_batch(self) -> None:
        made = self.begin(one_each=False)
        whole = batch._next

        def beside(db: Any, batch_id: int) -> bool:
            # While one is at work, another one finds the batch taken and does nothing.
            with patch.object(batch, "_next", side_effect=AssertionError):
                batch.run(engine(self.url), batch_id, lambda mail: None)
            return whole(db, batch_id)

        with patch.object(batch, "_next", beside):
            self.run_batch(made)
        self.assertEqual(batch.amount(self.db, made).issued, 6)

    def test_nothing_is_begun_of_what_is_wrong(self) -> None:
        for wish in ({"sessions": ()}, {"mail_to": {self.hall[0].id or 0: "no address"}}):
            with self.subTest(wish=wish), self.assertRaises(InvalidError):
                self.begin(**wish)
        with self.assertRaises(ConflictError):
            self.begin(mail_to={self.hall[0].id or 0: "ida@tarnfels.example"})  # no mail server is set
        self.db.rollback()
        self.assertEqual(batch.lately(self.db), [])


class Sent(Many):
    def test_each_their_own_after_all_are_issued(self) -> None:
        self.mail_server()
        to = {self.hall[0].id or 0: "ida@tarnfels.example", self.hall[2].id or 0: "oskar@tarnfels.example"}
        made = self.begin(mail_to=to, note="For your file.")
        sent = self.run_batch(made)
        mails = self.db.exec(select(Mail).order_by(col(Mail.id))).all()
        self.assertEqual([m.id for m in mails], sent)
        self.assertEqual([m.recipient for m in mails], ["ida@tarnfels.example", "oskar@tarnfels.example"])
        for mail in mails:
            item = self.db.exec(select(ReportBatchItem).where(ReportBatchItem.mail_id == mail.id)).one()
            self.assertEqual((item.report_id, item.recipient), (mail.report_id, mail.recipient))
        self.run_batch(made)
        self.assertEqual(len(self.db.exec(select(Mail)).all()), 2)

    def test_killed_between_a_mail_and_its_step_it_goes_once(self) -> None:
        self.mail_server()
        made = self.begin(mail_to={self.hall[0].id or 0: "ida@tarnfels.example"})
        self.run_batch(made)
        first = batch.items_of(self.db, made)[0][0]
        first.mail_id = None
        self.db.add(first)
        self.db.commit()
        batch.go_on(self.db, made)
        self.run_batch(made)
        [mail] = self.db.exec(select(Mail)).all()
        self.assertEqual(batch.items_of(self.db, made)[0][0].mail_id, mail.id)

    def test_a_mail_that_fails_undoes_no_issue(self) -> None:
        self.mail_server()
        made = self.begin(mail_to={self.hall[0].id or 0: "ida@tarnfels.example"})
        settings.keep(self.db, settings.MAIL_SERVER.key, "site", "", "", 1, self.who)
        self.run_batch(made)
        who, state, problem = self.items(made)[0]
        self.assertEqual((who, state), ("Ida Brandvik", "issued"))
        self.assertIn("Not mailed. No mail server is set", problem)

    def test_without_names_nothing_is_mailed(self) -> None:
        self.mail_server()
        made = self.begin(mail_to={self.hall[0].id or 0: "ida@tarnfels.example"}, named=False)
        self.assertEqual(self.run_batch(made), [])
        for report in self.db.exec(select(Report)).all():
            self.assertNotIn("Brandvik", text_of(report.pdf))


class AsFiles(Many):
    def test_one_file_in_order_each_on_a_front_page(self) -> None:
        made = self.begin()
        self.run_batch(made)
        name, data = as_files.one_file(self.db, made, two_sided=False)
        self.assertEqual(name, "6 sessions.pdf")
        plain = pypdf.PdfReader(io.BytesIO(data))
        singles = [reports.report_of(self.db, item.report_id or 0) for item, _ in batch.items_of(self.db, made)]
        self.assertEqual(len(plain.pages), sum(report.pages for report in singles))
        _, data = as_files.one_file(self.db, made, two_sided=True)
        at = 0
        pages = pypdf.PdfReader(io.BytesIO(data)).pages
        for report in singles:
            self.assertEqual(at % 2, 0)
            self.assertIn(report.number, pages[at].extract_text())
            at += report.pages + report.pages % 2
        self.assertEqual(len(pages), at)

    def test_one_file_each_called_as_the_house_calls_them(self) -> None:
        made = self.begin()
        with self.assertRaisesRegex(ConflictError, "None of these"):
            as_files.packed(self.db, made, "pdf")
        self.run_batch(made)
        settings.keep(self.db, settings.FILE_NAME.key, "site", "", "{person}_{date} {n}", 0, self.who)
        _, data = as_files.packed(self.db, made, "pdf")
        pack = zipfile.ZipFile(io.BytesIO(data))
        self.assertEqual(
            [name.rpartition(" R-")[0] for name in pack.namelist()],
            ["Ida Brandvik_2026-09-08 1", "Leila Haddad_2026-09-10 1", "Oskar Nyland_2026-09-12 1"],
        )
        first = batch.items_of(self.db, made)[0][0].report_id or 0
        self.assertEqual(pack.read(pack.namelist()[0]), reports.report_of(self.db, first).pdf)

    def test_the_page_of_the_group_in_front(self) -> None:
        group = kept.create(self.db, "Crusher hall", "noise", GroupWish(team="Crusher hall"), self.who)
        with self.assertRaisesRegex(ConflictError, "conclusion on the group"):
            self.begin(group_id=group.id)
        self.db.rollback()
        concluding.sign(self.db, group.id or 0, 1, 0, self.who)
        made = self.begin(group_id=group.id, group_named=False, name="Crusher hall")
        self.run_batch(made)
        items = batch.items_of(self.db, made)
        self.assertEqual([item.group_id is not None for item, _ in items], [True, False, False, False])
        _, data = as_files.one_file(self.db, made, two_sided=False)
        first = pypdf.PdfReader(io.BytesIO(data)).pages[0].extract_text()
        self.assertIn("P2", first)
        self.assertNotIn("Brandvik", first)

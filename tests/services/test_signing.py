"""A signed page rests on what was signed: later changes of note, limits, method, code or person change nothing about it."""

import json
from dataclasses import replace
from unittest import mock

from sqlmodel import select

from kumpel.kinds.noise import report as noise_report
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import figures, limits, people
from kumpel.services.ground.problems import ConflictError, InvalidError
from kumpel.services.register import sessions
from kumpel.services.report import conclusions, paper, reports
from kumpel.store import database
from kumpel.store.tables import LimitSetRow, Result, Session
from tests.services.reviewing import ReviewTest
from tests.support import DatabaseTest


class Signed(ReviewTest):
    def setUp(self) -> None:
        super().setUp()
        self.mark()
        conclusions.conclude(self.db, self.id, "Fine.", self.who)
        self.sign()

    def page(self) -> str:
        signature = conclusions.signature_of(self.db, self.id)
        assert signature is not None
        pages = conclusions.signed_paper(self.db, self.row, signature)
        return paper.document("noise", pages, tuple(KINDS["noise"].report_parts)).model_dump_json()

    def said(self) -> tuple[str, str, str]:
        self.db.expire_all()
        found = conclusions.standing(self.db, self.row)
        assert found is not None
        return repr(found), self.page(), f"{self.row.verdict} {self.row.verdict_step} {self.row.key_figure}"

    def differs(self) -> list[str]:
        signature = conclusions.signature_of(self.db, self.id)
        assert signature is not None
        return conclusions.would_differ(self.db, self.row, signature)

    def test_nothing_can_be_changed_until_it_is_opened_again(self) -> None:
        with self.assertRaisesRegex(ConflictError, "signed off"):
            self.mark()
        self.db.rollback()
        with self.assertRaises(ConflictError):
            conclusions.conclude(self.db, self.id, "Other.", self.who)
        for changes in ({"person_id": None}, {"tags": {"place": "mill"}}, {"clock_shift_s": 60.0}, {"aside": "x"}):
            with self.subTest(changes=changes), self.assertRaises(ConflictError):
                sessions.change(self.db, self.id, changes)
            self.db.rollback()

    def test_note_limits_method_code_and_person_change_nothing_about_it(self) -> None:
        before, pdf = self.said(), reports.preview(self.db, self.id, reports.Options(KINDS["noise"].one_page))
        self.assertEqual(self.differs(), [])
        sessions.change(self.db, self.id, {"note": "brought back wet"})
        people.change_person(self.db, self.ida.id or 0, {"name": "Ida Brandvik-Holm", "team": "Mill"})
        for row in self.db.exec(select(LimitSetRow).where(LimitSetRow.kind == "noise")).all():
            row.data = json.loads(json.dumps(row.data).replace("85", "65"))
            self.db.add(row)
        self.db.commit()
        limits.put_shipped(self.db)
        broken = replace(KINDS["noise"], assess=mock.Mock(side_effect=ValueError("no")), method="newer")
        with mock.patch.dict(KINDS, {"noise": broken}), mock.patch.object(noise_report, "number", return_value="0"):
            self.assertFalse(figures.run(database.engine(self.url), self.id, again=True))
            self.assertEqual(self.said(), before)
            self.assertEqual(reports.preview(self.db, self.id, reports.Options(KINDS["noise"].one_page)), pdf)
            words = " ".join(self.differs())
            self.assertIn("Person: Ida Brandvik when signed, now Ida Brandvik-Holm.", words)
            self.assertIn("Team: Crusher hall when signed, now Mill.", words)
            self.assertIn("noise newer is newer", words)

    def test_opening_needs_a_reason_and_keeps_who_signed_what_and_when(self) -> None:
        signed_at, value = self.row.signed_at, self.value()
        for why in ("", "  ", "x" * 401):
            with self.assertRaises(InvalidError):
                conclusions.open_again(self.db, self.id, self.who, why)
            self.db.rollback()
        self.row = conclusions.open_again(self.db, self.id, self.who, "a task was missing")
        self.mark(10_000, 12_000, "liner change", "task")
        conclusions.conclude(self.db, self.id, "Better.", self.who)
        self.sign()
        second, first = conclusions.signatures(self.db, self.id)
        self.assertEqual((first.signed_at, first.signed_by, first.conclusion), (signed_at, self.who, "Fine."))
        self.assertEqual((first.opened_by, first.opened_why), (self.who, "a task was missing"))
        self.assertEqual((second.conclusion, second.opened_at), ("Better.", None))
        kept = conclusions.signed_outcome(self.db, first)
        assert kept is not None
        self.assertEqual(kept.both.reviewed.figure("laeq").value, value)
        now_signed = conclusions.standing(self.db, self.row)
        assert now_signed is not None
        self.assertEqual([len(kept.review.tasks), len(now_signed.review.tasks)], [0, 1])
        with self.assertRaises(ConflictError):
            conclusions.open_again(self.db, self.session(600, session="S-2").id or 0, self.who, "x")

    def test_results_are_appended_and_the_same_one_is_not_kept_twice(self) -> None:
        def count() -> int:
            return len(self.db.exec(select(Result).where(Result.session_id == self.id)).all())

        self.row = conclusions.open_again(self.db, self.id, self.who, "to look again")
        before = count()
        self.assess()
        self.assertEqual(count(), before)
        self.mark(10_000, 12_000, "rain")
        self.assertEqual(count(), before + 1, "as recorded stays the same row")
        self.set("working_day_s", 7200.0)
        self.assertEqual(count(), before + 3)


class Unassessed(DatabaseTest):
    def test_what_cannot_be_assessed_is_stored_says_so_and_is_not_tried_by_itself(self) -> None:
        with mock.patch.dict(
            KINDS, {"noise": replace(KINDS["noise"], assess=mock.Mock(side_effect=ValueError("no clench")))}
        ):
            with self.assertRaises(ValueError):
                self.session(600)
            self.db.rollback()
            row = self.db.exec(select(Session)).one()
            engine = database.engine(self.url)
            self.assertEqual(figures.waiting(self.db, 9), [row.id])
            self.assertFalse(figures.run(engine, row.id or 0))
            self.db.refresh(row)
            self.assertEqual((row.state, row.figures, row.failure), ("stored", "failed", "no clench"))
            self.assertEqual(figures.waiting(self.db, 9), [])
        self.assertFalse(figures.run(engine, row.id or 0), "what failed is not tried again by itself")
        with self.assertRaisesRegex(ConflictError, "no clench"):
            conclusions.sign(self.db, row.id or 0, row.review_version, self.who)
        self.db.rollback()
        figures.wait(self.db, row)
        self.assertTrue(figures.run(engine, row.id or 0))
        self.db.refresh(row)
        self.assertEqual((row.figures, row.failure), ("assessed", ""))

    def test_a_fault_of_the_computation_names_no_data(self) -> None:
        row = self.session(600)
        broken = replace(KINDS["noise"], assess=mock.Mock(side_effect=KeyError("Ida Brandvik")))
        figures.wait(self.db, row)
        with mock.patch.dict(KINDS, {"noise": broken}), self.assertLogs("kumpel.figures") as logged:
            self.assertFalse(figures.run(database.engine(self.url), row.id or 0))
        self.db.refresh(row)
        self.assertIn("KeyError", row.failure)
        self.assertNotIn("Brandvik", row.failure + str(logged.output))


class CorrectedLimits(DatabaseTest):
    def test_unsigned_sessions_are_assessed_anew_signed_ones_stay(self) -> None:
        """As shipped before, the upper action value counted as a limit."""
        row = limits.limits_of(self.db, "noise", None)[0]
        row.data = json.loads(json.dumps(row.data).replace("action level reached", "above limit"))
        self.db.add(row)
        self.db.commit()
        open_one, signed = (self.session(27_660, session=name, loud_db=90.0) for name in ("S-1", "S-2"))
        conclusions.sign(self.db, signed.id or 0, signed.review_version, self.who)
        self.assertEqual({open_one.verdict, signed.verdict}, {"above limit"})
        self.assertEqual(figures.waiting(self.db, 9), [])
        limits.put_shipped(self.db)
        self.assertEqual(figures.waiting(self.db, 9), [open_one.id])
        self.assertTrue(figures.run(database.engine(self.url), open_one.id or 0))
        self.db.expire_all()
        found = figures.outcome(self.db, open_one.id or 0)
        assert found is not None
        lead = found.both.reviewed
        self.assertEqual((open_one.verdict, open_one.verdict_step), (lead.verdict.value, lead.step))
        self.assertEqual((lead.verdict.value, signed.verdict), ("action level reached", "above limit"))
        limits.put_shipped(self.db)
        self.assertEqual(figures.waiting(self.db, 9), [])


class Pinned(ReviewTest):
    def test_a_newer_result_changes_nothing_about_what_is_signed(self) -> None:
        """However it came about: the signature names its results."""
        self.sign()
        before = self.value()
        newest = figures.outcome(self.db, self.id)
        assert newest is not None and newest.reviewed_id is not None
        row = self.db.get_one(Result, newest.reviewed_id)
        content = json.loads(json.dumps(row.content))
        for figure in content["figures"]:
            figure["value"] = 1.0
        self.db.add(Result(**row.model_dump(exclude={"id", "content"}), content=content))
        self.db.commit()
        later = figures.outcome(self.db, self.id)
        assert later is not None
        self.assertEqual(later.both.reviewed.figure("laeq").value, 1.0)
        self.assertEqual(self.value(), before)


class NewMethods(DatabaseTest):
    def test_unsigned_sessions_wait_for_a_new_method_signed_ones_keep_theirs(self) -> None:
        unsigned, signed = (self.session(600, session=name) for name in ("S-1", "S-2"))
        signed = conclusions.sign(self.db, signed.id or 0, signed.review_version, self.who)
        self.assertEqual(figures.wait_for_new_methods(self.db), 0)
        shipped = KINDS["noise"].method
        with mock.patch.dict(KINDS, {"noise": replace(KINDS["noise"], method=shipped + "b")}):
            self.assertEqual(figures.wait_for_new_methods(self.db), 1)
            self.assertEqual((figures.waiting(self.db, 9), figures.waiting_count(self.db)), ([unsigned.id], 1))
            self.assertTrue(figures.run(database.engine(self.url), unsigned.id or 0))
            self.assertEqual((figures.wait_for_new_methods(self.db), figures.waiting_count(self.db)), (0, 0))
            self.db.expire_all()
            found = {i: conclusions.standing(self.db, self.db.get_one(Session, i)) for i in (unsigned.id, signed.id)}
        methods = [each.method for each in found.values() if each is not None]
        self.assertEqual(methods, [f"noise {shipped}b", f"noise {shipped}"])

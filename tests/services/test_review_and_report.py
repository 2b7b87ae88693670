"""Review: every figure follows, everything can be undone, two people do not overwrite each other; the report."""

import hashlib
import io
import json
import math

import pypdf
from sqlmodel import select

from kumpel.kinds.noise_report import ONE_PAGE, PARTS
from kumpel.services import limits, reports, review, sessions
from kumpel.services.problems import ConflictError, InvalidError
from kumpel.store.tables import AssessmentRow, Session
from tests.support import DatabaseTest


class ReviewTest(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        self.ida = self.person("Ida Brandvik", number="TF-0401", team="Crusher hall")
        self.row = self.session(27_660, self.ida)

    @property
    def id(self) -> int:
        assert self.row.id is not None
        return self.row.id

    def value(self, key: str = "laeq", recorded: bool = False) -> float:
        _, _, both = review.assessment(self.db, self.row)
        return (both.recorded if recorded else both.reviewed).figure(key).value

    def mark(self, start: float = 0, end: float = 9000, label: str = "meter knocked", what: str = "left out") -> None:
        self.row = review.mark(
            self.db, self.id, self.row.review_version, review.Marking(what, start, end, label), self.who
        )


class Decisions(ReviewTest):
    def test_leaving_out_changes_the_reviewed_figures_only_and_undo_brings_them_back(self) -> None:
        before = self.value()
        self.mark()
        after = self.value()
        self.assertNotAlmostEqual(before, after)
        self.assertEqual(self.value(recorded=True), before)
        self.row = review.undo(self.db, self.id, self.row.review_version)
        self.assertEqual(self.value(), before)
        self.row = review.redo(self.db, self.id, self.row.review_version)
        self.assertEqual(self.value(), after)

    def test_every_step_can_be_undone_in_order(self) -> None:
        states = [repr(review.decisions(self.db, self.row))]
        us = limits.all_limit_sets(self.db, "noise")[1]
        self.mark()
        states.append(repr(review.decisions(self.db, self.row)))
        self.mark(10_000, 12_000, "liner change", "task")
        states.append(repr(review.decisions(self.db, self.row)))
        stretch = review.stretches(self.db, self.id)[0]
        marking = review.Marking("left out", 100, 200, "rain")
        self.row = review.edit_mark(self.db, self.id, self.row.review_version, stretch.id or 0, marking, self.who)
        states.append(repr(review.decisions(self.db, self.row)))
        for field, value in (
            ("working_day_s", 7.5 * 3600),
            ("attenuation_db", 12.0),
            ("accepted", {"coverage": "short shift"}),
        ):
            self.row = review.set_field(self.db, self.id, self.row.review_version, field, value, self.who)
            states.append(repr(review.decisions(self.db, self.row)))
        self.row = review.set_field(self.db, self.id, self.row.review_version, "limit_set_id", us.id, self.who)
        self.row = review.unmark(self.db, self.id, self.row.review_version, stretch.id or 0, self.who)
        self.row = review.undo(self.db, self.id, self.row.review_version)
        self.row = review.undo(self.db, self.id, self.row.review_version)
        self.assertIsNone(self.row.limit_set_id)
        for state in reversed(states):
            self.assertEqual(repr(review.decisions(self.db, self.row)), state)
            if state is not states[0]:
                self.row = review.undo(self.db, self.id, self.row.review_version)
        with self.assertRaisesRegex(ConflictError, "nothing to undo"):
            review.undo(self.db, self.id, self.row.review_version)

    def test_a_new_step_ends_redo(self) -> None:
        self.mark()
        self.row = review.undo(self.db, self.id, self.row.review_version)
        self.mark(0, 60, "another")
        with self.assertRaises(ConflictError):
            review.redo(self.db, self.id, self.row.review_version)

    def test_two_people_at_once_the_second_is_told(self) -> None:
        stale = self.row.review_version
        self.mark()
        with self.assertRaises(ConflictError) as caught:
            review.mark(self.db, self.id, stale, review.Marking("left out", 0, 9, "x"), self.who)
        self.assertEqual(caught.exception.code, "stale-review")
        self.assertEqual(len(review.stretches(self.db, self.id)), 1)

    def test_a_reason_is_needed_and_the_stretch_must_lie_inside(self) -> None:
        for marking in (
            review.Marking("left out", 0, 10, "  "),
            review.Marking("left out", 10, 10, "x"),
            review.Marking("left out", 30_000, 40_000, "x"),
            review.Marking("moved", 0, 10, "x"),
        ):
            with self.assertRaises(InvalidError):
                review.mark(self.db, self.id, self.row.review_version, marking, self.who)
            self.db.rollback()

    def test_another_limit_set_just_to_see_keeps_nothing(self) -> None:
        us = limits.all_limit_sets(self.db, "noise")[1]
        _, _, looked = review.assessment(self.db, self.row, us.id)
        self.assertIn("TWA", looked.reviewed.figure(looked.reviewed.judgements[0].figure).name)
        stored = self.db.get(AssessmentRow, (self.id, "as reviewed"))
        assert stored is not None
        self.assertNotEqual(stored.limit_set_id, us.id)

    def test_registers_follow_the_review(self) -> None:
        self.row = review.set_field(self.db, self.id, self.row.review_version, "working_day_s", 1800, self.who)
        row = self.db.exec(select(Session)).one()
        self.assertIn(f"{self.value('lex8h'):.1f}", row.key_figure)

    def test_signed_off_nothing_changes_until_it_is_opened_again(self) -> None:
        review.conclude(self.db, self.id, "Fine.", self.who)
        self.row = review.sign(self.db, self.id, self.row.review_version, self.who)
        with self.assertRaisesRegex(ConflictError, "signed off"):
            self.mark()
        self.db.rollback()
        with self.assertRaises(ConflictError):
            review.conclude(self.db, self.id, "Other.", self.who)
        with self.assertRaises(ConflictError):
            sessions.change(self.db, self.id, {"person_id": None})
        self.row = review.open_again(self.db, self.id)
        self.mark()

    def test_shifting_the_clock_moves_the_hours_of_the_dose(self) -> None:
        def hours() -> list[float]:
            _, _, both = review.assessment(self.db, self.row)
            return [float(r[0]) for r in next(t for t in both.reviewed.tables if t.key == "hours").rows]

        before = hours()
        self.row = sessions.change(self.db, self.id, {"clock_shift_s": 600.0})
        self.assertAlmostEqual(before[1] - hours()[1], 600)


class CorrectedLimits(DatabaseTest):
    def test_unsigned_sessions_are_assessed_anew_signed_ones_stay(self) -> None:
        """As shipped before, the upper action value counted as a limit."""
        row = limits.limits_of(self.db, "noise", None)[0]
        row.data = json.loads(json.dumps(row.data).replace("action level reached", "above limit"))
        self.db.add(row)
        self.db.commit()
        waiting, signed = (self.session(27_660, session=name) for name in ("S-1", "S-2"))
        review.sign(self.db, signed.id or 0, signed.review_version, self.who)
        self.assertEqual({waiting.verdict, signed.verdict}, {"above limit"})
        self.assertEqual(review.catch_up(self.db), 0)
        limits.put_shipped(self.db)
        self.assertEqual(review.catch_up(self.db), 1)
        self.db.expire_all()
        lead = review.assessment(self.db, waiting)[2].reviewed
        self.assertEqual((waiting.verdict, waiting.verdict_step), (lead.verdict.value, lead.step))
        self.assertEqual(signed.verdict, "above limit")
        self.assertEqual(review.catch_up(self.db), 0)
        limits.put_shipped(self.db)
        self.assertEqual(review.catch_up(self.db), 0)


class Reports(ReviewTest):
    def issue(self, **options: object) -> reports.Report:
        if self.row.signed_at is None:
            review.conclude(self.db, self.id, "Liner change alone brings half of the day's dose.", self.who)
            self.row = review.sign(self.db, self.id, self.row.review_version, self.who)
        return reports.issue(self.db, self.id, reports.Options(**({"parts": ONE_PAGE} | options)), self.who)

    def text(self, pdf: bytes) -> str:
        return "\n".join(page.extract_text() for page in pypdf.PdfReader(io.BytesIO(pdf)).pages)

    def test_unsigned_no_report(self) -> None:
        with self.assertRaisesRegex(ConflictError, "Sign the review off"):
            reports.issue(self.db, self.id, reports.Options(ONE_PAGE), self.who)

    def test_one_page_with_name_figures_verdict_conclusion_and_signer(self) -> None:
        self.mark()
        report = self.issue()
        text = self.text(report.pdf)
        self.assertEqual((report.pages, len(pypdf.PdfReader(io.BytesIO(report.pdf)).pages)), (1, 1))
        for words in (
            "Ida Brandvik",
            "TF-0401",
            f"{self.value('lex8h'):.1f}",
            "meter knocked",
            "half of the day",
            "Runa Halvorsen",
            "EU noise directive",
            report.number,
            "2003/10/EC",
        ):
            self.assertIn(words, text)

    def test_it_is_tagged_archive_pdf_with_its_fonts(self) -> None:
        reader = pypdf.PdfReader(io.BytesIO(self.issue().pdf))
        root = reader.trailer["/Root"]
        self.assertIn("/StructTreeRoot", root)
        self.assertIn(b"pdfaid:part>2<", root["/Metadata"].get_data().replace(b" ", b""))
        fonts = {f.get_object()["/BaseFont"] for p in reader.pages for f in p["/Resources"]["/Font"].values()}
        self.assertTrue(all("Barlow" in f for f in fonts), fonts)

    def test_frozen_with_hash_and_limits(self) -> None:
        report = self.issue()
        self.assertEqual(hashlib.sha256(report.pdf).digest(), report.sha256)
        self.assertEqual(report.limits["version"], "2003/10/EC")
        before = report.pdf
        review.open_again(self.db, self.id)
        self.row = self.db.get_one(Session, self.id)
        self.mark()
        self.assertEqual(reports.report_of(self.db, report.id or 0).pdf, before)

    def test_without_the_name_the_name_is_nowhere(self) -> None:
        report = self.issue(named=False)
        self.assertNotIn("Brandvik", self.text(report.pdf))
        self.assertNotIn("TF-0401", self.text(report.pdf))
        self.assertNotIn("Brandvik", report.title)
        self.assertNotIn(b"Brandvik", report.pdf)
        self.assertIsNone(report.person_id)

    def test_full_is_longer_and_the_preview_has_the_same_pages(self) -> None:
        full = reports.Options(tuple(PARTS))
        pages, _ = reports.preview(self.db, self.id, full)
        self.assertEqual(self.issue(parts=tuple(PARTS)).pages, len(pages))
        self.assertGreater(len(pages), 1)
        self.assertTrue(all(p.startswith(b"\x89PNG") for p in pages))

    def test_names_and_texts_are_printed_as_they_are(self) -> None:
        odd = "Žofie #let x = 1 $y$ *bold* <b> Møller"
        person = self.person(odd)
        self.row = sessions.change(self.db, self.id, {"person_id": person.id})
        self.assertIn("#let x = 1 $y$ *bold* <b> Møller", self.text(self.issue().pdf))

    def test_found_again(self) -> None:
        report = self.issue()
        for words, count in (("brandvik", 1), (report.number, 1), ("", 1), ("nobody", 0)):
            self.assertEqual(reports.list_reports(self.db, words)[1], count)

    def test_the_queue_of_unreported_sessions(self) -> None:
        self.assertEqual(sessions.count_sessions(self.db, sessions.Filter(standing="unreported")), 0)
        review.conclude(self.db, self.id, "x", self.who)
        self.row = review.sign(self.db, self.id, self.row.review_version, self.who)
        self.assertEqual(sessions.count_sessions(self.db, sessions.Filter(standing="unreported")), 1)
        self.issue()
        self.assertEqual(sessions.count_sessions(self.db, sessions.Filter(standing="unreported")), 0)

    def test_a_session_without_any_level_still_prints(self) -> None:
        import numpy as np

        from kumpel.services import take_in
        from tests.support import small_file

        self.row = take_in.from_file(self.db, small_file(np.full(7200, math.nan)), self.who)
        self.assertEqual(self.row.verdict, "not assessable")
        self.assertIn("not measured", self.text(self.issue().pdf))

"""Reports: one page and the long form, frozen, found again; what is printed is what was signed."""

import hashlib
import io
import math
from dataclasses import replace

import pypdf

from kumpel.formats import krec
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import figures
from kumpel.services.ground.decisions import Wish
from kumpel.services.ground.problems import ConflictError
from kumpel.services.register import session_list, sessions
from kumpel.services.report import conclusions, paper, reports
from kumpel.standins import gas_signal
from kumpel.standins.gas_signal import Shift
from kumpel.store import database
from kumpel.store.tables import Session
from tests.services.reviewing import ReviewTest
from tests.support import DatabaseTest


class Reports(ReviewTest):
    def issue(self, **options: object) -> reports.Report:
        if self.row.signed_at is None:
            conclusions.conclude(self.db, self.id, "Liner change alone brings half of the day's dose.", self.who)
            self.row = conclusions.sign(self.db, self.id, self.row.review_version, self.who)
        return reports.issue(
            self.db, self.id, reports.Options(**({"parts": KINDS["noise"].one_page} | options)), self.who
        )

    def text(self, pdf: bytes) -> str:
        return "\n".join(page.extract_text() for page in pypdf.PdfReader(io.BytesIO(pdf)).pages)

    def test_unsigned_no_report(self) -> None:
        with self.assertRaisesRegex(ConflictError, "Sign the review off"):
            reports.issue(self.db, self.id, reports.Options(KINDS["noise"].one_page), self.who)

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
            "(NM-1, NM-000199, firmware 1)",
        ):
            self.assertIn(words, " ".join(text.split()))

    def test_what_was_accepted_stands_there_with_its_reason(self) -> None:
        self.decide(Wish("accepted", "calibration after", reason="The calibrator was away for service."))
        text = self.text(self.issue().pdf)
        self.assertIn("Accepted with a reason", text)
        self.assertIn("calibration after: The calibrator was away for service.", " ".join(text.split()))

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
        conclusions.open_again(self.db, self.id, self.who, "a task was missing")
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
        full = reports.Options(tuple(KINDS["noise"].report_parts))
        pages, _ = reports.preview(self.db, self.id, full)
        self.assertEqual(self.issue(parts=tuple(KINDS["noise"].report_parts)).pages, len(pages))
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
        self.assertEqual(session_list.count_sessions(self.db, session_list.Filter(standing="unreported")), 0)
        conclusions.conclude(self.db, self.id, "x", self.who)
        self.row = conclusions.sign(self.db, self.id, self.row.review_version, self.who)
        self.assertEqual(session_list.count_sessions(self.db, session_list.Filter(standing="unreported")), 1)
        self.issue()
        self.assertEqual(session_list.count_sessions(self.db, session_list.Filter(standing="unreported")), 0)

    def test_a_session_without_any_level_still_prints(self) -> None:
        import numpy as np

        from kumpel.services.take_in import take_in
        from tests.support import small_file

        self.row = take_in.from_file(self.db, small_file(np.full(7200, math.nan)), self.who)
        figures.run(database.engine(self.url), self.id)
        self.db.refresh(self.row)
        self.assertEqual(self.row.verdict, "not assessable")
        self.assertIn("not measured", self.text(self.issue().pdf))


class Projected(DatabaseTest):
    def test_what_stands_for_more_than_was_measured_says_so_in_the_register_and_on_paper(self) -> None:
        """A monitor that logged six of eight hours: its TWA of the shift is projected, what it logged is not."""
        for gaps, is_projected in (((), False), (((3_600.0, 10_800.0),), True)):
            with self.subTest(gaps=gaps):
                made = gas_signal.make(Shift(gaps_s=gaps, seed=len(gaps)))
                row = self.stored(krec.write_recording(made.recording, f"S-{len(gaps)}"))
                pages, found = paper.now_of(self.db, row)
                figures._show(row, replace(found.both.reviewed, key_figures=("co.twa_shift",)))
                self.assertEqual(row.key_figure.endswith(" ppm, projected"), is_projected, row.key_figure)
                parts = paper.document(row.kind, pages, tuple(KINDS["gas"].report_parts)).parts
                [table] = [part for part in parts if getattr(part, "title", "") == "Figures by sensor"]
                starred = {cells[0]: [cell.endswith(" *") for cell in cells[1:]] for cells in table.rows}
                twa = next(label for label in starred if label.startswith("TWA 8 h of the shift"))
                self.assertEqual(any(starred[twa]), is_projected)
                self.assertEqual("(* projected)" in twa, is_projected)
                self.assertFalse(any(any(each) for label, each in starred.items() if label != twa), starred)

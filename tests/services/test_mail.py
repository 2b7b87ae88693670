"""Reports by e-mail: what arrives is what was issued; what the mail server does is caused, and said."""

import email
import email.policy
import io
import json
import threading
from datetime import date, timedelta
from email.message import EmailMessage
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest import mock

import pypdf
from docx import Document as read_docx

from kumpel.demo import post
from kumpel.formats import fhir_checks
from kumpel.services.ground import deeds, settings
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError
from kumpel.services.report import conclusions, health_record, issued, mail, reports
from kumpel.services.report.mail import Wish
from kumpel.store.database import engine
from kumpel.store.tables import Mail, Report, now
from tests.services.test_medicines import PatientTest


class MailTest(PatientTest):
    def setUp(self) -> None:
        super().setUp()
        folder = TemporaryDirectory(prefix="kumpel-mail-")
        self.addCleanup(folder.cleanup)
        self.office = post.PostOffice(Path(folder.name))
        self.addCleanup(self.office.stop)
        post.use(self.db, self.office.port, self.who)

    def issued(self, named: bool = True) -> Report:
        row = self.recorded(date(2026, 11, 3 if named else 4))
        conclusions.sign(self.db, row.id or 0, row.review_version, self.who)
        return reports.issue(self.db, row.id or 0, reports.Options(("checks", "figures", "lanes"), named), self.who)

    def send(self, report: Report, **wish: Any) -> Mail:
        row = mail.post(self.db, report.id or 0, Wish("dr.moe@tarnfels.example", **wish), self.who)
        return self.run_it(row)

    def run_it(self, row: Mail) -> Mail:
        mail.run(engine(self.url), row.id or 0)
        self.db.refresh(row)
        return row

    def taken(self) -> list[EmailMessage]:
        found = [email.message_from_bytes(p.read_bytes(), policy=email.policy.default) for p in self.office.mails()]
        return [m for m in found if isinstance(m, EmailMessage)]

    def due_now(self, row: Mail) -> None:
        row.next_at = now() - timedelta(seconds=1)
        self.db.add(row)
        self.db.commit()


class Arriving(MailTest):
    def test_what_arrives_is_what_was_issued(self) -> None:
        report = self.issued()
        row = self.send(report, forms=("pdf", "docx", "html"), note="Please look at the night.\nThank you")
        self.assertEqual((row.state, row.tries, row.problem), ("sent", 1, ""))
        [got] = self.taken()
        self.assertEqual((got["X-Envelope-To"], got["From"]), ("dr.moe@tarnfels.example", "clinic@tarnfels.example"))
        files = {part.get_filename(): part.get_content() for part in got.iter_attachments()}
        self.assertEqual(set(files), {f"{report.number}.{ending}" for ending in ("pdf", "docx", "html")})
        self.assertEqual(files[f"{report.number}.pdf"], report.pdf)
        self.assertIn(
            "Petter Lunde", pypdf.PdfReader(io.BytesIO(files[f"{report.number}.pdf"])).pages[0].extract_text()
        )
        self.assertTrue(read_docx(io.BytesIO(files[f"{report.number}.docx"])).tables)
        self.assertIn("Petter Lunde", files[f"{report.number}.html"])
        body = got.get_body()
        assert body is not None
        self.assertIn("Please look at the night.", body.get_content())
        self.assertIn(report.sha256.hex(), body.get_content())
        self.assertEqual(row.size, sum(len(issued.file_of(report, form).data) for form in issued.FORMS))

    def test_no_name_on_the_way_and_none_inside_where_it_was_left_out(self) -> None:
        report = self.issued(named=False)
        self.send(report, forms=("pdf", "html"))
        [got] = self.taken()
        head = " ".join(f"{key}: {value}" for key, value in got.items())
        for part in got.iter_attachments():
            head += str(part.get_filename())
        self.assertNotIn("Petter", head)
        inside = pypdf.PdfReader(io.BytesIO(report.pdf)).pages[0].extract_text()
        self.assertNotIn("Petter", inside)
        for part in got.iter_attachments():
            if part.get_content_type() == "text/html":
                self.assertNotIn("Petter", part.get_content())

    def test_it_is_kept_on_record_who_sent_what_to_whom(self) -> None:
        report = self.issued()
        self.send(report)
        last = deeds.of(self.db, Whom("session", report.session_id))[-1]
        self.assertEqual(last.what, "report mailed")
        assert last.after
        self.assertEqual((last.after["to"], last.after["number"]), ("dr.moe@tarnfels.example", report.number))

    def test_the_same_report_for_a_health_record(self) -> None:
        for named in (True, False):
            report = self.issued(named)
            name, data = health_record.document_of(self.db, report.id or 0)
            made = json.loads(data)
            self.assertEqual(fhir_checks.problems(made), [])
            self.assertEqual((name, "Petter" in data.decode()), (f"{report.number}.json", named))


class Failing(MailTest):
    def test_a_mailbox_that_does_not_exist_is_said_and_not_tried_again_by_itself(self) -> None:
        report = self.issued()
        self.office.do("refuse")
        row = self.send(report)
        self.assertEqual(row.state, "refused")
        self.assertIn("550", row.problem)
        self.assertEqual(mail.waiting(self.db), [])
        self.office.do("take")
        self.run_it(mail.again(self.db, row.id or 0))
        self.assertEqual((row.state, len(self.taken())), ("sent", 1))
        with self.assertRaises(ConflictError):
            mail.again(self.db, row.id or 0)

    def test_a_busy_a_broken_and_an_absent_server_are_tried_again_until_it_is_taken_once(self) -> None:
        report = self.issued()
        self.office.do("later")
        row = self.send(report)
        self.assertEqual((row.state, row.tries), ("waiting", 1))
        self.assertIn("451", row.problem)
        self.assertGreater(row.next_at, now())
        self.assertEqual(mail.waiting(self.db), [], "not before its time")
        self.office.do("drop")
        self.due_now(row)
        self.assertEqual(mail.waiting(self.db), [row.id])
        self.run_it(row)
        self.assertEqual((row.state, row.tries), ("waiting", 2))
        self.office.stop()
        self.due_now(row)
        self.run_it(row)
        self.assertEqual((row.state, row.tries), ("waiting", 3))
        self.assertIn("cannot be reached", row.problem)
        self.office = post.PostOffice(self.office.folder)
        self.addCleanup(self.office.stop)
        self.office.do("take")
        post.use(self.db, self.office.port, self.who)
        self.due_now(row)
        self.run_it(row)
        self.assertEqual((row.state, row.tries, row.problem), ("sent", 4, ""))
        self.assertEqual([m["Message-ID"] for m in self.taken()], [row.message_id])

    def test_a_server_that_never_answers_holds_nothing_up(self) -> None:
        report = self.issued()
        self.office.do("silent")
        with mock.patch.object(mail, "TIMEOUT_S", 0.5):
            row = self.send(report)
        self.assertEqual((row.state, row.tries), ("waiting", 1))

    def test_it_is_given_up_in_the_end_and_said(self) -> None:
        report = self.issued()
        self.office.do("later")
        row = self.send(report)
        for _ in range(len(mail.AGAIN_AFTER_S)):
            self.due_now(row)
            self.run_it(row)
        self.assertEqual(row.state, "refused")

    def test_two_workers_at_once_send_it_once(self) -> None:
        report = self.issued()
        row = mail.post(self.db, report.id or 0, Wish("dr.moe@tarnfels.example"), self.who)
        workers = [threading.Thread(target=mail.run, args=(engine(self.url), row.id)) for _ in range(4)]
        for worker in workers:
            worker.start()
        for worker in workers:
            worker.join()
        self.db.refresh(row)
        self.assertEqual((row.state, len(self.taken())), ("sent", 1))

    def test_a_wrong_password_is_a_no(self) -> None:
        report = self.issued()
        with TemporaryDirectory(prefix="kumpel-mail-") as folder:
            strict = post.PostOffice(Path(folder), "clinic", "right")
            self.addCleanup(strict.stop)
            post.use(self.db, strict.port, self.who)
            settings.keep(self.db, "mail.user", "site", "", "clinic", 0)
            settings.keep(self.db, "mail.password", "site", "", "wrong", 0)
            row = self.send(report)
            self.assertIn("535", row.problem)
            self.assertEqual(row.state, "refused")
            now_kept = next(k for k in settings.all_kept(self.db) if k.word.key == "mail.password")
            settings.keep(self.db, "mail.password", "site", "", "right", now_kept.version)
            self.run_it(mail.again(self.db, row.id or 0))
            self.assertEqual((row.state, len(strict.mails())), ("sent", 1))
            strict.stop()

    def test_starttls_is_not_passed_over(self) -> None:
        report = self.issued()
        kept = next(k for k in settings.all_kept(self.db) if k.word.key == "mail.security")
        settings.keep(self.db, "mail.security", "site", "", "STARTTLS", kept.version)
        row = self.send(report)
        self.assertEqual((row.state, self.taken()), ("refused", []))
        self.assertIn("does not offer", row.problem)

    def test_wrong_addresses_and_no_server_are_refused_at_once(self) -> None:
        report = self.issued()
        for wrong in (
            "",
            "moe",
            "moe@",
            "@tarnfels.example",
            "a@b",
            "a@b.example\nBcc: x@y.example",
            "a b@c.example",
            "ä@b.example",
        ):
            with self.subTest(wrong), self.assertRaises(InvalidError):
                mail.post(self.db, report.id or 0, Wish(wrong), self.who)
        with self.assertRaises(InvalidError):
            mail.post(self.db, report.id or 0, Wish("a@b.example", ()), self.who)
        kept = next(k for k in settings.all_kept(self.db) if k.word.key == "mail.server")
        settings.keep(self.db, "mail.server", "site", "", None, kept.version)
        with self.assertRaises(ConflictError):
            mail.post(self.db, report.id or 0, Wish("a@b.example"), self.who)
        self.assertEqual(mail.of_report(self.db, report.id or 0), [])

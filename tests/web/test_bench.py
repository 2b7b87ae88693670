"""The bench at the counter: a bottle put on the register once, monitors bump-tested side by side, certificates printed, one revoked."""

from __future__ import annotations

import io
import re
from dataclasses import replace
from datetime import timedelta

import pypdf
from playwright.sync_api import Page, expect
from sqlmodel import col, select

from kumpel.demo.ensemble import StandIn
from kumpel.formats import krec
from kumpel.services.bench import references
from kumpel.services.ground.sensor_checks import overdue
from kumpel.standins import blood_pressure_signal
from kumpel.standins.blood_pressure_signal import Day
from kumpel.store.tables import Certificate, Recorder, SensorCheck, Session, now
from tests.web.browser import BrowserTest

COUNT = 8
CREW = tuple(
    StandIn(f"G-{n:02d}", f"GM-{n:06d}", f"Gas monitor {n}", kind="gas", auto_start=False) for n in range(1, COUNT + 1)
)


class CheckBench(BrowserTest):
    def test_eight_monitors_bump_tested_and_certified_and_a_planted_fault_judged(self) -> None:
        ensemble = self.launch(*CREW, time_factor=200.0)
        ensemble.running["G-03"].tell("set", raw={"fails": ["co"]})
        page = self.sign_in()
        page.goto(f"{self.address}/bench")
        expect(page.get_by_role("list", name="Bays").get_by_role("button")).to_have_count(COUNT, timeout=60_000)
        page.get_by_role("button", name="add one …").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("Name", exact=True).fill("Mix A")
        dialog.get_by_label("Lot or serial number").fill("2210-7")
        dialog.get_by_label("What it holds").fill("co 100 h2s 25")
        expect(dialog.get_by_text("with commas between")).to_be_visible()
        dialog.get_by_label("What it holds").fill("co 100, h2s 25, o2 18, lel 50")
        dialog.get_by_label("Tests left in it").fill("60")
        dialog.get_by_role("button", name="Add it").click()
        expect(page.get_by_role("region", name="References")).to_contain_text("lot 2210-7")
        self.assert_nothing_cut_off("the bench")
        presses = 0
        # Never calibrated, never bump-tested: the bump test of one, then of all.
        for token in (each.token for each in CREW[:1]):
            page.get_by_role("list", name="Bays").get_by_role("button", name=re.compile(token)).click()
            page.get_by_role("button", name="Bump test", exact=True).click()
            presses += 2
        expect(page.get_by_role("region", name="G-01, Bump test")).to_contain_text(
            "4 of 4 sensors done", timeout=30_000
        )
        lead = page.get_by_role("button", name=re.compile(r"of the \d that are due"))
        lead.click()
        presses += 1
        expect(page.get_by_role("link", name=re.compile(r"^All \d+ to print"))).to_be_visible(timeout=60_000)
        self.eventually(lambda: self.papers() >= COUNT, 60)
        self.assertLess(presses, 12)
        self.db.rollback()
        bad = self.db.exec(select(SensorCheck).where(col(SensorCheck.passed).is_(False))).all()
        self.assertEqual({(check.sensor, check.made_by is not None) for check in bad}, {("co", True)})
        page.get_by_role("list", name="Bays").get_by_role("button", name=re.compile("G-03")).click()
        run = page.get_by_role("region", name=re.compile("^G-03"))
        expect(run).to_contain_text("is not within")
        self.replaced(page, "CO-4711")
        with page.expect_popup() as opened:
            page.get_by_role("link", name=re.compile(r"^All \d+ to print")).click()
        answer = page.request.get(opened.value.url if opened.value.url.startswith("http") else self.of_today())
        self.assertGreaterEqual(len(pypdf.PdfReader(io.BytesIO(answer.body())).pages), COUNT)
        page.get_by_role("button", name=re.compile("^Revoke K-")).first.click()
        page.get_by_role("dialog").get_by_role("button", name="wrong bottle").click()
        expect(page.get_by_text("is revoked; it stays on record")).to_be_visible()

    def replaced(self, page: Page, serial: str) -> None:
        """The sensor that failed is a new one: its checks begin anew, and until they are made it counts as never tested."""
        page.get_by_role("button", name=re.compile("^Replace the sensor")).click()
        dialog = page.get_by_role("dialog", name=re.compile("^A new sensor"))
        expect(dialog.get_by_role("button", name="It was replaced")).to_be_disabled()
        dialog.get_by_label("Serial number of the new one").fill(serial)
        dialog.get_by_role("button", name="It was replaced").click()
        expect(dialog).to_have_count(0)
        self.db.rollback()
        made = self.db.exec(select(SensorCheck).where(SensorCheck.what == "replaced")).one()
        self.assertEqual((made.sensor, made.serial), ("co", serial))
        recorder = self.db.get_one(Recorder, made.recorder_id)
        [words] = [
            each
            for each in overdue(self.db, [recorder])[made.recorder_id]
            if "replaced" in each and "test" in each.lower()
        ]
        self.assertRegex(words, "sensor replaced .*, not done since")

    def test_a_cuff_is_read_by_hand_and_what_fails_asks_about_the_sessions_before(self) -> None:
        cuff = StandIn("C-01", "BP-000001", "Cuff recorder 1", kind="blood_pressure", auto_start=False)
        control = self.launch(cuff, time_factor=200.0).running["C-01"]
        made = blood_pressure_signal.make(Day(seed=3)).recording
        begun = now() - timedelta(days=3)
        worn = replace(made, start=begun.timestamp(), recorder={"serial": "BP-000001"})
        session = self.stored(krec.write_recording(worn, "B-1"))
        self.assertNotEqual(session.verdict, "not assessable")
        references.add(self.db, references.Wish("manometer", "Manometer 2", {}, "MM-11"))
        page = self.sign_in()
        page.goto(f"{self.address}/bench")
        page.get_by_role("button", name=re.compile("C-01")).click(timeout=60_000)
        page.get_by_role("button", name="Manometer", exact=True).click()
        region = page.get_by_role("region", name="C-01, Manometer")
        for applied, shows in ((50, 51), (150, 158), (250, 252)):
            control.tell("set", raw={"cuff": shows})
            expect(region.get_by_label("The manometer shows")).to_have_value(str(applied))
            expect(region.get_by_text("steady", exact=True)).to_be_visible(timeout=30_000)
            region.get_by_role("button", name=f"Read Cuff at {applied} mmHg").click()
            expect(region.get_by_role("row", name=re.compile(f"^Cuff at {applied} mmHg"))).to_contain_text(
                "158 is not within" if applied == 150 else "passed", timeout=30_000
            )
        self.assert_nothing_cut_off("a check by hand")
        asks = page.get_by_role("region", name="To be decided")
        expect(asks).to_contain_text("1 session since it was passed last")
        asks.get_by_role("button", name="Hold their figures").click()
        self.eventually(lambda: self.verdict_of(session.id) == "not assessable", 30)
        region.get_by_role("button", name="Accept with a reason…").click()
        page.get_by_role("dialog").get_by_role("button", name="the cap was not tight").click()
        self.eventually(lambda: self.verdict_of(session.id) == session.verdict, 30)
        page.keyboard.press("Control+k")
        page.get_by_label("Find a person, recorder, session or place").fill("K-20")
        page.get_by_role("button", name=re.compile("certificate, Manometer, C-01")).click()
        papers = page.get_by_role("list", name="Certificates")
        expect(papers.get_by_role("listitem")).to_have_count(1)
        expect(papers).to_contain_text("not passed")

    def verdict_of(self, session_id: int | None) -> str:
        self.db.rollback()
        return self.db.exec(select(Session.verdict).where(Session.id == session_id)).one()

    def papers(self) -> int:
        self.db.rollback()
        return len(self.db.exec(select(Certificate.id)).all())

    def of_today(self) -> str:
        self.db.rollback()
        made = self.db.exec(select(Certificate)).first()
        assert made is not None
        return f"{self.address}/api/certificates/day/{made.made_at.astimezone():%Y-%m-%d}/pdf"

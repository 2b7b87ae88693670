"""A night of oximetry on its own sheet: hours, falls in pictures, an artefact given back; from the recorder to paper in six presses."""

from __future__ import annotations

import io
import re
import time
from dataclasses import replace

import numpy as np
import pypdf
from playwright.sync_api import expect

from kumpel.demo.ensemble import StandIn
from kumpel.formats import krec
from kumpel.formats.krec import Channel
from kumpel.services.ground import figures
from kumpel.standins import oximetry_signal
from kumpel.store.tables import Session
from tests.web.browser import BrowserTest
from tests.web.test_tasks import COUNT


class NightSheet(BrowserTest):
    watch = "0"

    def value(self, row: Session, key: str) -> float:
        self.db.rollback()
        self.db.expire_all()
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        return found.both.reviewed.figure(key).value

    def test_hours_pictures_and_an_artefact_given_back(self) -> None:
        made = oximetry_signal.make(oximetry_signal.usual_night(4)).recording
        values = made.channels["spo2"].values.copy()
        values[12_000:12_030] = 44.0
        where = np.where(np.arange(len(values)) < len(values) / 2, 1.0, 2.0)
        channels = {
            **made.channels,
            "spo2": Channel("spo2", "SpO2", "%", 1.0, values),
            "position": Channel("position", "Position", "", 1.0, where),
        }
        row = self.stored(krec.write_recording(replace(made, channels=channels)), self.person("Emil Farkas"))
        page = self.sign_in()
        page.goto(f"{self.address}/review/{row.id}")
        hours = page.get_by_role("list", name="Falls of four points an hour of valid time").get_by_role("listitem")
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        table = found.both.reviewed.table("hours")
        expect(hours).to_have_count(len(table.rows))
        expect(hours.nth(1)).to_contain_text(f"{float(table.rows[1][4]):.1f}")
        expect(page.get_by_text("By the position of the body")).to_be_visible()
        expect(page.get_by_role("img", name=re.compile(r"^\d+ falls; the deepest"))).to_be_visible()
        hours.nth(1).get_by_role("button").click()
        expect(page.get_by_role("button", name="whole session")).to_be_visible()
        lowest = self.value(row, "lowest")
        self.assertGreater(lowest, 50)
        events = page.get_by_role("region", name="Events", exact=True)
        events.get_by_role("button", name=re.compile("^artefacts")).click()
        line = events.get_by_role("listitem").filter(has_text="below 50 %")
        line.get_by_role("button", name=re.compile("count", re.I)).click()
        self.eventually(lambda: self.value(row, "lowest") == 44.0, 15)
        page.get_by_role("button", name="Undo").click()
        self.eventually(lambda: self.value(row, "lowest") == lowest, 15)
        self.assert_nothing_cut_off("a night of oximetry")

    def test_two_nights_beside_one_another_on_the_same_scales(self) -> None:
        who, ids = self.person("Emil Farkas"), []
        for k in (4, 5):
            made = oximetry_signal.make(oximetry_signal.usual_night(k)).recording
            made = replace(made, recorder={"serial": f"OX-000{k}"}, start=made.start + 86_400 * k)
            ids.append(self.stored(krec.write_recording(made), who).id)
        page = self.sign_in()
        page.goto(f"{self.address}/compare?sessions={ids[0]},{ids[1]}")
        nights = page.get_by_role("region", name="Nights beside one another")
        expect(nights.get_by_role("img", name=re.compile(r"^\d+ falls; the deepest"))).to_have_count(2)
        curves = nights.get_by_role("img", name=re.compile("below each percent"))
        expect(curves).to_have_count(2)
        scales = ["|".join(curve.locator("text").all_text_contents()) for curve in curves.all()]
        self.assertEqual(scales[0], scales[1])


class FromTheRecorder(BrowserTest):
    def test_a_night_from_the_recorder_to_paper(self) -> None:
        ensemble = self.launch(StandIn("O-01", "OX-000001", "Oximeter 1", kind="oximetry", auto_start=False))
        ensemble.running["O-01"].tell("record", start=time.time() - 30_000, length_s=28_000)
        page = self.sign_in()
        page.goto(f"{self.address}/take-in")
        take = page.get_by_role("button", name="Take in all 1")
        expect(take).to_be_enabled(timeout=30_000)
        expect(page.get_by_role("status", name="Not safe yet")).to_contain_text("O-01")
        page.evaluate(COUNT)
        take.click()
        page.get_by_role("link", name="review", exact=True).click(timeout=60_000)
        page.get_by_role("button", name="Sign, then reports").click()
        expect(page.get_by_role("img", name="Page 1 of the report")).to_be_visible(timeout=30_000)
        with page.expect_download() as told:
            page.get_by_role("button", name="Issue, PDF").click()
        self.assertLessEqual(int(page.evaluate("window.presses")), 6)
        words = " ".join(p.extract_text() for p in pypdf.PdfReader(io.BytesIO(told.value.path().read_bytes())).pages)
        row = self.db.get_one(Session, 1)
        self.assertIn(f"{self.odi(row):.1f}", words)

    def odi(self, row: Session) -> float:
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        return found.both.reviewed.figure("odi4").value

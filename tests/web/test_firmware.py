"""Firmware by mouse: a maker trusted, a file chosen, several updated at once, a cable pulled, what to press, what the displays must say."""

from __future__ import annotations

import re

from playwright.sync_api import expect
from sqlmodel import select

from kumpel.demo.ensemble import StandIn
from kumpel.link import firmware_image
from kumpel.standins import maker
from kumpel.store.tables import Recorder
from tests.web.browser import BrowserTest

RECORDERS = (
    StandIn("V-01", "VL-000101", "Logger 1", kind="vehicle", auto_start=False),
    StandIn("V-02", "VL-000102", "Logger 2", kind="vehicle", auto_start=False),
    StandIn("T-01", "TW-000101", "Watch 1", kind="training", auto_start=False),
    StandIn("V-03", "VL-000103", "Logger 3", kind="vehicle", passcode="2718", auto_start=False),
)


class OnTheScreen(BrowserTest):
    def add(self, name: str, data: bytes) -> None:
        self.page.get_by_label("Firmware file").set_input_files(
            {"name": name, "mimeType": "application/octet-stream", "buffer": data}
        )

    def test_from_the_makers_file_to_what_the_displays_say(self) -> None:
        ensemble = self.launch(*RECORDERS, time_factor=1.0)
        page = self.sign_in()
        page.goto(f"{self.address}/recorders")
        page.get_by_role("link", name="Firmware").click()
        expect(page.get_by_text("4 recorders have nothing newer.")).to_be_visible(timeout=60_000)
        logger = maker.image(
            "vehicle",
            ["VL-16"],
            "4.4.0",
            900_000,
            "Finds its satellites in half the time after a night switched off, and says how many there are.",
            "4.4.0 and a tick",
        )
        self.add("logger.kfw", logger)
        expect(page.get_by_text("which is not trusted here")).to_be_visible()
        page.get_by_role("button", name="Trust a key").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("Whose it is").fill("The maker")
        dialog.get_by_label("Public key").fill(firmware_image.public_words(maker.PUBLIC))
        dialog.get_by_role("button", name="Trust it").click()
        expect(page.get_by_text(f"key {firmware_image.key_id(maker.PUBLIC).hex()}", exact=True)).to_be_visible()
        self.add("logger.kfw", logger[:-10])
        expect(page.get_by_text("it is not whole")).to_be_visible()
        self.add("logger.kfw", logger)
        self.add("watch.kfw", maker.image("training", ["TW-2"], "5.1", 90_000, shows="5.1 above the clock"))
        catalogue = page.get_by_role("complementary", name="Catalogue")
        expect(catalogue.get_by_text("for VL-16")).to_be_visible()
        self.assert_nothing_cut_off("firmware")
        # On a small screen nothing lies under the catalogue.
        page.set_viewport_size({"width": 1024, "height": 700})
        under = catalogue.bounding_box()
        for each in (page.get_by_role("button", name=re.compile("^Update ")), page.get_by_role("table")):
            box = each.bounding_box()
            assert box is not None and under is not None
            self.assertLessEqual(box["x"] + box["width"], under["x"])
        page.set_viewport_size({"width": 1280, "height": 800})
        # One has a session that is not stored: it is not among those that go by themselves.
        ensemble.running["V-02"].tell("record", start=1_795_000_000.0, length_s=900)
        row = {each.token: page.get_by_role("row", name=re.compile(each.token)) for each in RECORDERS}
        expect(row["V-02"]).to_contain_text("not stored yet", timeout=30_000)
        expect(row["V-02"].get_by_role("checkbox")).not_to_be_checked()
        ensemble.running["V-01"].tell("vanish", after_bytes=1500)
        page.get_by_role("button", name="Update these 3").click()
        expect(row["T-01"]).to_contain_text("Hold both keys on its left", timeout=30_000)
        ensemble.running["T-01"].tell("press")
        expect(row["T-01"]).to_contain_text("its display says: 5.1 above the clock", timeout=60_000)
        expect(row["V-03"]).to_contain_text("asks for its passcode")
        row["V-03"].get_by_role("button", name="Give its passcode").click()
        page.get_by_role("dialog").get_by_label("Passcode").fill("2718")
        page.get_by_role("button", name="Go on").click()
        expect(row["V-03"]).to_contain_text("4.4.0 and a tick", timeout=60_000)
        # The cable was pulled in the middle, and is put in again.
        expect(row["V-01"]).to_contain_text(re.compile(r"\d+ % is on it"), timeout=60_000)
        ensemble.running["V-01"].tell("come back")
        expect(row["V-01"]).to_contain_text("4.4.0 and a tick", timeout=90_000)
        row["V-02"].get_by_role("checkbox").check()
        page.get_by_role("button", name="Update V-02").click()
        expect(row["V-02"]).to_contain_text("4.4.0 and a tick", timeout=60_000)
        self.db.rollback()
        runs = {each.token: each.firmware for each in self.db.exec(select(Recorder)).all()}
        self.assertEqual(runs, {"V-01": "4.4.0", "V-02": "4.4.0", "V-03": "4.4.0", "T-01": "5.1"})
        self.assertNotIn("2718", self.server_log())

"""A recorder that opens a network of its own: gone to and come back from by mouse, then given the house's network, its key read nowhere."""

from __future__ import annotations

import json
import os
import shutil
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path
from unittest import mock

from playwright.sync_api import expect
from sqlmodel import select

from kumpel.config import ROOT
from kumpel.demo.ensemble import StandIn
from kumpel.standins import radio_manager
from kumpel.store.tables import Recorder, Session
from tests.web.browser import BrowserTest

OWN, KEY, HOUSE_KEY = "KR VL-000301", "on-the-case-9", "what the house keeps to itself"
LOGGER = StandIn("V-31", "VL-000301", "Logger 31", kind="vehicle", auto_start=False)


class OnTheAir(BrowserTest):
    def setUp(self) -> None:
        self.air = Path(tempfile.mkdtemp(prefix="kumpel-air-"))
        self.addCleanup(shutil.rmtree, self.air, ignore_errors=True)
        networks = [{"name": "works", "key": HOUSE_KEY, "signal": 80}, {"name": OWN, "key": KEY, "signal": 41}]
        (self.air / "networks.json").write_text(json.dumps(networks))
        told = {
            "KUMPEL_AIR": str(self.air),
            "KUMPEL_NMCLI": f"{sys.executable} -m kumpel.standins.radio_manager",
            "PYTHONPATH": str(ROOT / "src"),
        }
        self.enterContext(mock.patch.dict(os.environ, told))
        super().setUp()

    def test_gone_to_taken_in_set_up_there_and_brought_home(self) -> None:
        ensemble = self.launch(replace(LOGGER, rest={"air": str(self.air), "opens": True}), time_factor=1.0)
        ensemble.running["V-31"].tell("record", start=time.time() - 4000, length_s=60)
        page = self.sign_in()
        page.goto(f"{self.address}/recorders?as=list")
        page.goto(f"{self.address}/radio")
        expect(page.get_by_text("the server is in works")).to_be_visible()
        self.assert_nothing_cut_off("radio")
        page.get_by_role("button", name="Go there").click()
        dialog = page.get_by_role("dialog")
        expect(dialog).to_contain_text("The server leaves works")
        dialog.get_by_label("Key of its network").fill("not-its-key")
        dialog.get_by_role("button", name="Go there").click()
        visit = page.get_by_role("region", name="Visit")
        expect(visit).to_contain_text("the key is not right", timeout=30_000)
        page.get_by_role("button", name="Go there").click()
        dialog.get_by_label("Key of its network").fill(KEY)
        dialog.get_by_role("button", name="Go there").click()
        expect(visit).to_contain_text("1 session taken in there", timeout=60_000)
        self.assertEqual(radio_manager.joined(self.air), "works")
        self.db.rollback()
        self.assertEqual([each.state for each in self.db.exec(select(Session)).all()], ["stored"])
        # Once more, to stay and give it the house's network.
        page.get_by_role("button", name="Go there").click()
        dialog.get_by_label("Key of its network").fill(KEY)
        dialog.get_by_role("button", name="Go there").click()
        # Nothing is new on it: it is back at once, and that is told.
        expect(visit).to_contain_text("Nothing new was on it", timeout=60_000)

    def test_given_the_houses_network_it_stays_in_reach(self) -> None:
        ensemble = self.launch(
            replace(LOGGER, passcode="2718", rest={"air": str(self.air)}),
            StandIn("V-32", "VL-000302", "Logger 32", kind="vehicle"),
        )
        page = self.sign_in()
        page.goto(f"{self.address}/radio")
        expect(page.get_by_role("button", name="Choose all 2")).to_be_visible(timeout=60_000)
        page.get_by_role("button", name="Choose all 2").click()
        page.get_by_label("Its key").fill("short")
        expect(page.get_by_role("button", name="Give it to these 2")).to_be_disabled()
        page.get_by_label("Its key").fill(HOUSE_KEY)
        page.get_by_role("button", name="Give it to these 2").click()
        expect(page.get_by_text("has it and is in it")).to_have_count(1)
        expect(page.get_by_text("asks for its passcode")).to_be_visible()
        page.get_by_label("Passcode of those that ask").fill("2718")
        page.get_by_role("button", name="Give it to V-31").click()
        expect(page.get_by_text("has it and is in it")).to_have_count(1)
        expect(page.get_by_label("Its key")).to_have_value("")
        self.db.rollback()
        self.assertEqual(len(self.db.exec(select(Recorder)).all()), 2)
        self.assertTrue(ensemble.running)
        self.assertNotIn(HOUSE_KEY, self.server_log())

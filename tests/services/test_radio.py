"""Recorders on a radio network of their own: visited and left again, whatever goes wrong there; the house's network given, its key nowhere."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from collections.abc import Callable
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Any
from unittest import mock

import psycopg

from kumpel.config import ROOT
from kumpel.demo.ensemble import Ensemble, StandIn
from kumpel.link import radio
from kumpel.link.client import RecorderLink
from kumpel.link.errors import LinkError
from kumpel.link.radio import Nmcli, RadioError, Standing
from kumpel.services.ground.problems import ConflictError, InvalidError, PasscodeNeededError
from kumpel.services.radio import house, visits
from kumpel.services.take_in import take_in
from kumpel.standins import radio_manager
from kumpel.store.database import engine
from kumpel.store.tables import RadioVisit, Recorder, Session, now
from tests.support import SCOPE, DatabaseTest

OWN, KEY, HOUSE_KEY = "KR VL-000201", "on-the-case-9", "what the house keeps to itself"
PROGRAM = [sys.executable, "-m", "kumpel.standins.radio_manager"]


class Air(unittest.TestCase):
    def setUp(self) -> None:
        super().setUp()
        self.air = Path(tempfile.mkdtemp(prefix="kumpel-air-"))
        self.addCleanup(shutil.rmtree, self.air, ignore_errors=True)
        networks: list[dict[str, Any]] = [
            {"name": "house: first floor", "key": HOUSE_KEY, "signal": 82},
            {"name": OWN, "key": KEY, "signal": 61},
            {"name": "guests", "key": "", "signal": 20},
        ]
        (self.air / "networks.json").write_text(json.dumps(networks))
        told = {"KUMPEL_AIR": str(self.air), "KUMPEL_NMCLI": " ".join(PROGRAM), "PYTHONPATH": str(ROOT / "src")}
        self.enterContext(mock.patch.dict(os.environ, told))

    @property
    def joined(self) -> str:
        return radio_manager.joined(self.air)


class Switching(Air):
    def test_joined_for_a_while_and_back_with_nothing_left_behind(self) -> None:
        here = radio.this_radio()
        before = here.standing()
        self.assertEqual((before.device, before.network), ("wlan0", "house: first floor"))
        self.assertEqual(
            [(each.name, each.signal, each.locked, each.joined) for each in here.heard()],
            [("house: first floor", 0.82, True, True), (OWN, 0.61, True, False), ("guests", 0.2, False, False)],
        )
        self.assertEqual(here.join(OWN, KEY), "127.0.0.1/8")
        self.assertEqual(self.joined, OWN)
        here.go_back(before)
        self.assertEqual(self.joined, "house: first floor")
        kept = (self.air / "state.json").read_text()
        self.assertNotIn(radio.VISIT, kept)
        self.assertNotIn(KEY, kept)
        self.assertEqual(here.join("guests", ""), "127.0.0.1/8")
        here.go_back(Standing("wlan0"))
        self.assertEqual(self.joined, "")

    def test_a_wrong_key_and_a_network_that_is_gone_are_said_and_no_key_is_in_the_words(self) -> None:
        here = radio.this_radio()
        with self.assertRaisesRegex(RadioError, "^the key is not right$"):
            here.join(OWN, "another-key")
        with self.assertRaisesRegex(RadioError, "not in the air any more"):
            here.join("KR VL-999999", KEY)
        for name, key in (
            ("", KEY),
            ("x" * 33, KEY),
            (OWN, "short"),
            (OWN, "k" * 64),
            (OWN, "with\nline"),
            ("a\nb", ""),
        ):
            with self.assertRaises(ValueError) as caught:
                here.join(name, key)
            self.assertNotIn(key or "?", str(caught.exception))

    def test_the_key_is_in_no_argument(self) -> None:
        seen: list[list[str]] = []
        run = subprocess.run

        def spied(command: list[str], **rest: Any) -> Any:
            seen.append(command)
            return run(command, **rest)

        with mock.patch.object(subprocess, "run", spied):
            Nmcli(PROGRAM).join(OWN, KEY)
        self.assertGreater(len(seen), 3)
        self.assertNotIn(KEY, json.dumps(seen))

    def test_no_radio_is_said(self) -> None:
        with (
            mock.patch.dict(os.environ, {"KUMPEL_NMCLI": ""}),
            mock.patch.object(shutil, "which", lambda name: None),
            self.assertRaisesRegex(ConflictError, "no NetworkManager"),
        ):
            visits.heard()
        with mock.patch.dict(os.environ, {"KUMPEL_NMCLI": "/nowhere/nmcli"}), self.assertRaises(ConflictError):
            visits.heard()


class Visits(Air, DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        self.enterContext(mock.patch.dict(os.environ, {"KUMPEL_SCOPE": SCOPE}))
        folder = Path(tempfile.mkdtemp(prefix="kumpel-radio-"))
        self.addCleanup(shutil.rmtree, folder, ignore_errors=True)
        self.ensemble = Ensemble(folder, 1.0)
        self.addCleanup(self.ensemble.stop)
        logger = StandIn("V-21", "VL-000201", "Logger 21", kind="vehicle", passcode="2718", auto_start=False)
        self.ensemble.launch((replace(logger, rest={"air": str(self.air), "opens": True}),))
        self.logger = self.ensemble.running["V-21"]
        self.taken: list[int] = []

    def start(self, ids: list[int]) -> None:
        """What the queue of work does with what was wished."""
        self.taken += ids
        threading.Thread(target=lambda: [take_in.run(engine(self.url), i) for i in ids]).start()

    def visit(self, key: str = KEY) -> RadioVisit:
        visit = visits.begin(self.db, OWN, key)
        visits.run(engine(self.url), visit.id or 0, key, self.start)
        self.db.rollback()
        self.db.refresh(visit)
        return visit

    def while_there(self, deed: Callable[[RadioVisit], None], stays: bool = True) -> RadioVisit:
        """A visit that stays, with something done meanwhile."""
        visit = visits.begin(self.db, OWN, KEY)
        if stays:
            visits.stay(self.db, visit.id or 0)
        at_it = threading.Thread(target=visits.run, args=(engine(self.url), visit.id, KEY, self.start))
        at_it.start()
        while visit.state == "joins" and at_it.is_alive():
            time.sleep(0.1)
            self.db.rollback()
            self.db.refresh(visit)
        deed(visit)
        if stays:
            visits.end(self.db, visit.id or 0)
        at_it.join()
        self.db.rollback()
        self.db.refresh(visit)
        return visit

    def test_there_everything_new_taken_in_and_back(self) -> None:
        self.logger.tell("record", start=time.time() - 4000, length_s=60)
        visit = self.visit()
        self.assertEqual((visit.state, visit.trouble, visit.left_network), ("done", "", "house: first floor"))
        self.assertEqual(self.joined, "house: first floor")
        self.assertEqual((visit.sessions, len(self.taken)), (1, 1))
        self.db.expire_all()
        self.assertEqual([self.db.get_one(Session, i).state for i in self.taken], ["stored"])
        self.assertFalse(self.db.get_one(Recorder, visit.recorder_id).in_reach)

    def test_a_wrong_key_and_a_recorder_that_is_silent_lead_back(self) -> None:
        visit = self.visit("not-its-key")
        self.assertEqual(
            (visit.state, visit.trouble, self.joined), ("failed", "the key is not right", "house: first floor")
        )
        self.ensemble.stop()
        with mock.patch.object(visits, "FOUND_S", 1.0):
            visit = self.visit()
        self.assertEqual((visit.state, self.joined), ("failed", "house: first floor"))
        self.assertIn("no recorder announces itself in it", visit.trouble)

    def test_nobody_leads_the_server_into_another_network(self) -> None:
        for name in ("guests", "house: first floor", "KR", "KR ", "kr VL-000201", "KR VL 201"):
            with self.subTest(name), self.assertRaises(InvalidError):
                visits.begin(self.db, name, KEY)
        self.assertEqual(self.joined, "house: first floor")

    def test_one_at_a_time_and_ended_by_hand(self) -> None:
        def another(visit: RadioVisit) -> None:
            self.assertEqual((visit.state, self.joined), ("there", OWN))
            with self.assertRaisesRegex(ConflictError, "End that visit first"):
                visits.begin(self.db, OWN, KEY)
            self.db.rollback()

        self.assertEqual(self.while_there(another).state, "done")
        self.assertEqual(self.joined, "house: first floor")

    def test_a_killed_server_comes_back(self) -> None:
        """A process of its own is killed in the recorder's network; who looks out on this machine brings it back."""
        visit = visits.begin(self.db, OWN, KEY)
        visits.stay(self.db, visit.id or 0)
        words = f"from kumpel.services.radio import visits; from kumpel.store.database import engine; visits.run(engine({self.url!r}), {visit.id}, {KEY!r}, print)"
        process = subprocess.Popen([sys.executable, "-c", words])
        self.addCleanup(process.kill)
        ends_s = time.monotonic() + 60
        while visit.state != "there" and time.monotonic() < ends_s:
            time.sleep(0.1)
            self.db.rollback()
            self.db.refresh(visit)
        self.assertEqual((visit.state, self.joined), ("there", OWN))
        process.kill()
        process.wait()
        visits.come_back(engine(self.url))
        self.assertEqual(self.joined, OWN, "it may still be at it")
        self.db.rollback()
        self.db.refresh(visit)
        visit.beat_at = now() - timedelta(minutes=1)
        self.db.add(visit)
        self.db.commit()
        visits.come_back(engine(self.url))
        self.db.refresh(visit)
        self.assertEqual((visit.state, self.joined), ("failed", "house: first floor"))
        self.assertIn("ended in the middle", visit.trouble)

    def test_the_house_that_cannot_be_joined_again_is_tried_until_it_can(self) -> None:
        whole = (self.air / "networks.json").read_text()

        def gone(visit: RadioVisit) -> None:
            without = [each for each in json.loads(whole) if not each["name"].startswith("house")]
            (self.air / "networks.json").write_text(json.dumps(without))
            threading.Timer(2.0, (self.air / "networks.json").write_text, (whole,)).start()

        with mock.patch.object(visits, "TRIES_AGAIN_S", 0.5):
            visit = self.while_there(gone)
        self.assertEqual((visit.state, visit.trouble, self.joined), ("done", "", "house: first floor"))

    def link_once_it_answers(self, seconds: float = 10.0) -> RecorderLink:
        """A recorder that changes its network is silent until it is in the other."""
        limit = time.monotonic() + seconds
        while True:
            try:
                return RecorderLink("127.0.0.1", self.logger.link)
            except LinkError:
                if time.monotonic() > limit:
                    raise
                time.sleep(0.1)

    def test_given_the_houses_network_it_is_in_reach_from_there_and_the_key_is_nowhere(self) -> None:
        def give(visit: RadioVisit) -> None:
            recorder = self.db.get_one(Recorder, visit.recorder_id)
            with self.assertRaises(PasscodeNeededError):
                house.give(self.db, recorder.id or 0, "house: first floor", HOUSE_KEY)
            self.db.rollback()
            with self.assertRaises(InvalidError):
                house.give(self.db, recorder.id or 0, "house: first floor", "short", "2718")
            self.db.rollback()
            state = house.give(self.db, recorder.id or 0, "house: first floor", HOUSE_KEY, "2718")
            self.assertEqual((state.network, state.joined), ("house: first floor", True))
            self.assertEqual([each.token for each in house.that_can(self.db)], ["V-21"])

        # It leaves its own network as it is put down: the visit ends, and it is heard in the house.
        self.while_there(give)
        self.assertEqual(self.joined, "house: first floor")
        with self.link_once_it_answers() as link:
            self.assertEqual((link.radio().network, link.radio().joined), ("house: first floor", True))
        with psycopg.connect(self.url) as connection:
            names = connection.execute("select table_name from information_schema.tables where table_schema = 'public'")
            for (name,) in names.fetchall():
                rows = connection.execute(f'select t::text from "{name}" t').fetchall()
                for secret in (KEY, HOUSE_KEY):
                    self.assertNotIn(secret, "\n".join(row for (row,) in rows), name)

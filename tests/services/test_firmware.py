"""Firmware: what is added, which recorder takes it, cut anywhere and gone on with, refused where it has to be."""

from __future__ import annotations

import random
import shutil
import tempfile
import threading
import time
from pathlib import Path
from typing import Any
from unittest import mock

from kumpel.demo.ensemble import Ensemble, StandIn
from kumpel.link import firmware_image
from kumpel.link.discovery import Announcement
from kumpel.services.firmware import catalogue, fitting, updates
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.recorders import recorders
from kumpel.standins import maker
from kumpel.store.database import engine
from kumpel.store.tables import FirmwareUpdate, Recorder
from tests.support import DatabaseTest

LOGGERS = tuple(StandIn(f"V-{n:02d}", f"VL-{n:06d}", f"Logger {n}", kind="vehicle", auto_start=False) for n in (1, 2))
WATCH = StandIn("T-01", "TW-000001", "Watch 1", kind="training", auto_start=False)
LOCKED = StandIn("V-03", "VL-000003", "Logger 3", kind="vehicle", passcode="2718", auto_start=False)


class Firmware(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        folder = Path(tempfile.mkdtemp(prefix="kumpel-firmware-"))
        self.addCleanup(shutil.rmtree, folder, ignore_errors=True)
        self.ensemble = Ensemble(folder, 1.0)
        self.addCleanup(self.ensemble.stop)
        self.ensemble.launch((*LOGGERS, WATCH, LOCKED), False)
        self.first, self.second, self.watch, self.locked = map(self.heard, (*LOGGERS, WATCH, LOCKED))
        catalogue.trust(self.db, "The maker", firmware_image.public_words(maker.PUBLIC))
        self.image = catalogue.add(self.db, maker.image("vehicle", ["VL-16"], "4.4.0", 300_000, "Fewer gaps"))
        self.for_watch = catalogue.add(self.db, maker.image("training", ["TW-2"], "5.1", 90_000))

    def heard(self, each: StandIn) -> Recorder:
        link = self.ensemble.running[each.token].link
        return recorders.heard(self.db, Announcement(each.serial, "127.0.0.1", link, each.token))

    def begun(self, *mine: Recorder) -> list[FirmwareUpdate]:
        begun = updates.begin(self.db, [each.id or 0 for each in mine])
        self.assertEqual(begun.refused, {})
        return begun.updates

    def run_it(self, update: FirmwareUpdate, passcode: str = "") -> FirmwareUpdate:
        updates.run(engine(self.url), update.id or 0, passcode)
        self.db.rollback()
        self.db.refresh(update)
        return update

    def test_two_side_by_side_and_what_runs_is_what_was_sent(self) -> None:
        fits = {fit.recorder.token: fit for fit in fitting.fits(self.db)}
        self.assertEqual([*fits], ["T-01", "V-01", "V-02", "V-03"])
        self.assertTrue(all(fit.against == fit.asks == "" for fit in fits.values()))
        both = self.begun(self.first, self.second)
        with self.assertRaises(ConflictError):
            raise ConflictError(*updates.begin(self.db, [self.first.id or 0]).refused.values())
        threads = [threading.Thread(target=updates.run, args=(engine(self.url), each.id)) for each in both]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.db.rollback()
        for each, update in zip((self.first, self.second), both, strict=True):
            self.db.refresh(update)
            self.assertEqual((update.state, update.was, update.sent), ("done", "4.3.0", self.image.size))
            self.assertEqual(self.heard(LOGGERS[0] if each is self.first else LOGGERS[1]).firmware, "4.4.0")
        again = updates.begin(self.db, [self.first.id or 0])
        self.assertIn("nothing newer than 4.4.0", again.refused[self.first.id or 0])

    def test_what_must_be_pressed_first_is_said_and_it_goes_on_once_it_was(self) -> None:
        [update] = self.begun(self.watch)
        self.run_it(update)
        self.assertEqual(update.state, "waits")
        self.assertEqual(update.trouble, "Hold both keys on its left until an arrow stands on its display.")
        self.assertEqual(updates.waiting(self.db, self.watch.serial), [update.id])
        self.ensemble.running["T-01"].tell("press")
        self.assertEqual(self.run_it(update).state, "done")

    def test_a_cut_leaves_the_old_one_and_it_goes_on_where_it_was(self) -> None:
        [update] = self.begun(self.first)
        running = self.ensemble.running["V-01"]
        running.tell("vanish", after_bytes=900)  # of its answers: in the middle of the blocks
        self.run_it(update)
        self.assertEqual(update.state, "waits")
        self.assertGreater(update.trouble, "")
        running.tell("come back")
        self.first = self.heard(LOGGERS[0])
        self.assertEqual(updates.waiting(self.db, self.first.serial), [update.id])
        self.assertEqual(self.run_it(update).state, "done", update.trouble)
        self.assertEqual(self.heard(LOGGERS[0]).firmware, "4.4.0")

    def test_a_passcode_is_asked_for_and_kept_nowhere(self) -> None:
        [update] = self.begun(self.locked)
        self.run_it(update)
        self.assertEqual((update.state, update.locked), ("waits", True))
        self.assertEqual(updates.waiting(self.db, self.locked.serial), [])
        self.run_it(update, "0000")
        self.assertTrue(update.locked)
        self.assertEqual(self.run_it(update, "2718").state, "done", update.trouble)

    def test_what_stands_against_it_is_said_before(self) -> None:
        self.ensemble.running["V-01"].tell("set", battery=0.12)
        self.ensemble.running["V-02"].tell("record", start=time.time() - 4000, length_s=900)
        self.heard(LOGGERS[0]), self.heard(LOGGERS[1])
        fits = {fit.recorder.token: fit for fit in fitting.fits(self.db)}
        self.assertEqual(fits["V-01"].against, "its battery is at 12%: charge it to 30% first")
        self.assertEqual(fits["V-02"].asks, "a session on it is not stored yet")
        refused = updates.begin(self.db, [self.first.id or 0, self.second.id or 0]).refused
        self.assertIn("12%", refused[self.first.id or 0])
        self.assertIn("not stored yet", refused[self.second.id or 0])
        anyway = updates.begin(self.db, [self.second.id or 0], unstored_too=True)
        self.assertEqual(self.run_it(anyway.updates[0]).state, "done")
        recorders.gone(self.db, self.first.serial)
        self.db.refresh(self.first)
        self.assertIn("not in reach", fitting.against(self.first))

    def test_stopped_by_hand_what_ran_runs_on(self) -> None:
        [waits] = self.begun(self.watch)
        self.assertEqual(updates.stop(self.db, waits.id or 0).state, "stopped")
        self.ensemble.running["V-01"].tell("slow", bytes_per_s=20_000)
        [update] = self.begun(self.first)
        at_work = threading.Thread(target=updates.run, args=(engine(self.url), update.id))
        at_work.start()
        while not update.sent and at_work.is_alive():
            time.sleep(0.05)
            self.db.rollback()
            self.db.refresh(update)
        updates.stop(self.db, update.id or 0)
        at_work.join()
        self.db.rollback()
        self.db.refresh(update)
        self.assertIn(update.state, ("stopped", "done"))
        self.assertEqual(self.heard(LOGGERS[0]).firmware, "4.3.0" if update.state == "stopped" else "4.4.0")

    def test_the_server_takes_only_what_is_genuine_and_for_a_kind_it_knows(self) -> None:
        good = maker.image("vehicle", ["VL-16"], "4.5.0", 5_000)
        rng = random.Random(38)
        for _ in range(60):
            bad = bytearray(good)
            bad[rng.randrange(len(bad))] ^= 1 << rng.randrange(8)
            with self.assertRaises(InvalidError):
                catalogue.add(self.db, bytes(bad))
        for cut in (0, 4, 5, 6, 100, len(good) - 1):
            with self.assertRaises(InvalidError):
                catalogue.add(self.db, good[:cut])
        with self.assertRaises(InvalidError):
            catalogue.add(self.db, good + b"x")
        stranger = firmware_image.sign(
            b"x", firmware_image.new_key(), {"kind": "vehicle", "models": ["VL-16"], "version": "9.0"}
        )
        with self.assertRaisesRegex(InvalidError, "not trusted here"):
            catalogue.add(self.db, stranger)
        with self.assertRaisesRegex(InvalidError, "not known here"):
            catalogue.add(self.db, maker.image("kettle", ["K"], "1.0", 10))
        with self.assertRaises(ConflictError):
            catalogue.add(self.db, maker.image("vehicle", ["VL-16"], "4.4.0", 300_000, "Fewer gaps"))
        self.db.rollback()
        self.assertEqual([row.version for row in catalogue.images(self.db)], ["5.1", "4.4.0"])

    def test_another_kind_an_older_version_and_a_key_of_yesterday_are_refused(self) -> None:
        older = catalogue.add(self.db, maker.image("vehicle", ["VL-16"], "4.2.9", 1_000))
        refused = updates.begin(self.db, [self.watch.id or 0], self.image.id).refused
        self.assertIn("T-01 is a TW-2; 4.4.0 is for VL-16", refused[self.watch.id or 0])
        refused = updates.begin(self.db, [self.first.id or 0], older.id).refused
        self.assertIn("4.2.9 is not newer", refused[self.first.id or 0])
        catalogue.remove(self.db, older.id or 0)
        with self.assertRaises(NotFoundError):
            catalogue.remove(self.db, older.id or 0)
        catalogue.distrust(self.db, catalogue.keys(self.db)[0].id or 0)
        refused = updates.begin(self.db, [self.first.id or 0]).refused
        self.assertIn("not trusted any more", refused[self.first.id or 0])

    def test_a_key_that_is_not_trusted_any_more_and_a_stop_hold_what_is_on_its_way(self) -> None:
        [waits] = self.begun(self.watch)
        self.run_it(waits)
        self.ensemble.running["T-01"].tell("press")
        [stopped] = self.begun(self.first)
        # Stopped while the last block was on its way: it is there whole, and is not switched to.
        blocks = updates._blocks

        def then_stopped(*arguments: Any) -> None:
            blocks(*arguments)
            updates.stop(self.db, stopped.id or 0)

        with mock.patch.object(updates, "_blocks", then_stopped):
            self.run_it(stopped)
        self.assertEqual((stopped.state, self.heard(LOGGERS[0]).firmware), ("stopped", "4.3.0"))
        catalogue.distrust(self.db, catalogue.keys(self.db)[0].id or 0)
        self.run_it(waits)
        self.assertEqual((waits.state, self.heard(WATCH).firmware), ("failed", "5.0.2"))
        self.assertIn("not trusted any more", waits.trouble)

    def test_what_the_recorder_refuses_ends_it_and_is_said(self) -> None:
        """The server trusts a second maker; the recorder does not."""
        secret = firmware_image.new_key()
        catalogue.trust(self.db, "Another", firmware_image.public_words(firmware_image.public_of(secret)))
        about = {"kind": "vehicle", "models": ["VL-16"], "version": "9.0"}
        catalogue.add(self.db, firmware_image.sign(b"other", secret, about))
        [update] = self.begun(self.first)
        self.run_it(update)
        self.assertEqual(update.state, "failed")
        self.assertIn("which is not trusted here", update.trouble)
        self.assertEqual(self.heard(LOGGERS[0]).firmware, "4.3.0")

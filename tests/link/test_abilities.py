"""The abilities of version 2 against simulated recorders of several kinds, as processes of their own."""

from __future__ import annotations

import hashlib
import math
import shutil
import tempfile
import time
import unittest
from pathlib import Path
from typing import Any

from kumpel.demo.ensemble import Ensemble, StandIn
from kumpel.formats import krec
from kumpel.link import abilities, firmware_image
from kumpel.link.client import LinkError, RecorderLink, RefusedError
from kumpel.link.messages import Mode
from kumpel.standins import maker, vehicle_signal
from kumpel.standins.devices import DEVICES

LOOP = vehicle_signal.course_of(vehicle_signal.loop("Practice loop", 1200, 7))


class Dock(unittest.TestCase):
    """Some recorders for the tests of a class."""

    recorders: tuple[StandIn, ...] = ()

    @classmethod
    def setUpClass(cls) -> None:
        folder = Path(tempfile.mkdtemp(prefix="kumpel-dock-"))
        cls.addClassCleanup(shutil.rmtree, folder, ignore_errors=True)
        cls.ensemble = Ensemble(folder, 1.0)
        cls.addClassCleanup(cls.ensemble.stop)
        cls.ensemble.launch(cls.recorders, False)

    def link(self, token: str) -> RecorderLink:
        link = RecorderLink("127.0.0.1", self.ensemble.running[token].link)
        self.addCleanup(link.close)
        return link

    def refused(self, code: str, call: Any, *arguments: Any) -> str:
        with self.assertRaises(RefusedError) as caught:
            call(*arguments)
        self.assertEqual(caught.exception.code, code)
        return str(caught.exception)


class Logger(Dock):
    recorders = (
        StandIn(
            "V-02", "VL-000002", "Logger", kind="vehicle", rest={"over": "radio", "quality": 0.2, "bytes_per_s": 9e5}
        ),
    )

    def test_it_says_what_it_can_and_how_it_is_reached(self) -> None:
        link = self.link("V-02")
        described = link.describe()
        self.assertEqual(set(described.can), {*DEVICES["vehicle"].can, "news"})
        steering = next(c for c in described.channels if c.key == "steering")
        self.assertEqual((steering.unit, steering.most_hz), ("deg", 50.0))
        state = link.status().link
        self.assertEqual((state.over, state.quality, state.bytes_per_s), ("radio", 0.2, 9e5))

    def test_raw_values_become_a_calibration_that_live_values_follow(self) -> None:
        link, told = self.link("V-02"), self.ensemble.running["V-02"].tell
        points = []
        for raw, true in ((-310.0, -180.0), (12.0, 0.0), (330.0, 180.0)):
            told("set", raw={"steering": raw})
            held = link.capture("steering", 0.2)
            self.assertAlmostEqual(held.raw, raw, delta=0.2)
            self.assertGreater(held.count, 5)
            points.append((held.raw, true))
        [kept] = link.calibrate("steering", points)
        self.assertEqual([(p.raw, p.true) for p in kept.points], points)
        # Half way from the middle (12) to the right end (330): 90 degrees, by a line between the two points.
        told("set", raw={"steering": (12.0 + 330.0) / 2})
        link.live(["steering"], 20)
        [value] = link.live_values(2.0)
        self.assertAlmostEqual(value.value, 90.0, delta=0.2)
        self.assertEqual((value.channel, value.unit), ("steering", "deg"))
        self.assertAlmostEqual(value.at, time.time(), delta=2)
        self.assertEqual(link.calibrate("steering", []), [])

    def test_live_values_go_on_beside_calls_at_the_rate_asked_for_and_end(self) -> None:
        link, told = self.link("V-02"), self.ensemble.running["V-02"].tell
        told("set", raw={"water_temp": "missing"})
        given = link.live(["water_temp", "throttle"], 1)
        self.assertEqual((given.channels, given.every_ms), (["water_temp", "throttle"], 20))
        both = [[v.channel for v in link.live_values(1.0)] for _ in range(30)]
        self.assertEqual(both[0], ["water_temp", "throttle"])
        self.assertEqual(sum("water_temp" in pack for pack in both), 1)  # water: once a second
        self.assertEqual(link.live(["water_temp"], 1).every_ms, 1000)
        self.assertEqual(link.live(["throttle"], 1).every_ms, 20)
        began, packs = time.monotonic(), 0
        while packs < 25:
            packs += len(link.live_values(1.0))
        self.assertLess(time.monotonic() - began, 5.0)
        self.assertEqual(link.describe().token, "V-02")
        link.live(["water_temp"], 1000)
        while (value := link.live_values(2.0)[0]).channel != "water_temp":
            pass
        self.assertTrue(math.isnan(value.value))
        link.live([], 1000)
        time.sleep(0.1)
        link.status()  # notes of before are read over
        with self.assertRaises(LinkError):
            link.live_values(1.3)
        self.refused("not-found", link.live, ["no such"], 100)

    def test_courses_by_name_and_hash(self) -> None:
        link = self.link("V-02")
        [listed] = link.write_course(LOOP)
        self.assertEqual((listed.name, listed.points), ("Practice loop", len(LOOP["points"])))
        self.assertEqual(link.course("Practice loop"), LOOP)
        self.assertEqual(listed.sha256, abilities.course_hash(LOOP))
        self.assertNotEqual(abilities.course_hash(LOOP | {"sectors": []}), listed.sha256)
        self.refused("hash-mismatch", link.remove_course, "Practice loop", bytes(32))
        self.refused("bad-value", link.write_course, {"name": "Nowhere"})
        self.assertEqual(link.remove_course("Practice loop", listed.sha256), [])
        self.refused("not-found", link.course, "Practice loop")

    def test_firmware_goes_on_after_a_cut_and_a_wrong_one_is_thrown_away(self) -> None:
        image = maker.image("vehicle", ["VL-16"], "4.4.0", 250_000)
        digest = hashlib.sha256(image).digest()
        link = self.link("V-02")
        before = link.firmware().running
        self.refused("bad-value", link.switch_firmware)
        sending = link.send_firmware("4.4.0", image, digest)
        self.assertEqual(next(sending).received, 65_536)
        link.close()
        link = self.link("V-02")
        self.assertEqual((link.firmware().received, link.firmware().running), (65_536, before))
        states = list(link.send_firmware("4.4.0", image, digest))
        self.assertEqual([s.received for s in states], [131_072, 196_608, len(image), len(image)])
        self.assertTrue(states[-1].verified)
        link.switch_firmware()
        with self.assertRaises(LinkError):
            link.status()
        link = self.link("V-02")
        self.assertEqual(link.status().mode, Mode.UPDATING)
        self.refused("wrong-mode", link.sessions)
        while link.status().mode != Mode.READY:
            time.sleep(0.1)
        self.assertEqual(link.describe().firmware, "4.4.0")
        with self.assertRaises(RefusedError) as caught:
            list(link.send_firmware("4.5.0", image, bytes(32)))
        self.assertEqual((caught.exception.code, link.firmware().received), ("hash-mismatch", 0))
        self.assertEqual(link.firmware().running, "4.4.0")
        # Older, the same again, for another kind, another model, announced as another version; changed, signed by nobody known, no image.
        stranger = firmware_image.sign(
            b"x", firmware_image.new_key(), {"kind": "vehicle", "models": ["VL-16"], "version": "9.0"}
        )
        wrong = bytearray(maker.image("vehicle", ["VL-16"], "9.0", 100))
        wrong[-110] ^= 1
        for code, version, sent in (
            ("bad-value", "4.3.9", maker.image("vehicle", ["VL-16"], "4.3.9", 100)),
            ("bad-value", "4.4.0", image),
            ("bad-value", "9.0", maker.image("training", ["VL-16"], "9.0", 100)),
            ("bad-value", "9.0", maker.image("vehicle", ["VL-17"], "9.0", 100)),
            ("bad-value", "9.1", maker.image("vehicle", ["VL-16"], "9.0", 100)),
            ("not-genuine", "9.0", bytes(wrong)),
            ("not-genuine", "9.0", stranger),
            ("bad-value", "9.0", bytes(100)),
        ):
            with self.subTest(version), self.assertRaises(RefusedError) as caught:
                list(link.send_firmware(version, sent, hashlib.sha256(sent).digest()))
            self.assertEqual((caught.exception.code, link.firmware().received), (code, 0))
        self.assertEqual(link.firmware().running, "4.4.0")

    def test_a_picture_is_kept_as_the_display_can_show_it(self) -> None:
        link = self.link("V-02")
        blank = link.picture()
        self.assertEqual((blank.width, blank.height, blank.greys), (160, 80, 16))
        mine = blank.model_copy(update={"pixels": bytes(i % 16 for i in range(160 * 80))})
        self.assertEqual(link.write_picture(mine), mine)
        self.assertEqual(self.link("V-02").picture(), mine)
        self.refused("bad-value", link.write_picture, mine.model_copy(update={"greys": 4, "pixels": bytes(160 * 80)}))

    def test_what_it_lacks_it_says(self) -> None:
        link = self.link("V-02")
        self.assertIn("checks", self.refused("unknown-call", link.checks))


class Watch(Dock):
    recorders = (
        StandIn("W-01", "TW-000001", "Watch", kind="training", passcode="2718"),
        StandIn(
            "G-05",
            "GM-000005",
            "Gas monitor",
            kind="gas",
            rest={"mode": "transfer-off", "press": "hold both keys for 3 s", "warm_up_s": 1.0},
        ),
        StandIn("O-02", "OX-000002", "Oximeter", kind="oximetry"),
    )

    def test_names_only_after_unlocking_and_only_with_the_settings(self) -> None:
        link = self.link("W-01")
        state = link.setup()
        self.assertTrue(state.names_withheld)
        link.unlock("2718")
        written = link.write_setup(state.setup, {"hand_over": "h"}, state.revision, {"wearer": "Lovise D."})
        self.assertEqual((written.names, written.names_withheld), ({"wearer": "Lovise D."}, False))
        self.assertEqual(link.write_setup(state.setup, {}, written.revision).names, {"wearer": "Lovise D."})
        self.refused("bad-setup", link.write_setup, state.setup, {}, written.revision + 1, {"nobody": "x"})
        other = self.link("W-01")
        self.assertEqual(other.setup().names, {})
        said = repr((other.describe(), other.status(), other.sessions(), other.setup()))
        self.assertNotIn("Lovise", said)

    def test_it_draws_a_page_with_its_own_letters(self) -> None:
        link = self.link("W-01")
        display = link.display()
        self.assertEqual((display.width, display.height, display.greys), (128, 128, 8))
        fields = [o.key for o in display.offers[:3]]
        page, other = link.draw(fields), link.draw(fields[::-1])
        self.assertNotEqual(page.pixels, other.pixels)
        dark = sum(p == 0 for p in page.pixels)
        self.assertTrue(500 < dark < 6000, dark)
        self.refused("bad-value", link.draw, [o.key for o in display.offers])

    def test_transfer_mode_by_hand_says_what_to_press_and_how_long_it_warms_up(self) -> None:
        self.ensemble.running["G-05"].tell("mode", mode="transfer-off", press="hold both keys for 3 s")
        link = self.link("G-05")
        status = link.status()
        self.assertEqual((status.mode, status.press), (Mode.TRANSFER_OFF, "hold both keys for 3 s"))
        self.assertEqual(link.describe().token, "G-05")
        for call in (link.sessions, link.setup, link.start, link.checks):
            self.assertEqual(self.refused("wrong-mode", call), "hold both keys for 3 s")
        self.ensemble.running["G-05"].tell("press")
        status = link.status()
        self.assertEqual(status.mode, Mode.WARMING_UP)
        self.assertTrue(0 < (status.mode_left_s or 0) <= 1.0)
        while link.status().mode == Mode.WARMING_UP:
            time.sleep(0.05)
        self.assertEqual((link.status().mode, link.sessions()), (Mode.READY, []))

    def test_a_check_takes_its_time_and_is_then_the_first(self) -> None:
        self.ensemble.running["G-05"].tell("mode", mode="ready")
        link = self.link("G-05")
        self.assertEqual(link.check("bump", "co", 100.0), 60.0)
        self.assertEqual(link.status().mode, Mode.CHECKING)
        self.refused("wrong-mode", link.start)
        self.ensemble.running["G-05"].tell("mode", mode="checking", for_s=0.0)
        while link.status().mode == Mode.CHECKING:
            time.sleep(0.05)
        made = link.checks()[0]
        self.assertEqual(
            (made.check, made.sensor, made.applied, made.read, made.passed), ("bump", "co", 100.0, 98.0, True)
        )
        self.refused("not-found", link.check, "bump", "argon", 5.0)

    def test_stop_first_then_read_events_apart_from_samples(self) -> None:
        told = self.ensemble.running["O-02"].tell
        name = str(told("record", start=time.time() - 9000, length_s=3600)["session"])
        link = self.link("O-02")
        self.assertTrue(link.describe().keeps_one)
        told("set", recording={"id": "R", "since": time.time()})
        self.refused("recording", lambda: list(link.pieces(name)))
        told("set", recording=None)
        self.assertTrue(list(link.pieces(name)))
        self.assertEqual(list(link.events(name)), [])


class Pages(Dock):
    recorders = (
        StandIn("R-01", "AE-000001", "Defibrillator", kind="resuscitation"),
        StandIn("N-01", "NM-000001", "Noise meter"),
    )

    def test_events_come_in_pages_and_are_those_of_the_file(self) -> None:
        name = str(self.ensemble.running["R-01"].tell("record", start=time.time() - 900, length_s=540)["session"])
        link = self.link("R-01")
        events = list(link.events(name))
        self.assertGreater(len(events), 500)
        file = krec.read(b"".join(p.items for p in link.pieces(name)))
        self.assertEqual([(e.at_s, e.code) for e in events], [(e.at_s, e.code) for e in file.events])
        self.assertEqual(sum(e.code == "shock" for e in events), 2)

    def test_more_sessions_than_a_page(self) -> None:
        sessions = {
            f"S-{i:04d}": {"start": 1e9 + i * 100, "length_s": 50.0, "about": "", "size": 1, "sha256": f"{i:064x}"}
            for i in range(1203)
        }
        self.ensemble.running["N-01"].tell("set", sessions=sessions)
        found = self.link("N-01").sessions()
        self.assertEqual([s.id for s in found], sorted(sessions, reverse=True))

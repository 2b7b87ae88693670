"""The link over a serial port: a pseudo-terminal of a simulated recorder, with garbage on the line."""

from __future__ import annotations

import os
import time
import unittest
from pathlib import Path

from kumpel.demo.ensemble import StandIn
from kumpel.link import frames
from kumpel.link.client import LinkError, RecorderLink
from tests.link.test_abilities import Dock


class Hunting(unittest.TestCase):
    def found(self, *parts: bytes) -> list[dict[str, object]]:
        hunt, found = frames.Hunt(), []
        for part in parts:
            hunt.feed(part)
            while (frame := hunt.next_frame()) is not None:
                found.append(frames.unpack(*frame))
        return found

    def test_garbage_costs_no_more_than_the_frame_it_hit(self) -> None:
        good = [frames.MARKER + frames.pack({"id": i}) for i in range(4)]
        broken = bytearray(good[1])
        broken[-1] ^= 1
        noise = b"\x00\xff" + frames.MARKER[:2] + frames.MARKER + b"\xff\xff\xff\xff"
        self.assertEqual(
            self.found(noise, good[0], bytes(broken), good[2], frames.MARKER[:3], good[3]),
            [{"id": 0}, {"id": 2}, {"id": 3}],
        )

    def test_byte_by_byte(self) -> None:
        data = b"boot\r\n" + frames.MARKER + frames.pack({"id": 7}) + b"\xa5" + frames.MARKER + frames.pack({"id": 8})
        self.assertEqual(self.found(*(data[i : i + 1] for i in range(len(data)))), [{"id": 7}, {"id": 8}])

    def test_a_start_that_was_none_hides_nothing_when_it_is_given_up(self) -> None:
        hunt = frames.Hunt()
        hunt.feed(frames.MARKER + frames.HEADER.pack(1000, 0) + frames.MARKER + frames.pack({"id": 9}))
        self.assertIsNone(hunt.next_frame())
        hunt.give_up()
        self.assertEqual(hunt.next_frame(), (frames.pack({"id": 9})[:8], frames.pack({"id": 9})[8:]))


class Port(Dock):
    @classmethod
    def setUpClass(cls) -> None:
        import tempfile

        cls.ports = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        rest = {"port": str(cls.ports), "bytes_per_s": 1e6}
        cls.recorders = (
            StandIn("N-21", "NM-000121", "Noise meter", rest=rest, passcode="2718"),
            StandIn("N-22", "NM-000122", "Slow", rest={"port": str(cls.ports)}),
        )
        super().setUpClass()

    def port(self, token: str) -> str:
        return str(next(self.ports.glob(f"{token}-*")))

    def test_a_session_over_a_cable_with_garbage_between_the_frames(self) -> None:
        told = self.ensemble.running["N-21"].tell
        name = str(told("record", start=time.time() - 9000, length_s=3600)["session"])
        told("garbage", bytes=(b"\x00noise\xa5" + frames.MARKER + b"\x00\x00\x00\x10").hex())
        self.addCleanup(told, "garbage", bytes="")
        with RecorderLink(self.port("N-21"), 0) as link:
            self.assertEqual((link.hello.serial, link.hello.locked), ("NM-000121", True))
            self.assertEqual(link.status().link.over, "cable")
            [listed] = link.sessions()
            data = b"".join(p.items for p in link.pieces(name))
        self.assertEqual(len(data), listed.size)
        with RecorderLink(self.port("N-21"), 0) as link:
            link.unlock("2718")
            link.set_clock(time.time(), 60)
        with RecorderLink(self.port("N-21"), 0) as link:
            self.assertTrue(link.hello.locked, "what was unlocked by somebody before does not count")

    def test_nothing_is_said_before_it_is_asked(self) -> None:
        end = os.open(self.port("N-22"), os.O_RDWR | os.O_NONBLOCK | os.O_NOCTTY)
        self.addCleanup(os.close, end)
        time.sleep(0.5)
        with self.assertRaises(BlockingIOError):
            os.read(end, 100)

    def test_the_rate_of_the_port_is_known_before_a_transfer(self) -> None:
        with RecorderLink(self.port("N-22"), 0) as link:
            self.assertEqual(link.bytes_per_s, 11_520.0)
            self.assertEqual(link.status().link.bytes_per_s, 11_520.0)

    def test_one_client_at_a_time_and_a_port_that_is_gone(self) -> None:
        with RecorderLink(self.port("N-22"), 0), self.assertRaisesRegex(LinkError, "in use just now"):
            RecorderLink(self.port("N-22"), 0)
        with self.assertRaisesRegex(LinkError, "cannot be opened"):
            RecorderLink(str(self.ports / "nothing"), 0)

    def test_pulled_out_in_the_middle(self) -> None:
        told = self.ensemble.running["N-21"].tell
        name = str(told("record", start=time.time() - 90_000, length_s=7200)["session"])
        told("vanish", after_bytes=40_000)
        began = time.monotonic()
        with self.assertRaises(LinkError), RecorderLink(self.port("N-21"), 0) as link:
            list(link.pieces(name))
        self.assertLess(time.monotonic() - began, 30.0, "ten seconds of silence are enough")
        self.assertEqual(list(self.ports.glob("N-21-*")), [])
        told("come back")
        with RecorderLink(self.port("N-21"), 0) as link:
            self.assertTrue(list(link.pieces(name)))

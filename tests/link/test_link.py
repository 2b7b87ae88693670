"""The link against a simulated meter that is a process of its own."""

import hashlib
import re
import socket
import struct
import time
import unittest
import zlib
from typing import Any, ClassVar

from kumpel.config import ROOT
from kumpel.demo.ensemble import Ensemble, StandIn
from kumpel.formats import krec
from kumpel.link import frames, messages
from kumpel.link.client import LinkError, RecorderLink, RefusedError
from kumpel.standins.calls import Calls
from tests.support import MeterTest


class Link(MeterTest):
    def open(self) -> RecorderLink:
        link = RecorderLink("127.0.0.1", self.meter.link)
        self.addCleanup(link.close)
        return link

    def refused(self, code: str, call: object, *arguments: object) -> None:
        with self.assertRaises(RefusedError) as caught:
            call(*arguments)
        self.assertEqual(caught.exception.code, code)

    def test_describe_status_and_clock(self) -> None:
        link = self.open()
        self.assertEqual((link.describe().token, link.describe().kind), ("N-07", "noise"))
        link.set_clock(time.time() + 100, 120)
        self.assertAlmostEqual(link.status().clock - time.time(), 100, delta=1)
        self.assertEqual(link.status().utc_offset_min, 120)

    def test_a_session_read_in_pieces_is_the_file_that_was_listed(self) -> None:
        self.record(7200)
        link = self.open()
        listed = link.sessions()[0]
        for most in (1, 20_000, 1_048_576):
            data = b"".join(piece.items for piece in link.pieces(listed.id, 0, most))
            self.assertEqual(hashlib.sha256(data).digest(), listed.sha256)
            self.assertEqual(len(data), listed.size)
        self.assertEqual(krec.read(data).length_s, 7200)

    def test_reading_goes_on_at_any_item(self) -> None:
        self.record(7200)
        link = self.open()
        listed = link.sessions()[0]
        whole = b"".join(piece.items for piece in link.pieces(listed.id))
        for item in krec.read_items(whole):
            rest = b"".join(piece.items for piece in link.pieces(listed.id, item.offset))
            self.assertEqual(rest, whole[item.offset :])

    def test_setup_is_written_once_for_each_revision(self) -> None:
        link = self.open()
        state = link.setup()
        written = link.write_setup({"name": "A"}, {"hand_over": "h"}, state.revision)
        self.assertEqual(link.setup(), written)
        self.refused("stale-setup", link.write_setup, {"name": "B"}, {}, state.revision)
        self.assertEqual(link.setup().setup, {"name": "A"})

    def test_memory_and_setup_survive_switching_off(self) -> None:
        name = self.record(3600)
        link = self.open()
        link.write_setup({"name": "kept"}, {}, link.setup().revision)
        self.ensemble.stop()
        self.ensemble = Ensemble(self.folder)
        self.addCleanup(self.ensemble.stop)
        self.ensemble.launch((StandIn("N-07", "NM-000107", "Noise meter 7"),), False)
        again = self.open()
        self.assertEqual(again.setup().setup, {"name": "kept"})
        self.assertEqual([s.id for s in again.sessions()], [name])

    def test_it_records_by_itself_and_stops_at_the_planned_length(self) -> None:
        link = self.open()
        link.write_setup(link.setup().setup | {"run_length_min": 120}, {}, link.setup().revision)
        link.start()
        self.refused("recording", link.start)
        self.refused("recording", link.write_setup, {}, {}, link.setup().revision)
        self.assertFalse(link.sessions()[0].complete)
        self.eventually(lambda: link.status().mode == "ready", 10)
        listed = link.sessions()[0]
        self.assertTrue(listed.complete)
        self.assertEqual(listed.length_s, 7200)
        self.refused("not-recording", link.stop)

    def eventually(self, holds: object, seconds: float) -> None:
        limit = time.monotonic() + seconds
        while not holds():
            self.assertLess(time.monotonic(), limit)
            time.sleep(0.05)

    def test_clearing_needs_the_hash_and_is_all_or_nothing(self) -> None:
        first, second = self.record(3600), self.record(3600, seed=9)
        link = self.open()
        hashes = {s.id: s.sha256 or b"" for s in link.sessions()}
        self.refused("hash-mismatch", link.clear, {first: hashes[first], second: bytes(32)})
        self.refused("not-found", link.clear, {first: hashes[first], "nothing": bytes(32)})
        self.assertEqual(len(link.sessions()), 2)
        self.assertEqual(link.clear({first: hashes[first]}), [first])
        self.assertEqual([s.id for s in link.sessions()], [second])
        self.refused("not-found", lambda: list(link.pieces(first)))

    def test_unknown_calls_and_bad_requests_are_answered(self) -> None:
        link = self.open()
        self.refused("unknown-call", link._call, "fly")
        self.refused("bad-request", link._call, "read")
        self.refused("bad-request", lambda: link._call("write-setup", setup=3, based_on="x"))

    def test_bytes_that_are_no_frame_close_the_connection_and_nothing_else(self) -> None:
        payload = b"\xa0"
        hostile = [
            b"GET / HTTP/1.1\r\n\r\n",
            struct.pack(">II", 2**31, 0),
            struct.pack(">II", 0, 0),
            struct.pack(">II", 1, 1) + payload,
            struct.pack(">II", 3, zlib.crc32(b"\xff\xff\xff")) + b"\xff\xff\xff",
            struct.pack(">II", 100_000, zlib.crc32(b"\x81" * 100_000)) + b"\x81" * 100_000,
        ]
        for data in hostile:
            with (
                self.subTest(data=data[:12].hex()),
                socket.create_connection(("127.0.0.1", self.meter.link), 5) as wire,
            ):
                wire.sendall(data)
                wire.settimeout(5)
                try:
                    while wire.recv(65_536):
                        pass
                except ConnectionResetError:
                    pass
        self.assertEqual(self.open().describe().token, "N-07")

    def test_a_frame_that_is_too_long_is_not_even_packed(self) -> None:
        with self.assertRaises(frames.FrameError):
            frames.pack({"x": bytes(frames.MAX_PAYLOAD)})

    def test_vanishing_is_a_link_error(self) -> None:
        self.record(7200)
        link = self.open()
        listed = link.sessions()[0]
        self.meter.tell("vanish", after_bytes=50_000)
        with self.assertRaises(LinkError):
            list(link.pieces(listed.id, 0, 16_384))
        with self.assertRaises(LinkError):
            self.open()

    def test_something_else_behind_the_port_is_no_recorder(self) -> None:
        with socket.create_server(("127.0.0.1", 0)) as server, self.assertRaises(LinkError):
            RecorderLink("127.0.0.1", server.getsockname()[1], call_s=0.3)


class Passcode(MeterTest):
    meter_options: ClassVar[dict[str, Any]] = {"passcode": "2718"}

    def test_reading_needs_none_changing_does(self) -> None:
        self.record(3600)
        with RecorderLink("127.0.0.1", self.meter.link) as link:
            self.assertTrue(link.hello.locked)
            self.assertEqual(len(link.sessions()), 1)
            self.assertTrue(list(link.pieces(link.sessions()[0].id)))
            for call in (
                lambda: link.start(),
                lambda: link.set_clock(0, 0),
                lambda: link.write_setup({}, {}, 1),
                lambda: link.clear({}),
            ):
                with self.assertRaises(RefusedError) as caught:
                    call()
                self.assertEqual(caught.exception.code, "locked")
            with self.assertRaises(RefusedError) as caught:
                link.unlock("0000")
            self.assertEqual(caught.exception.code, "wrong-passcode")
            link.unlock("2718")
            link.set_clock(time.time(), 0)


class Specification(unittest.TestCase):
    """The bytes printed in docs/ are the bytes on the link."""

    def test_the_printed_frames(self) -> None:
        words = re.sub(r"\s+", " ", (ROOT / "docs" / "link-protocol.md").read_text())
        hello = {
            "note": "hello",
            "with": {"protocol": 2, "serial": "NM-000107", "nonce": bytes(range(16)), "locked": False},
        }
        header = frames.pack(hello)[:8]
        self.assertIn(header[:4].hex(" "), words)
        self.assertIn(header[4:].hex(" "), words)
        status = frames.pack({"id": 1, "call": "status", "with": {}}).hex(" ")
        self.assertIn(status, words)

    def test_every_call_and_error_code_is_described(self) -> None:
        words = (ROOT / "docs" / "link-protocol.md").read_text()
        codes = [v for k, v in vars(messages.Code).items() if k.isupper()]
        calls = [n.removeprefix("call_").replace("_", "-") for n in dir(Calls) if n.startswith("call_")]
        for name in (*codes, *calls):
            self.assertIn(f"`{name}`", words)

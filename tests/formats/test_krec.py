"""The recording file: what goes in comes out, and hostile bytes get a clear error in bounded memory."""

import math
import tracemalloc
import unittest
import zlib

import cbor2
import numpy as np
import zstandard

from kumpel.core.recording import Event
from kumpel.formats import krec
from kumpel.formats.krec import ChannelHead, FileError, Head, IncompleteError
from kumpel.formats.krec.packing import typed_array_head
from tests.support import small_file

LEVEL = ChannelHead("leq.1", "Level", "dB(A)", 1.0, "i16", 0.01, 0.0, -32768)


def bounds(data: bytes) -> list[int]:
    return [item.offset for item in krec.read_items(data)] + [len(data)]


def with_block(raw_block: list[object]) -> bytes:
    """A file whose first block is replaced."""
    data = small_file(np.full(300, 80.0))
    at = bounds(data)
    return data[: at[1]] + cbor2.dumps(raw_block) + data[at[2] :]


def packed(plain: bytes) -> tuple[int, bytes]:
    frame = zstandard.ZstdCompressor().compress(plain)
    return zlib.crc32(frame), frame


class RoundTrip(unittest.TestCase):
    def test_every_type_with_scale_offset_and_missing(self) -> None:
        rng = np.random.default_rng(3)
        values = rng.uniform(20, 100, 1000)
        values[[0, 17, 999]] = math.nan
        for kind, step, missing in (
            ("i16", 0.01, -32768),
            ("u16", 0.01, 65535),
            ("i32", 1e-6, -(2**31)),
            ("u8", 0.5, 255),
            ("f32", 1.0, None),
            ("f64", 1.0, None),
            ("u32", 1e-6, 2**32 - 1),
            ("i8", 1.0, -128),
        ):
            with self.subTest(type=kind):
                head = Head(
                    "noise",
                    "S",
                    1.7e9,
                    -150,
                    {"serial": "x"},
                    {"a": 1},
                    (ChannelHead("c", "C", "dB", 0.5, kind, step, 3.0, missing),),
                )
                found = krec.read(krec.write(head, {"c": values})).values("c")
                assert found is not None
                tolerance = 1e-5 if kind.startswith("f") else step / 2 + 1e-9
                np.testing.assert_allclose(found, values, atol=tolerance, equal_nan=True)

    def test_long_channels_are_cut_into_blocks_and_joined(self) -> None:
        values = np.random.default_rng(1).uniform(40, 110, 150_000)
        data = small_file(values)
        blocks = [i.content for i in krec.read_items(data) if isinstance(i.content, krec.Block)]
        self.assertEqual([b.count for b in blocks], [65_536, 65_536, 18_928])
        np.testing.assert_allclose(krec.read(data).values("leq.1"), values, atol=0.0051)

    def test_events_setup_and_clock_come_back(self) -> None:
        data = small_file(
            np.array([80.0]), (Event(1.5, "check-before", "tick", {"read_db": 114.1}),), setup={"name": "x"}
        )
        found = krec.read(data)
        self.assertEqual(found.events, (Event(1.5, "check-before", "tick", {"read_db": 114.1}),))
        self.assertEqual((found.start, found.utc_offset_min, found.setup["name"]), (1_795_000_000.0, 60, "x"))

    def test_the_example_of_the_specification_is_what_is_written(self) -> None:
        # docs/recording-file.md, "An example": a block of three samples 80.00, 80.50, missing.
        writer = krec.Writer(Head("noise", "S", 0.0, 0, {}, {}, (LEVEL,)))
        item = cbor2.loads(writer.block(0, np.array([80.0, 80.5, math.nan])))
        self.assertEqual(item[:5], ["b", 0, 0, 0, 3])
        self.assertEqual(item[5], zlib.crc32(item[6]))
        self.assertEqual(zstandard.ZstdDecompressor().decompress(item[6]).hex(), "d84d46401f721f0080")


class Hostile(unittest.TestCase):
    def setUp(self) -> None:
        self.good = small_file(np.random.default_rng(2).uniform(40, 100, 5000), (Event(0, "on", "", {}),))

    def test_every_truncation_is_found(self) -> None:
        for end in [*range(0, 400, 7), *range(len(self.good) - 300, len(self.good), 7)]:
            with self.subTest(end=end), self.assertRaises(FileError):
                krec.read(self.good[:end])

    def test_every_flipped_byte_is_found(self) -> None:
        for at in range(0, len(self.good), 11):
            broken = bytearray(self.good)
            broken[at] ^= 0x41
            with self.subTest(at=at), self.assertRaises(FileError):
                krec.read(bytes(broken))

    def test_the_error_names_the_offset_of_the_broken_item(self) -> None:
        at = bounds(self.good)
        broken = bytearray(self.good)
        broken[at[1] + 60] ^= 1
        with self.assertRaises(FileError) as caught:
            krec.read(bytes(broken))
        self.assertEqual(caught.exception.offset, at[1])
        self.assertIn("CRC", str(caught.exception))

    def test_huge_length_fields_cost_no_memory(self) -> None:
        tracemalloc.start()
        for bad in (
            b"\x5b" + b"\xff" * 8,
            b"\x9b\x00\x00\x00\xff\xff\xff\xff\xff",
            b"\xbb" + b"\xff" * 8,
            b"\x7b\x00\x00\x00\x7f" + b"\xff" * 4,
        ):
            with self.subTest(bad=bad.hex()), self.assertRaises(FileError):
                krec.read(bad)
        self.assertLess(tracemalloc.get_traced_memory()[1], 8_000_000)
        tracemalloc.stop()

    def test_nesting_tags_and_nonsense(self) -> None:
        for bad in (
            b"\x81" * 100_000,
            b"\xff",
            b"\xf6",
            b"hello",
            b"\xd8\x23\x63(a+",
            cbor2.dumps({"krec": 2}),
            cbor2.dumps({"krec": 1}),
            cbor2.dumps(["x"]),
            b"\xd8\x1c\x81\xd8\x1d\x00",
            cbor2.dumps([["t"]]),
        ):
            with self.subTest(bad=bad[:20].hex()), self.assertRaises(FileError):
                krec.read(bad)

    def test_a_decompression_bomb_is_refused_before_it_grows(self) -> None:
        for declares in (True, False):
            bomb = zstandard.ZstdCompressor(level=19, write_content_size=declares).compress(bytes(200_000_000))
            block = krec.Block(0, 0, 0, 300, zlib.crc32(bomb), bomb)
            tracemalloc.start()
            with self.subTest(declares=declares), self.assertRaises(FileError):
                krec.unpack(block, LEVEL)
            self.assertLess(tracemalloc.get_traced_memory()[1], 12_000_000)
            tracemalloc.stop()

    def test_a_block_that_lies_about_its_count_or_type(self) -> None:
        crc, frame = packed(typed_array_head(77, 600) + bytes(600))
        for raw in (
            ["b", 0, 0, 0, 299, crc, frame],
            ["b", 0, 0, 0, 70_000, crc, frame],
            ["b", 1, 0, 0, 300, crc, frame],
            ["b", 0, 1, 0, 300, crc, frame],
            ["b", 0, 0, 5, 300, crc, frame],
            ["b", 0, 0, 0, 300, crc ^ 1, frame],
            ["b", 0, 0, 0, 300, crc],
            ["b", -1, 0, 0, 300, crc, frame],
            ["b", 0, 0, 0, True, crc, frame],
        ):
            with self.subTest(raw=raw[:6]), self.assertRaises(FileError):
                krec.read(with_block(raw))

    def test_wrong_heads(self) -> None:
        value = cbor2.loads(self.good[3 : bounds(self.good)[1]])
        for key, wrong in (
            ("start", "now"),
            ("start", math.inf),
            ("utc_offset_min", 5000),
            ("channels", []),
            ("kind", 7),
            ("session", ""),
            ("session", "x" * 65),
            ("channels", [{"key": "a"}]),
            ("krec", 99),
        ):
            with self.subTest(key=key, wrong=wrong), self.assertRaises(FileError):
                krec.read(cbor2.dumps(value | {key: wrong}))
        channel = value["channels"][0]
        for key, wrong in (
            ("interval_s", 0),
            ("interval_s", math.nan),
            ("type", "i12"),
            ("missing", 1.5),
            ("scale", math.inf),
        ):
            with self.subTest(key=key, wrong=wrong), self.assertRaises(FileError):
                krec.read(cbor2.dumps(value | {"channels": [channel | {key: wrong}]}))

    def test_order_matters(self) -> None:
        at = bounds(self.good)
        head, tail = self.good[: at[1]], self.good[at[-2] :]
        for bad in (head + head, tail, self.good + head, self.good[at[1] :], head + tail):
            with self.assertRaises(FileError):
                krec.read(bad)

    def test_a_cut_file_says_that_it_was_cut(self) -> None:
        with self.assertRaisesRegex(IncompleteError, "cut off"):
            krec.read(self.good[:-5])

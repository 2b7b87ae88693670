"""Samples in pieces are the same samples: whatever the block, the overlap, the owner, the order of asking."""

import unittest

import numpy as np

from kumpel.core.recording import Channel
from kumpel.core.samples import MOST_WHOLE_BYTES, ArraySamples, BlockSamples, DecodedBlocks, PartOf, TooLongError

VALUES = np.where(np.arange(1000) % 97 == 5, np.nan, np.sin(np.arange(1000) / 7.0))
FIRSTS = [0, 256, 300, 812]


def in_blocks(kept: DecodedBlocks, asked: list[int] | None = None, owner: object = "a") -> BlockSamples:
    def decode(number: int) -> np.ndarray:
        if asked is not None:
            asked.append(number)
        return VALUES[FIRSTS[number] : [*FIRSTS, 1000][number + 1]].copy()

    return BlockSamples(FIRSTS, 1000, decode, owner, kept)


class EverySpanIsTheSame(unittest.TestCase):
    def test_blocks_give_what_the_array_gives(self) -> None:
        kept = DecodedBlocks(3000)
        for first, end in ((0, 1000), (0, 1), (255, 257), (256, 300), (299, 813), (990, 2000), (-5, 3), (700, 700)):
            with self.subTest(first=first, end=end):
                found = in_blocks(kept).read(first, end)
                np.testing.assert_array_equal(found, VALUES[max(first, 0) : end])

    def test_overlap_stops_at_both_ends(self) -> None:
        parts = list(in_blocks(DecodedBlocks(10_000)).blocks(400, 100, 900, before=150, after=150))
        np.testing.assert_array_equal(parts[0], VALUES[0:650])
        np.testing.assert_array_equal(parts[1], VALUES[350:1000])
        self.assertEqual(len(parts), 2)

    def test_a_part_begins_at_zero(self) -> None:
        part = PartOf(ArraySamples(VALUES), 300, 500)
        self.assertEqual(part.count, 200)
        np.testing.assert_array_equal(part.read(150, 900), VALUES[450:500])
        self.assertEqual(PartOf(ArraySamples(VALUES), 900, 2000).count, 100)
        self.assertEqual(PartOf(ArraySamples(VALUES), 2000, 2100).count, 0)

    def test_extremes_do_not_depend_on_blocks(self) -> None:
        # Three columns over 1,000 samples: edges at 0, 333, 666; missing ones do not count.
        low, high = in_blocks(DecodedBlocks(10_000)).extremes(3)
        for column, (a, b) in enumerate(((0, 333), (333, 666), (666, 1000))):
            self.assertEqual(low[column], np.nanmin(VALUES[a:b]))
            self.assertEqual(high[column], np.nanmax(VALUES[a:b]))
        wide = ArraySamples(np.concatenate([VALUES] * 200))
        low, high = wide.extremes(7)
        self.assertEqual(high.tolist(), [np.nanmax(VALUES)] * 7)
        self.assertTrue(np.isnan(ArraySamples(np.full(10, np.nan)).extremes(2)[0]).all())

    def test_measured_samples_are_counted_once(self) -> None:
        self.assertEqual(in_blocks(DecodedBlocks(100)).measured(), 1000 - int(np.isnan(VALUES).sum()))


class TheCacheIsBounded(unittest.TestCase):
    def test_a_block_is_decoded_once_while_it_is_kept(self) -> None:
        kept, asked = DecodedBlocks(8 * 1000), list[int]()
        for _ in range(3):
            in_blocks(kept, asked).read(0, 1000)
        self.assertEqual(asked, [0, 1, 2, 3])
        self.assertEqual(kept.nbytes, 8 * 1000)

    def test_never_more_bytes_than_allowed(self) -> None:
        kept, asked = DecodedBlocks(8 * 600), list[int]()
        for owner in range(20):
            in_blocks(kept, asked, owner).read(0, 1000)
            self.assertLessEqual(kept.nbytes, 8 * 600)
        self.assertEqual(len(asked), 80)

    def test_a_block_larger_than_the_cache_is_given_all_the_same(self) -> None:
        np.testing.assert_array_equal(in_blocks(DecodedBlocks(8)).read(0, 1000), VALUES)

    def test_two_owners_never_mix(self) -> None:
        kept = DecodedBlocks(10**6)
        in_blocks(kept, owner=1).read(0, 1000)
        other = BlockSamples([0], 5, lambda number: np.zeros(5), 2, kept)
        self.assertEqual(other.read(0, 5).tolist(), [0.0] * 5)


class NoComputationSlipsBack(unittest.TestCase):
    def test_all_samples_at_once_only_up_to_the_bound(self) -> None:
        most = MOST_WHOLE_BYTES // 8
        decoded = BlockSamples([0], most + 1, lambda number: np.zeros(most + 1), "x", DecodedBlocks(0))
        with self.assertRaisesRegex(TooLongError, "EMG left.*4,194,305 samples"):
            _ = Channel("emg.left", "EMG left", "uV", 0.001, decoded).values
        self.assertEqual(len(Channel("a", "A", "", 1.0, np.zeros(10)).values), 10)

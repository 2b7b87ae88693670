"""Samples that stay in the store: the same as those of the file, over short connections, from the pyramid for pictures."""

import unittest
from unittest import mock

import numpy as np

from kumpel.core.review import Review
from kumpel.core.samples import DecodedBlocks
from kumpel.formats import krec
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import figures, recordings
from kumpel.standins.jaw_muscle_signal import make, usual_night
from kumpel.store.stored_samples import Place, StoredSamples, stored_samples
from kumpel.store.tables import Session
from tests.support import DatabaseTest

NIGHT = make(usual_night(5, 900.0)).recording


class SamplesInTheStore(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        self.file = krec.write_recording(NIGHT)
        self.row = self.stored(self.file)

    def samples(self, number: int = 0) -> StoredSamples:
        head = recordings.channel_heads(self.row)[number]
        assert self.row.id is not None
        return stored_samples(self.db, Place(self.row.id, number, head), 900_000)

    def test_every_span_is_that_of_the_file(self) -> None:
        whole = krec.read(self.file).channels["emg.left"].values
        found = self.samples()
        for first, end in ((0, 10), (65_530, 65_550), (100_000, 400_000), (899_990, 900_500), (0, 900_000)):
            with self.subTest(first=first):
                np.testing.assert_array_equal(found.read(first, end), whole[first:end])

    def test_a_picture_of_it_misses_no_peak(self) -> None:
        whole = krec.read(self.file).channels["ecg"].values
        low, high = self.samples(2).extremes(50)
        self.assertAlmostEqual(float(low.min()), float(np.nanmin(whole)), 5)
        self.assertAlmostEqual(float(high.max()), float(np.nanmax(whole)), 5)
        # Column by column within the neighbours of the exact one: an edge lies up to a sixteenth of a column off.
        exact = np.nanmax(whole.reshape(50, -1), axis=1)
        around = np.maximum(np.maximum(exact, np.roll(exact, 1)), np.roll(exact, -1))
        self.assertTrue((high <= around + 1e-5).all())

    def test_what_was_deleted_meanwhile_is_said(self) -> None:
        found = self.samples()
        with mock.patch("kumpel.core.samples.DECODED", DecodedBlocks(0)):
            self.db.delete(self.db.get_one(Session, self.row.id))
            self.db.commit()
            with self.assertRaisesRegex(ValueError, "gone from the store"):
                found.read(300_000, 300_010)

    def test_no_connection_is_held_between_two_blocks(self) -> None:
        engine = self.db.get_bind().engine
        self.db.commit()
        self.db.close()
        before = engine.pool.checkedout()
        blocks = self.samples().blocks(60_000)
        self.db.close()
        for _ in range(3):
            next(blocks)
            self.assertEqual(engine.pool.checkedout(), before)

    def test_a_long_recording_has_the_figures_of_a_short_one(self) -> None:
        """Assessed from blocks or from arrays: the very same results."""
        kind = KINDS["jaw_muscle"]
        whole = kind.assess(krec.read(self.file), Review(), kind.limit_sets[0])
        nothing_kept = mock.patch.object(recordings, "_kept", recordings.Recent(10**9))
        with mock.patch.object(recordings, "MOST_WHOLE_BYTES", 1_000_000), nothing_kept:
            recording = recordings.recording_of(self.db, self.row)
            self.assertIsInstance(recording.channels["ecg"].samples, StoredSamples)
            self.assertLess(recordings.size_of(recording), 100_000)
            found = kind.assess(recording, Review(), kind.limit_sets[0])
            for a, b in zip(whole.recorded.figures, found.recorded.figures, strict=True):
                np.testing.assert_array_equal([a.value, a.coverage], [b.value, b.coverage], a.key)
            self.assertEqual(whole.recorded.events, found.recorded.events)
            figures.assess(self.db, self.row)
            self.assertEqual(self.row.figures, "assessed")
            self.assertGreater(recordings.size_of(recording), 1_000_000, "what was derived counts")


if __name__ == "__main__":
    unittest.main()

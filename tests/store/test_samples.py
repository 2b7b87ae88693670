"""Views against the samples themselves; the original, bit for bit."""

import math

import numpy as np

from kumpel.services.ground import recordings
from kumpel.services.register import sessions
from kumpel.store import samples
from kumpel.store.database import engine
from tests.support import DatabaseTest, recording_file, small_file


class Views(DatabaseTest):
    def stored(self, values: np.ndarray) -> None:
        from kumpel.services.take_in import take_in

        self.row = take_in.from_file(self.db, small_file(values), None)
        found = recordings.recording_of(self.db, self.row).values("leq.1")
        assert found is not None
        self.values = found

    def view(self, start: float, end: float, points: int, bin_s: float | None = None) -> samples.View:
        return recordings.view(self.db, self.row, ["leq.1"], start, end, points, bin_s)[0]

    def test_any_view_is_exact_for_its_bins(self) -> None:
        rng = np.random.default_rng(5)
        values = rng.uniform(40, 110, 200_003)
        values[1000:1300] = math.nan
        self.stored(values)
        spans = [
            (0, 200_003, 1280),
            (0, 200_003, 100),
            (0, 200_003, 3),
            (70_000, 75_000, 1280),
            (12_345, 180_001, 500),
            (5, 25, 1280),
        ]
        for start, end, points in spans:
            with self.subTest(span=(start, end, points)):
                view = self.view(start, end, points)
                self.assertLessEqual(len(view.low), points + 2)
                per = round(view.bin_s)
                first = round(view.start_s)
                self.assertLessEqual(first, start)
                for i in {0, 1, len(view.low) // 2, len(view.low) - 1} & set(range(len(view.low))):
                    part = self.values[first + i * per : first + (i + 1) * per]
                    if i == len(view.low) - 1:
                        part = self.values[first + i * per : max(math.ceil(end / 16) * 16 if per >= 16 else end, 0)]
                    known = part[~np.isnan(part)]
                    if len(known):
                        self.assertGreaterEqual(view.low[i], known.min() - 0.006)
                        self.assertLessEqual(view.high[i], known.max() + 0.006)
                    if 0 < i < len(view.low) - 1 and len(known) == per:
                        self.assertAlmostEqual(view.low[i], known.min(), places=4)
                        self.assertAlmostEqual(view.high[i], known.max(), places=4)
                        self.assertAlmostEqual(view.mean[i], 10 * math.log10(np.mean(10 ** (known / 10))), places=3)

    def test_whoever_pans_sees_the_same_bins(self) -> None:
        """A bin begins at a multiple of its length wherever the view begins: the picture does not shimmer when it is moved."""
        self.stored(np.random.default_rng(7).uniform(40, 110, 60_000))
        seen: dict[int, float] = {}
        for start in (0, 1, 17, 111, 112, 113, 5_000, 12_345):
            view = self.view(start, start + 20_000, 200)
            per = round(view.bin_s)
            self.assertEqual((per, round(view.start_s) % per), (112, 0), start)
            # The last one ends where the view does.
            for number, mean in enumerate(view.mean.tolist()[:-1]):
                at = round(view.start_s) + number * per
                self.assertEqual(seen.setdefault(at, mean), mean, (start, at))
        self.assertGreater(len(seen), 250)

    def test_minutes_are_minutes(self) -> None:
        self.stored(np.random.default_rng(6).uniform(60, 100, 28_800))
        view = self.view(0, 28_800, 1280, bin_s=60)
        self.assertEqual((len(view.mean), view.bin_s), (480, 60))
        expected = 10 * np.log10((10 ** (self.values / 10)).reshape(-1, 60).mean(axis=1))
        np.testing.assert_allclose(view.mean, expected, atol=1e-9)

    def test_close_by_every_sample_stands_for_itself(self) -> None:
        self.stored(np.random.default_rng(7).uniform(60, 100, 70_000))
        view = self.view(65_500, 65_600, 1280)
        self.assertEqual(view.bin_s, 1.0)
        np.testing.assert_array_equal(view.mean, self.values[65_500:65_600])

    def test_gaps_stay_gaps(self) -> None:
        self.stored(np.concatenate([np.full(6400, 80.0), np.full(6400, math.nan), np.full(6400, 90.0)]))
        view = self.view(0, 19_200, 12)
        self.assertTrue(np.isnan(view.mean[5]) and np.isnan(view.high[5]))
        self.assertAlmostEqual(view.mean[0], 80.0, places=4)

    def test_the_original_comes_back_bit_for_bit(self) -> None:
        data = recording_file(7200)
        from kumpel.services.take_in import take_in

        row = take_in.from_file(self.db, data, None)
        self.assertEqual(b"".join(sessions.original(engine(self.url), row.id or 0)), data)
        self.assertEqual(take_in.stored_hash(self.db, row.id or 0), row.sha256)


class Reduction(DatabaseTest):
    def test_means_of_energy_and_of_numbers(self) -> None:
        rows = np.array([[80.0, 90.0, math.nan, math.nan], [math.nan] * 4])
        energy = samples.mean_of_rows(rows, True)
        self.assertAlmostEqual(energy[0], 10 * math.log10((1e8 + 1e9) / 2))
        self.assertTrue(math.isnan(energy[1]))
        self.assertAlmostEqual(samples.mean_of_rows(rows, False)[0], 85.0)

"""Recordings that a process keeps in memory: bounded, and a moved clock decodes nothing anew."""

from __future__ import annotations

import unittest
from datetime import timedelta
from typing import Any
from unittest import mock

import numpy as np

from kumpel.core.recording import Channel, Recording
from kumpel.core.samples import ArraySamples
from kumpel.formats import krec
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import figures, recordings
from kumpel.services.ground.recordings import Recent
from kumpel.standins.signals import SIGNALS
from kumpel.store import samples
from tests.support import DatabaseTest


def recording(kilobytes: int) -> Recording:
    values = ArraySamples(np.zeros(kilobytes * 128))
    return Recording("noise", 0.0, 0, {"leq.1": Channel("leq.1", "Level", "dB(A)", 1.0, values)})


def key(number: int) -> recordings.Key:
    return "url", number, b""


class Bounded(unittest.TestCase):
    def test_the_oldest_go_when_there_are_too_many(self) -> None:
        kept = Recent(100_000)
        for number in range(12):
            kept.put(key(number), recording(10))
            self.assertLessEqual(kept.size, 100_000)
        self.assertEqual([n for n in range(12) if kept.get(key(n)) is not None], list(range(3, 12)))

    def test_what_was_asked_for_lately_stays(self) -> None:
        kept = Recent(35_000)
        for number in range(3):
            kept.put(key(number), recording(10))
        kept.get(key(0))
        kept.put(key(3), recording(10))
        self.assertEqual([n for n in range(4) if kept.get(key(n)) is not None], [0, 2, 3])

    def test_one_that_is_too_large_is_not_kept_and_drives_nobody_out(self) -> None:
        kept = Recent(35_000)
        kept.put(key(0), recording(10))
        kept.put(key(1), recording(100))
        self.assertIsNone(kept.get(key(1)))
        self.assertIsNotNone(kept.get(key(0)))

    def test_what_is_derived_later_counts(self) -> None:
        kept = Recent(35_000)
        made = recording(10)
        kept.put(key(0), made)
        kept.put(key(1), recording(10))
        made.once("signals", lambda: np.zeros(5_000))
        kept.get(key(1))
        kept.get(key(0))
        self.assertLessEqual(kept.size, 35_000)


class Moved(DatabaseTest):
    def test_nothing_is_decoded_anew_and_the_figures_are_those_of_a_fresh_reading(self) -> None:
        for kind in ("noise", "blood_pressure", "vehicle", "training"):
            with self.subTest(kind):
                row = self.stored(krec.write_recording(SIGNALS[kind](3).recording, f"S-{kind}"))
                recordings.recording_of(self.db, row)
                row.started_at += timedelta(hours=7)
                self.db.add(row)
                self.db.commit()
                with mock.patch.object(samples, "read_items", side_effect=AssertionError("decoded anew")):
                    moved = self.computed(row)
                with mock.patch.object(recordings, "_kept", Recent(10**9)):
                    fresh = self.computed(row)
                self.assertEqual(moved.reviewed.figures, fresh.reviewed.figures)
                self.assertEqual(moved.reviewed.judgements, fresh.reviewed.judgements)
                self.assertEqual(recordings.recording_of(self.db, row).start, row.started_at.timestamp())

    def computed(self, row: Any) -> Any:
        self.assertIn(row.kind, KINDS)
        return figures.compute(self.db, row, [])[3]


if __name__ == "__main__":
    unittest.main()

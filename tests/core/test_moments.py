"""Times of day where a recording is longer than a day: 14 November 2026 22:30 UTC is Unix 1 794 695 400."""

from __future__ import annotations

import unittest

from kumpel.core.recording import Event, Recording
from kumpel.core.timebase import clock_words, moment_words

START = 1_794_695_400.0
HOUR, DAY = 3600.0, 86_400.0


def made(offset_min: int = 60, *events: Event, start: float = START) -> Recording:
    return Recording("dust", start, offset_min, {}, events)


class MomentTests(unittest.TestCase):
    def test_within_the_first_day_the_time_alone_says_which(self) -> None:
        self.assertEqual(moment_words(made(), 0), "23:30")
        self.assertEqual(moment_words(made(), 8 * HOUR), "07:30")
        self.assertEqual(moment_words(made(), DAY - 1), "23:29")

    def test_later_and_before_the_start_the_day_is_said(self) -> None:
        self.assertEqual(moment_words(made(), DAY), "15 Nov 23:30")
        self.assertEqual(moment_words(made(), 2 * DAY + HOUR), "17 Nov 00:30")
        self.assertEqual(moment_words(made(), -1), "14 Nov 23:29")

    def test_another_year_is_said_too(self) -> None:
        self.assertEqual(moment_words(made(), 180 * DAY), "13 May 2027 23:30")
        self.assertEqual(moment_words(made(), 47 * DAY), "31 Dec 23:30")
        self.assertEqual(moment_words(made(), 47 * DAY + HOUR), "1 Jan 2027 00:30")

    def test_seconds_where_they_are_asked_for(self) -> None:
        self.assertEqual(clock_words(made(), 7, seconds=True), "23:30:07")
        self.assertEqual(moment_words(made(), DAY + 7, seconds=True), "15 Nov 23:30:07")
        self.assertEqual(clock_words(made(start=START + 0.7), 29 * 60 + 59.6, seconds=True), "00:00:00")

    def test_summer_time_ends_on_the_way(self) -> None:
        recording = made(120, Event(3 * HOUR, "utc-offset", "", {"utc_offset_min": 60}))
        self.assertEqual(moment_words(recording, 0), "00:30")
        self.assertEqual(moment_words(recording, DAY), "15 Nov 23:30")

"""Extremes of further sensors: declared in the setup, believed within their range, held against limits like those known."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from typing import Any

import numpy as np

from kumpel.core.assessment import Rule, Step, Verdict
from kumpel.core.recording import Channel, Recording
from kumpel.core.review import Review
from kumpel.core.vehicle.assess import assess
from kumpel.core.vehicle.measures import further, measures_of, switched_off
from kumpel.kinds.registry import KINDS
from kumpel.kinds.vehicle.sensors import watched
from kumpel.standins.signals import SIGNALS

LINE: dict[str, Any] = {"name": "Brake line pressure", "unit": "bar", "low": 0.0, "high": 80.0}


class Extremes(unittest.TestCase):
    def driven(self, values: Any, **about: Any) -> Recording:
        made = SIGNALS["vehicle"](2).recording
        channel = Channel("brake_line_pressure", "Brake line pressure", "bar", 0.1, np.asarray(values, dtype=float))
        setup = {**made.setup, "further": [LINE | about]}
        return replace(made, channels=made.channels | {channel.key: channel}, setup=setup)

    def count(self) -> int:
        return int(SIGNALS["vehicle"](2).recording.length_s / 0.1)

    def test_highest_and_lowest_of_the_laps_that_count(self) -> None:
        values = np.full(self.count(), 12.0)
        values[700], values[900] = 61.25, 3.5
        found = assess(self.driven(values), Review(), KINDS["vehicle"].limit_sets[0]).reviewed
        highest, lowest = found.figure("max.brake_line_pressure"), found.figure("min.brake_line_pressure")
        self.assertEqual((highest.value, highest.unit, highest.name), (61.25, "bar", "Brake line pressure, highest"))
        # 80 bar in thousandths: 0.08, so that two digits are read (3 - floor(log10 80) = 2).
        self.assertEqual((lowest.value, lowest.decimals), (3.5, 2))

    def test_ten_percent_beyond_its_range_is_believed_and_no_more(self) -> None:
        values = np.full(self.count(), 12.0)
        values[700] = 87.9  # 80 + 10 % of 80 = 88
        found = assess(self.driven(values), Review(), KINDS["vehicle"].limit_sets[0]).reviewed
        self.assertEqual(found.figure("max.brake_line_pressure").value, 87.9)
        values[710:715] = 88.1
        found = assess(self.driven(values), Review(), KINDS["vehicle"].limit_sets[0]).reviewed
        texts = [each.text for each in found.quality.findings]
        self.assertIn("Brake line pressure: 0.5 s outside -8 to 88 are not counted", texts)

    def test_a_limit_on_it_counts_its_time(self) -> None:
        values = np.full(self.count(), 12.0)
        values[700:720] = 70.0
        usual = KINDS["vehicle"].limit_sets[0]
        rule = Rule("max.brake_line_pressure", "Brake line", "bar", (Step(65.0, Verdict.ABOVE, "limit"),))
        found = assess(self.driven(values), Review(), replace(usual, rules=(rule,))).reviewed
        self.assertAlmostEqual(found.figure("beyond.max.brake_line_pressure").value, 2.0)
        self.assertEqual(found.verdict, Verdict.ABOVE)

    def test_one_that_is_off_is_said_with_its_name_and_has_no_figure(self) -> None:
        made = SIGNALS["vehicle"](2).recording
        off = LINE | {"on": False, "off_because": "cable torn"}
        session = replace(made, setup={**made.setup, "further": [off]})
        found = assess(session, Review(), KINDS["vehicle"].limit_sets[0]).reviewed
        self.assertIn(
            "Brake line pressure was switched off (cable torn)", [each.text for each in found.quality.findings]
        )
        self.assertNotIn("max.brake_line_pressure", [figure.key for figure in found.figures])

    def test_what_is_not_declared_rightly_is_none(self) -> None:
        for wrong in (
            {"low": 5, "high": 5},
            {"high": "many"},
            {"low": math.nan},
            {"high": math.inf},
            {"name": ""},
            {"high": True},
        ):
            self.assertEqual(further({"further": [LINE | wrong]}), [], wrong)
        for strange in ({}, {"further": None}, {"further": 5}, {"further": {"name": "x"}}, {"further": [3, None, "x"]}):
            self.assertEqual((further(strange), switched_off(strange)), ([], []))
            self.assertEqual(len(watched(strange)), 4, "what a recorder says breaks no list of recorders")
        flood = [LINE | {"name": f"Sensor {n}", "points": n} for n in range(5000)] + [LINE | {"name": "x" * 41}]
        self.assertEqual(len(watched({"further": flood})), 4 + 16)
        self.assertEqual([each.points for each in further({"further": flood})][8:11], [8, 9, 2])
        self.assertEqual(further({"further": [LINE | {"name": "x" * 41}]}), [])
        # A known channel keeps its own bounds, whatever a setup calls another sensor.
        self.assertEqual(measures_of({"further": [LINE | {"name": "rpm"}]})["rpm"].unit, "rpm")


if __name__ == "__main__":
    unittest.main()

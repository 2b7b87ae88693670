"""Units that a reader chose: factors by their definitions, what is stated is what is converted, nothing else changes."""

import math
import unittest
from dataclasses import replace

import numpy as np

from kumpel.core.assessment import Figure, Table, TableColumn, Why
from kumpel.core.comparison import Change, Span
from kumpel.core.readers_units import AS_KEPT, CHOICES, ReadersUnits
from kumpel.core.recording import Channel
from kumpel.core.review import Review
from kumpel.kinds.kind import Kind
from kumpel.kinds.registry import KINDS
from kumpel.reports.document import Facts, Figures, Picture, TablePart
from kumpel.standins.signals import SIGNALS

ALL = ReadersUnits([choice.key for choice in CHOICES])
NOBODY = Why("v", (), 1, 0, 0.0, "ISO 80000")


def figure(value: float, unit: str, decimals: int) -> Figure:
    return Figure("top", "Highest", value, unit, decimals, 1.0, NOBODY)


class Factors(unittest.TestCase):
    def test_each_by_its_definition(self) -> None:
        """NIST SP 811, appendix B.8: 1 mi = 1609.344 m, 1 ft = 0.3048 m, 1 in = 2.54 cm, 1 lb = 0.453 592 37 kg, 1 psi = 6.894 757 kPa."""
        for kept, unit, read in (
            (1609.344, "m", 5280.0),
            (1.609344, "km", 1.0),
            (160.9344, "km/h", 100.0),
            (0.44704, "m/s", 1.0),
            (300.0, "s/km", 482.8032),
            (45.359237, "kg", 100.0),
            (182.88, "cm", 72.0),
            (100.0, "°C", 212.0),
            (-40.0, "°C", -40.0),
            (6.894757, "kPa", 1.0),
            (1.0, "bar", 14.503774),
        ):
            with self.subTest(unit=unit, kept=kept):
                self.assertAlmostEqual(ALL.value(kept, unit), read, places=5)

    def test_what_is_stated_is_what_is_converted(self) -> None:
        # 129.96 is stated, and held against its limit, as 130.0: 130 / 1.609344 = 80.778.
        self.assertEqual(ALL.number(129.96, "km/h", 1), ALL.number(130.0, "km/h", 1))
        read = ALL.figure(figure(129.96, "km/h", 1))
        self.assertEqual((read.unit, read.decimals), ("mph", 1))
        self.assertAlmostEqual(read.value, 130 / 1.609344, places=9)
        self.assertTrue(math.isnan(ALL.figure(figure(math.nan, "km/h", 1)).value))

    def test_a_difference_of_temperatures_has_no_offset(self) -> None:
        change = Change("t", "Oil", "°C", 1, 90.0, 95.0, 5.0, Span(2.0, "own", 4), "beyond")
        read = ALL.change(change)
        self.assertEqual((read.before, read.after, read.difference, read.span.value), (194.0, 203.0, 9.0, 3.6))
        self.assertEqual(ALL.words("oil 5.0 °C more", differences=True), "oil 9.0 °F more")
        self.assertEqual(ALL.words("oil at 5.0 °C"), "oil at 41.0 °F")

    def test_a_sentence_and_what_is_no_quantity_in_it(self) -> None:
        for said, read in (
            ("100 m of 5 km at 36.0 km/h", "328 ft of 3 mi at 22.4 mph"),
            ("0.3 mg/m3, 12 m3, 7 min, 80 dB(A)", "0.3 mg/m3, 12 m3, 7 min, 80 dB(A)"),
            ("−10 °C", "14 °F"),
            ("S-100 m4, 2.5.1 km", "S-100 m4, 2.5.1 km"),
        ):
            with self.subTest(said=said):
                self.assertEqual(ALL.words(said), read)

    def test_a_persons_words_stay_as_they_were_typed(self) -> None:
        table = Table(
            "tasks", "Tasks", (TableColumn("Task", "", None), TableColumn("Way", "m", 0)), (("100 m drill", 100.0),)
        )
        self.assertEqual(ALL.table(table).rows[0][0], "100 m drill")
        self.assertAlmostEqual(float(ALL.table(table).rows[0][1]), 328.084, places=3)

    def test_one_choice_leaves_the_others(self) -> None:
        only = ReadersUnits(["temperature", "of a later version"])
        self.assertEqual(only.chosen, ("temperature",))
        self.assertEqual((only.value(10.0, "km"), only.unit("km")), (10.0, "km"))
        self.assertEqual(AS_KEPT.words("36 km/h, 20 °C"), "36 km/h, 20 °C")

    def test_a_channel_and_its_gaps(self) -> None:
        channel = Channel("speed", "Speed", "m/s", 1.0, np.array([0.0, 10.0, np.nan]))
        read = ALL.channel(channel)
        self.assertEqual(read.unit, "mph")
        np.testing.assert_allclose(read.values, [0.0, 22.369363, np.nan], atol=1e-6)
        self.assertIs(AS_KEPT.channel(channel), channel)


class OnPaper(unittest.TestCase):
    """Each kind that has such units, as two readers print it: every number of one is the other's by the factor."""

    def printed(self, kind: Kind, units: ReadersUnits) -> list[object]:
        recording = SIGNALS[kind.key](2).recording
        both = kind.assess(recording, Review(), kind.limit_sets[0])
        return list(kind.report(recording, Review(), both, kind.limit_sets[0], tuple(kind.report_parts), units))

    def test_figures_tables_and_the_line_that_says_so(self) -> None:
        for key in ("training", "vehicle"):
            kept, read = self.printed(KINDS[key], AS_KEPT), self.printed(KINDS[key], ALL)
            with self.subTest(key):
                turned = 0
                for a, b in zip(kept, read, strict=True):
                    if isinstance(a, Figures) and isinstance(b, Figures):
                        turned += self.alike(a, b)
                    elif isinstance(a, TablePart) and isinstance(b, TablePart):
                        self.assertEqual(len(a.rows), len(b.rows))
                        self.assertEqual([c for c in b.columns if c.endswith((" km/h", " m", " °C"))], [])
                    elif isinstance(b, Picture):
                        self.assertNotIn("m/s", b.text)
                self.assertGreater(turned, 2)
                said = [f.value for part in read if isinstance(part, Facts) for f in part.facts if f.label == "Units"]
                self.assertEqual(len(said), 1)
                self.assertIn("mph (kept in m/s, km/h)", said[0])
                self.assertEqual(
                    [f for part in kept if isinstance(part, Facts) for f in part.facts if f.label == "Units"], []
                )

    def alike(self, kept: Figures, read: Figures) -> int:
        turned = 0
        for a, b in zip(kept.lines, read.lines, strict=True):
            self.assertEqual((a.name, a.verdict), (b.name, b.verdict))
            if a.unit == b.unit:
                self.assertEqual(a.value, b.value)
                continue
            turned += 1
            if a.value not in ("not measured", "none"):
                off = 0.5 * 10 ** -len(b.value.partition(".")[2]) + 1e-9
                self.assertAlmostEqual(ALL.value(float(a.value), a.unit), float(b.value), delta=off)
        return turned

    def test_a_verdict_is_that_of_what_is_kept(self) -> None:
        kind = KINDS["vehicle"]
        recording = SIGNALS["vehicle"](2).recording
        both = kind.assess(recording, Review(), kind.limit_sets[0])
        lanes = {key: channel.unit for key, channel in recording.channels.items()}
        read = ALL.both(both, lanes)
        self.assertEqual(read.reviewed.verdict, both.reviewed.verdict)
        for a, b in zip(both.reviewed.judgements, read.reviewed.judgements, strict=True):
            self.assertEqual(a.verdict, b.verdict)
            if a.unit == "°C" and a.limit is not None and b.limit is not None:
                self.assertAlmostEqual(a.limit * 1.8 + 32, b.limit, delta=0.05 + 1e-9)
        self.assertEqual(replace(both, reviewed=both.reviewed), AS_KEPT.both(both, lanes))


if __name__ == "__main__":
    unittest.main()

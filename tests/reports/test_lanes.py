"""Lanes as SVG: every peak stays visible, gaps stay gaps, odd input draws."""

import unittest
from xml.etree import ElementTree

import numpy as np

from kumpel.core.recording import Channel
from kumpel.core.review import Stretch
from kumpel.core.samples import ArraySamples
from kumpel.reports.lanes import Lane, draw
from kumpel.reports.pictures import LimitLine


def lane(values: np.ndarray, interval_s: float = 1.0, **more: object) -> Lane:
    return Lane(Channel("a", "Level <A>", "dB", interval_s, np.asarray(values, float)), **more)


class Lanes(unittest.TestCase):
    def test_a_single_peak_of_a_million_samples_is_there(self) -> None:
        values = np.zeros(1_000_000)
        values[123_456] = 7.0
        low, high = ArraySamples(values).extremes(700)
        self.assertEqual((len(high), float(high.max()), float(low.max())), (700, 7.0, 0.0))
        self.assertEqual(int(np.argmax(high)), 123_456 * 700 // 1_000_000)

    def test_missing_stays_missing(self) -> None:
        values = np.ones(700)
        values[100:200] = np.nan
        low, _ = ArraySamples(values).extremes(70)
        self.assertEqual(np.flatnonzero(np.isnan(low)).tolist(), list(range(10, 20)))
        self.assertTrue(np.isnan(ArraySamples(np.empty(0)).extremes(5)[0]).all())

    def test_it_is_well_formed_whatever_comes(self) -> None:
        for values in (
            np.arange(50.0),
            np.zeros(50),
            np.full(50, np.nan),
            np.empty(0),
            np.array([1e9, -1e9]),
            np.full(9, 1e-12),
        ):
            svg = draw(
                "A & B",
                [lane(values, lines=[LimitLine(3.0, "limit", "above limit")], ticks_s=[1.0])],
                max(len(values), 1),
                82_000.0,
                [Stretch(1, 4, "x")],
            )
            root = ElementTree.fromstring(svg)
            self.assertTrue(root.tag.endswith("svg"))
            self.assertNotIn("nan", svg)

    def test_the_clock_below_goes_past_midnight(self) -> None:
        svg = draw("t", [lane(np.zeros(8 * 60), 60.0)], 8 * 3600.0, 22.5 * 3600)
        for words in ("23:00", "00:00", "06:00"):
            self.assertIn(words, svg)

    def test_a_slower_channel_fills_its_own_length(self) -> None:
        half = draw("t", [lane(np.ones(100))], 200.0, 0.0)
        rects = [float(r.get("x", "0")) for r in ElementTree.fromstring(half).iter() if r.tag.endswith("rect")]
        self.assertLess(max(rects), 54 + 0.51 * (760 - 62))


if __name__ == "__main__":
    unittest.main()

"""The driver's page: what stands in it is what was computed, and the picture swells where time is lost."""

from __future__ import annotations

import io
import math
import re
import unittest
from dataclasses import replace

import numpy as np
import pypdf

from kumpel.core.recording import Recording
from kumpel.core.review import Review
from kumpel.core.vehicle.course_picture import course_loss
from kumpel.kinds.registry import KINDS
from kumpel.reports import course, pages
from kumpel.reports.document import Document, Picture, TablePart
from kumpel.standins.lap_driver import Mistake, drive, recorded
from kumpel.standins.vehicle_signal import KART, practice_loop

KIND = KINDS["vehicle"]


def session(laps: int = 12) -> Recording:
    """Half of the laps are slow at the apex of corner 10; the fifth is spun."""
    rng = np.random.default_rng(2)
    habit = tuple(Mistake(k, 9, "slow apex", 0.45) for k in range(0, laps, 2))
    return recorded(drive(practice_loop(), KART, laps, habit, 0.02, rng, spun=(5,)), rng).recording


class Page(unittest.TestCase):
    recording: Recording

    @classmethod
    def setUpClass(cls) -> None:
        cls.recording = session()
        cls.both = KIND.assess(cls.recording, Review(), KIND.limit_sets[0])
        cls.parts = KIND.report(cls.recording, Review(), cls.both, KIND.limit_sets[0], KIND.one_page)

    def test_the_laps_and_where_to_look_next_are_the_computed_ones_on_one_page(self) -> None:
        document = Document(title="T", subtitle="", token="", verdict="", words="", footer="", parts=self.parts)
        shown, _ = pages.printable(document)
        reader = pypdf.PdfReader(io.BytesIO(pages.pdf(shown)))
        self.assertEqual(len(reader.pages), 1)
        text = " ".join(" ".join(page.extract_text() for page in reader.pages).split())
        tables = {t.key: t for t in self.both.reviewed.tables}
        names = [c.name for c in tables["laps"].columns]
        best = self.both.reviewed.figure("best").value
        for row in tables["laps"].rows:
            time = row[names.index("Time")]
            if isinstance(time, str) or math.isnan(time):
                continue
            behind = " best" if time == best else f" {time - best:+.2f}"
            self.assertIn(f"{row[0]:.0f} {time:.2f}{behind}", text)
        for where, _, seconds, laps, mostly in tables["lost"].rows[:5]:
            self.assertIn(" ".join(f"{where} {seconds:.2f} s {laps} {mostly}".split()), text)
        # The spun lap is no habit: corner 10 stands first, not where it was spun.
        self.assertRegex(str(tables["lost"].rows[0][0]), "^corner 10, ")

    def test_the_picture_swells_at_the_corner_where_time_is_lost(self) -> None:
        [picture] = [p for p in self.parts if isinstance(p, Picture)]
        seen = course_loss(self.recording, Review())
        assert seen is not None and seen.rate is not None
        corner = seen.course.corners[9]
        there = float(np.argmax(seen.rate)) * seen.course.step_m
        self.assertTrue(corner.begin_m - 25 <= there <= corner.end_m + 40, (there, corner))
        # All that is lost by the mean of the usual laps is the area of the swelling.
        self.assertAlmostEqual(float(seen.rate.sum()) * seen.course.step_m, 0.25, delta=0.12)
        for number in range(1, len(seen.course.corners) + 1):
            self.assertRegex(picture.svg, rf">{number}</text>")
        self.assertRegex(picture.svg, r">\d+ m</text>")
        self.assertIn(course.LOST, picture.svg)

    def test_one_lap_and_no_course(self) -> None:
        single = session(1)
        both = KIND.assess(single, Review(), KIND.limit_sets[0])
        parts = KIND.report(single, Review(), both, KIND.limit_sets[0], ("course", "next", "laps"))
        self.assertIn("No two laps that count", str(parts))
        nowhere = replace(
            single, channels={k: c for k, c in single.channels.items() if k not in ("lat", "lon")}, setup={}
        )
        both = KIND.assess(nowhere, Review(), KIND.limit_sets[0])
        parts = KIND.report(nowhere, Review(), both, KIND.limit_sets[0], ("course", "next", "laps"))
        self.assertEqual([p for p in parts if isinstance(p, Picture)], [])
        [laps] = [p for p in parts if isinstance(p, TablePart) and p.title.startswith("Laps")]
        self.assertEqual((laps.rows, laps.empty), ([], "no full lap"))

    def test_the_picture_of_a_square_lies_outside_where_lost_and_inside_where_gained(self) -> None:
        """A loop of 100 m by 100 m: what is lost on the way east lies below it, what is gained on the way west lies below that."""
        side = np.arange(0.0, 100.0)
        x = np.concatenate((side, np.full(100, 100.0), 100 - side, np.zeros(100)))
        y = np.concatenate((np.zeros(100), side, np.full(100, 100.0), 100 - side))
        rate = np.zeros(400)
        rate[20:80], rate[220:280] = 0.01, -0.01
        svg = course.draw(x, y, True, [(0.0, "start")], [], rate)

        def ends(colour: str) -> list[tuple[float, float]]:
            found = re.findall(rf'y1="([\d.]+)" x2="[\d.]+" y2="([\d.]+)" stroke="{colour}" stroke-width="1.7"', svg)
            return [(float(a), float(b)) for a, b in found]

        lost, gained = ends(course.LOST), ends(course.GAINED)
        self.assertEqual((len(lost), len(gained)), (60, 60))
        # Down the page is south: the way east is the lower side, so outside is further down; the upper side's inside is down, too.
        self.assertTrue(all(b > a for a, b in lost))
        self.assertTrue(all(b > a for a, b in gained))


if __name__ == "__main__":
    unittest.main()

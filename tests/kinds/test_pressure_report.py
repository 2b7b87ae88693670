"""Reports of blood pressure on recordings as they come: cut short, without activity, without a valid reading, hostile, of many days."""

import re
import unittest
from dataclasses import replace
from typing import Any

from kumpel.core.assessment import Assessment, BothWays
from kumpel.core.recording import Event, Recording
from kumpel.core.review import Review, Stretch
from kumpel.kinds.registry import KINDS
from kumpel.reports import pages
from kumpel.reports.document import Document, Part, Picture, TablePart
from kumpel.standins.blood_pressure_signal import Day, make

KIND = KINDS["blood_pressure"]
WILD: list[dict[str, Any]] = [
    {"error": {"a": [1, 2]}},
    {"error": 1e300, "systolic": -5},
    {"error": 2**53, "tries": "many"},
    {"error": "  ", "by": 7},
    {"systolic": True, "diastolic": "80"},
    {"systolic": 1e9, "diastolic": 1e-9, "pulse": 1e12, "map": 0},
    {"systolic": 120, "diastolic": 120, "unit": "mmHg"},
]


def shapes() -> dict[str, Recording]:
    """Recordings that stand at an edge."""
    usual = make(Day(seed=3, presses=((5000.0, "dizzy\nand <b>worse</b>"),), loose=((9000.0, 40_000.0),))).recording
    readings = [e for e in usual.events if e.code == "reading"]
    quiet = [{"start": "19:00", "end": "20:00"}, {"start": 7}, "x", {"start": "25:00", "end": "9:99"}]
    back = Event(54_000.0, "utc-offset", "", {"utc_offset_min": 0})
    days = ((38_700.0, 65_700.0), (125_100.0, 152_100.0))
    return {
        "usual": usual,
        "one reading": replace(usual, events=tuple(readings[:1])),
        "every try failed": replace(usual, events=tuple(Event(e.at_s, "reading", "", {"error": 3}) for e in readings)),
        "without activity": replace(usual, channels={}),
        "without activity and times": replace(usual, channels={}, setup={}),
        "fifty-two hours": make(Day(seed=4, length_s=52 * 3600.0, asleep=days)).recording,
        "a minute": make(Day(seed=5, length_s=61.0, asleep=())).recording,
        "the clock went back": replace(usual, events=(*usual.events, back)),
        "wild": replace(
            usual,
            setup=dict(usual.setup) | {"quiet": quiet},
            events=(*usual.events, *(Event(100.0 * i, "reading", "", data) for i, data in enumerate(WILD, 1))),
        ),
        "late readings": replace(usual, events=(*usual.events, replace(readings[5], at_s=usual.length_s + 7200))),
    }


def before(found: Assessment) -> Assessment:
    """Results as they were before readings said what they reach, classes were counted and activity was kept."""
    tables = []
    for table in found.tables:
        rows: list[tuple[str | float, ...]] = list(table.rows)
        columns = table.columns
        if table.key in ("activity", "quiet", "enough"):
            continue
        if table.key == "readings":
            columns, rows = (*columns[:7], *columns[9:]), [(*r[:7], *r[9:]) for r in rows]
        if table.key == "classes":
            columns = (*columns[:2], *(replace(c, unit="%") for c in columns[2:6]))
            rows = [(r[0], r[1], *(100 * float(v) / float(r[1]) for v in r[2:6])) for r in rows]
        tables.append(replace(table, columns=columns, rows=tuple(rows)))
    figures = tuple(f for f in found.figures if not f.key.endswith((".reached", ".sd_weighted")))
    return replace(found, tables=tuple(tables), figures=figures)


class EdgesOnPaper(unittest.TestCase):
    def test_every_part_of_every_shape_can_be_printed(self) -> None:
        for name, recording in shapes().items():
            for review in (
                Review(),
                Review(left_out=(Stretch(0, 5000, "x"),), asleep=(Stretch(100, 20_000, "by hand"),)),
            ):
                with self.subTest(name, reviewed=bool(review.left_out)):
                    both = KIND.assess(recording, review, KIND.limit_sets[0])
                    parts = KIND.report(recording, review, both, KIND.limit_sets[0], tuple(KIND.report_parts))
                    text = "".join(part.model_dump_json() for part in parts)
                    self.assertIsNone(re.search(r"\bnan\b", text))
                    document = Document(
                        title="T",
                        subtitle="",
                        token="",
                        verdict=both.reviewed.verdict.value,
                        words="",
                        footer="",
                        parts=parts,
                    )
                    shown, _ = pages.printable(document)
                    self.assertGreater(pages.page_count(pages.pdf(shown)), 0)

    def test_results_from_before_are_printed_as_far_as_they_tell(self) -> None:
        recording = shapes()["usual"]
        now = KIND.assess(recording, Review(), KIND.limit_sets[0])
        both = BothWays(before(now.recorded), before(now.reviewed))
        keys = tuple(KIND.report_parts)
        old, new = (KIND.report(recording, Review(), each, KIND.limit_sets[0], keys) for each in (both, now))

        def classes(parts: list[Part]) -> list[list[str]]:
            return next(p.rows for p in parts if isinstance(p, TablePart) and "reach the limit" in p.title)

        self.assertEqual(classes(old), classes(new))
        pictures = [next(p.svg for p in parts if isinstance(p, Picture)) for parts in (old, new)]
        self.assertEqual(*(svg.count('fill="#ad3a1f"') for svg in pictures))
        self.assertNotIn(">activity<", pictures[0])

    def test_the_patient_is_told_when_there_is_too_little(self) -> None:
        recording = shapes()["every try failed"]
        both = KIND.assess(recording, Review(), KIND.limit_sets[0])
        [told, *_] = KIND.report(recording, Review(), both, KIND.limit_sets[0], ("patient",))
        lines = told.model_dump()["lines"]
        self.assertIn("By day nothing was measured.", lines)
        self.assertIn("There were too few good readings to judge by. It should be measured again.", lines)

    def test_the_patient_is_told_in_the_numbers_of_the_figures(self) -> None:
        recording = shapes()["usual"]
        found = KIND.assess(recording, Review(), KIND.limit_sets[0])
        parts = [
            part.model_dump() for part in KIND.report(recording, Review(), found, KIND.limit_sets[0], ("patient",))
        ]
        rows = next(p["rows"] for p in parts if p["part"] == "table")
        for row, period in zip(rows, ("all", "awake", "asleep"), strict=True):
            pair = [found.reviewed.figure(f"{period}.{q}.mean").stated for q in ("systolic", "diastolic")]
            reached = [found.reviewed.figure(f"{period}.{key}").stated for key in ("reached", "valid")]
            self.assertEqual(row[1], f"{pair[0]:.0f}/{pair[1]:.0f}")
            self.assertEqual(row[3], f"{reached[0]:.0f} of {reached[1]:.0f}")

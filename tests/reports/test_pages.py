"""Pictures and pages by themselves: well-formed, complete, not confused by odd content."""

import io
import math
import unittest
from xml.etree import ElementTree

import numpy as np
import pypdf

from kumpel.core.recording import Channel
from kumpel.reports import lanes, pages, pictures
from kumpel.reports.document import Document, Fact, Facts, FigureLine, Figures, Picture, Signature, TablePart, TextPart
from kumpel.reports.pictures import LimitLine

LINES = [
    LimitLine(80, "lower action value", "action level reached"),
    LimitLine(85, "upper action value", "above limit"),
]


def document(**changes: object) -> Document:
    base = {
        "title": "Ida Brandvik",
        "subtitle": "Noise",
        "token": "N-07",
        "verdict": "within",
        "words": "within all limits",
        "footer": "Kumpel",
    }
    return Document(**(base | changes))


def text_of(made: Document) -> str:
    return "\n".join(page.extract_text() for page in pypdf.PdfReader(io.BytesIO(pages.pdf(made))).pages)


class Pictures(unittest.TestCase):
    def elements(self, svg: str, name: str) -> list[ElementTree.Element]:
        return list(ElementTree.fromstring(svg).iter("{http://www.w3.org/2000/svg}" + name))

    def test_a_bar_for_every_measured_minute_in_its_colour(self) -> None:
        levels = np.array([70.0, 79.99, 80.0, 84.9, 85.0, math.nan, 99.0])
        svg = pictures.level_over_time(6 + np.arange(7) / 60, levels, [], LINES, "dB(A)")
        colours = [r.get("fill") for r in self.elements(svg, "rect")]
        expected = [pictures.PETROL] * 2 + [pictures.ACTION] * 2 + [pictures.ABOVE] * 2
        self.assertEqual(colours, expected)

    def test_limit_lines_and_hours_are_written(self) -> None:
        svg = pictures.level_over_time(5.5 + np.arange(480) / 60, np.full(480, 75.0), [], LINES, "dB(A)")
        words = [t.text for t in self.elements(svg, "text")]
        for wanted in ("85 upper action value", "80 lower action value", "06:00", "13:00", "dB(A)"):
            self.assertIn(wanted, words)

    def test_midnight_is_passed(self) -> None:
        svg = pictures.level_over_time(22 + np.arange(480) / 60, np.full(480, 75.0), [], LINES, "dB(A)")
        words = [t.text for t in self.elements(svg, "text")]
        self.assertIn("00:00", words)
        self.assertIn("05:00", words)
        self.assertNotIn("24:00", words)

    def test_nothing_measured_one_minute_and_no_limits_still_draw(self) -> None:
        for levels in (np.empty(0), np.array([80.0]), np.full(10, math.nan)):
            hours = 6 + np.arange(len(levels)) / 60
            ElementTree.fromstring(pictures.level_over_time(hours, levels, [(6.0, 6.1)], [], "dB(A)"))
        ElementTree.fromstring(pictures.bars([], [], [], []))
        ElementTree.fromstring(pictures.spread(np.empty(0), np.empty(0), LINES, "dB(A)"))

    def test_words_are_escaped(self) -> None:
        svg = pictures.bars(["<b>"], [1.0], ['"&'], [False])
        self.assertIn("<b>", [t.text for t in self.elements(svg, "text")])

    def test_bars_are_in_proportion(self) -> None:
        svg = pictures.bars(["06", "07"], [25.0, 75.0], ["25 %", "75 %"], [False, True])
        heights = [float(r.get("height") or 0) for r in self.elements(svg, "rect")]
        self.assertAlmostEqual(heights[1] / heights[0], 3.0, places=2)


class Pages(unittest.TestCase):
    def test_every_part_reaches_the_paper(self) -> None:
        made = document(parts=[
            Facts(facts=[Fact(label="Serial number", value="NM-000107")]),
            Figures(title="Figures against limits", lines=[FigureLine(name="LEX,8h", value="86.9", unit="dB(A)", limit="80 / 85", verdict="above limit", words="reached by 1.9")]),
            TablePart(title="Tasks", columns=["Task", "Time"], rows=[["liner change", "1:05"]]),
            TablePart(title="Left out", columns=["Why"], rows=[], empty="nothing was left out"),
            Picture(title="Level", svg=pictures.bars(["06"], [1.0], ["100 %"], [True]), text="bars"),
            TextPart(title="Conclusion", text="Repeat with the new tool."),
            TextPart(title="Empty", text="  "),
            Signature(name="Runa Halvorsen", date="23 Nov 2026"),
        ])  # fmt: skip
        text = text_of(made)
        for words in ("NM-000107", "86.9", "80 / 85", "reached by 1.9", "liner change", "1:05", "nothing was left out", "100 %",
                      "Repeat with the new tool.", "none written", "Runa Halvorsen", "23 Nov 2026", "page 1 of 1"):  # fmt: skip
            self.assertIn(words, text)

    def test_typst_in_a_name_is_text(self) -> None:
        odd = '#panic("x") $ a $ *b* _c_ @d <e> `f` [g] \\ // h'
        text = text_of(
            document(title=odd, parts=[TextPart(title=odd, text=odd), Facts(facts=[Fact(label=odd, value=odd)])])
        )
        self.assertEqual(text.replace("\n", "").replace(" ", "").count('#panic("x")'), 5)

    def test_long_tables_run_over_pages_with_their_number(self) -> None:
        rows = [[f"stretch {i}", "06:00 to 06:05", "5 min"] for i in range(150)]
        made = document(parts=[TablePart(title="Left out", columns=["Why", "From, to", "Length"], rows=rows)])
        count = len(pages.preview(made))
        self.assertGreater(count, 2)
        text = text_of(made)
        self.assertIn("stretch 149", text)
        self.assertIn(f"page {count} of {count}", text)

    def test_a_very_long_name_stays_on_the_page(self) -> None:
        text = text_of(document(title="Maximiliane-Theodora von und zu Hohenbruck-Sølvfjellet " * 3))
        self.assertEqual(text.count("Maximiliane"), 3)

    def test_letters_beyond_latin_1_are_in_the_fonts(self) -> None:
        names = "Łukasz Žofie Ğül Őry Đorđe Ņikita Ție Ål Æsa Œuf ß"
        self.assertIn(names, text_of(document(title=names)))

    def test_all_four_verdicts_draw(self) -> None:
        for verdict in ("within", "action level reached", "above limit", "not assessable"):
            self.assertIn("in words", text_of(document(verdict=verdict, words="in words")))

    def test_draft_is_said_until_it_is_issued(self) -> None:
        self.assertIn("draft, not issued", text_of(document()))
        self.assertNotIn("draft", text_of(document(draft=False)))

    def test_many_at_once_do_not_mix(self) -> None:
        from concurrent.futures import ThreadPoolExecutor

        with ThreadPoolExecutor(4) as pool:
            texts = list(pool.map(lambda i: text_of(document(title=f"Person {i:03d}")), range(24)))
        self.assertTrue(all(f"Person {i:03d}" in text for i, text in enumerate(texts)))


class Lanes(unittest.TestCase):
    """Readings of ten minutes as bars; the picture is 200 pt wide for 1,000 s, so that 1 s is 0.132 pt from x = 54 on: 400 s lie at 106.8, the end at 186."""

    def lines(self, svg: str, dashed: bool) -> list[tuple[float, float, float]]:
        """First x, last x and y of the horizontal lines."""
        found = []
        for each in ElementTree.fromstring(svg).iter("{http://www.w3.org/2000/svg}line"):
            x1, y1, x2, y2 = (float(each.get(k, "0")) for k in ("x1", "y1", "x2", "y2"))
            if y1 == y2 and (each.get("stroke-dasharray") is not None) == dashed:
                found.append((x1, x2, y1))
        return found

    def drawn(self, far: float, *lines: LimitLine) -> str:
        readings = [lanes.Point(i * 60.0, 130.0 + i % 3, True, 80.0 + i % 3) for i in range(12)]
        points = [*readings, lanes.Point(900.0, far, True, 90.0)]
        channel = Channel("systolic", "Systolic", "mmHg", 1.0, np.empty(0))
        return lanes.draw("", [lanes.Lane(channel, lines, points=points)], 1000.0, 0.0, width=200.0)

    def test_a_line_holds_for_its_span_alone(self) -> None:
        svg = self.drawn(
            132,
            LimitLine(135, "awake", "above limit", (0.0, 400.0)),
            LimitLine(120, "asleep", "above limit", (400.0, 2000.0)),
        )
        ends = [(a, b) for a, b, _ in self.lines(svg, dashed=True)]
        for found, wanted in zip(ends, [(54.0, 106.8), (106.8, 186.0)], strict=True):
            for one, other in zip(found, wanted, strict=True):
                self.assertAlmostEqual(one, other, delta=0.02)
        self.assertIn(">135 awake; 120 asleep<", svg)

    def test_one_impossible_reading_does_not_press_the_others_flat(self) -> None:
        """Middle halves 80 to 82 and 130 to 132: the far fences lie at 80 - 3 x 2 and 132 + 3 x 2."""
        bars = self.bars(self.drawn(1900.0))
        usual = self.bars(self.drawn(132.0))
        self.assertGreater(bars[0], 0.75 * usual[0])

    def bars(self, svg: str) -> list[float]:
        """Lengths of the upright lines inside the lane."""
        found = []
        for each in ElementTree.fromstring(svg).iter("{http://www.w3.org/2000/svg}line"):
            x1, y1, x2, y2 = (float(each.get(k, "0")) for k in ("x1", "y1", "x2", "y2"))
            if x1 == x2 and abs(y2 - y1) > 4:
                found.append(abs(y2 - y1))
        return found


class Sizes(unittest.TestCase):
    """How much room a part takes, read back from the page: where each text begins."""

    def places(self, *parts: TextPart | Facts) -> dict[str, tuple[int, float, float]]:
        """Page, x and y of each text that begins with "at ", from the lower left corner in points."""
        found: dict[str, tuple[int, float, float]] = {}
        for number, page in enumerate(pypdf.PdfReader(io.BytesIO(pages.pdf(document(parts=list(parts))))).pages):

            def visit(text: str, cm: list[float], tm: list[float], *_: object, number: int = number) -> None:
                if text.strip().startswith("at "):
                    x, y = tm[4] * cm[0] + tm[5] * cm[2] + cm[4], tm[4] * cm[1] + tm[5] * cm[3] + cm[5]
                    found[text.strip()] = (number, x, y)

            page.extract_text(visitor_text=visit)
        return found

    def test_halves_stand_in_pairs_and_a_last_one_keeps_its_half(self) -> None:
        halves = [TextPart(title="", text=f"at {i}", size="half") for i in range(3)]
        at = self.places(TextPart(title="", text="at top"), *halves, TextPart(title="", text="at end"))
        self.assertAlmostEqual(at["at 0"][2], at["at 1"][2], delta=0.5)
        self.assertGreater(at["at 1"][1], at["at 0"][1] + 200)
        self.assertLess(at["at 2"][2], at["at 0"][2] - 5)
        self.assertAlmostEqual(at["at 2"][1], at["at 0"][1], delta=0.5)
        self.assertGreater(at["at top"][2], at["at 0"][2])
        self.assertLess(at["at end"][2], at["at 2"][2])

    def test_a_page_begins_a_new_one_and_nothing_else_does(self) -> None:
        at = self.places(
            TextPart(title="", text="at first", size="strip"),
            TextPart(title="", text="at wide"),
            TextPart(title="", text="at new", size="page"),
            TextPart(title="", text="at after"),
        )
        self.assertEqual(
            {name: page for name, (page, _, _) in at.items()}, {"at first": 0, "at wide": 0, "at new": 1, "at after": 1}
        )

    def test_a_strip_is_never_torn(self) -> None:
        fill = TextPart(title="", text="word " * 1200)
        rows = [Fact(label=f"at {i}", value=f"of {i}") for i in range(60)]
        torn, whole = self.places(fill, Facts(facts=rows)), self.places(fill, Facts(facts=rows, size="strip"))
        self.assertEqual(len({page for page, _, _ in torn.values()}), 2, "the filling is to leave too little room")
        self.assertEqual(len({page for page, _, _ in whole.values()}), 1)
        self.assertEqual(len(whole), 60)

    def test_a_paper_frozen_before_sizes_still_has_its_halves(self) -> None:
        old = Picture.model_validate({"part": "picture", "title": "~Spread", "svg": "<svg/>", "text": "x"})
        self.assertEqual((old.title, old.size), ("Spread", "half"))

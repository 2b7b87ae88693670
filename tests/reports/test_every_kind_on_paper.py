"""What is printed of every kind is what was computed: number by number, cell by cell, and every decision."""

import io
import math
import re
import unittest
from dataclasses import replace
from datetime import UTC, datetime

import pypdf

from kumpel.core.assessment import CLOCK, BothWays, Figure, LimitSet
from kumpel.core.reckoning import hours_minutes
from kumpel.core.recording import Recording
from kumpel.core.review import Review, Stretch
from kumpel.core.rounding import shown as shown_as
from kumpel.core.timebase import clock_words, moment_words
from kumpel.formats import krec
from kumpel.kinds.plain_report import MOST_ROWS, TABLE, lanes_of, number
from kumpel.kinds.registry import KINDS
from kumpel.reports import pages
from kumpel.reports.document import Document, Fact
from kumpel.services.ground import figures, settings
from kumpel.services.ground.decisions import Wish
from kumpel.services.report import conclusions, paper, reports
from kumpel.services.review import deciding
from kumpel.standins.signals import SIGNALS
from tests.kinds.test_all_kinds import assess, made
from tests.support import DatabaseTest

PLAIN = [kind for kind in KINDS if "tables" in KINDS[kind].report_parts]


def printed(kind_key: str, recording: Recording, both: BothWays, keys: tuple[str, ...]) -> str:
    """The words of the PDF of these parts, in one line."""
    kind = KINDS[kind_key]
    parts = kind.report(recording, Review(), both, kind.limit_sets[0], keys)
    document = Document(title="T", subtitle="", token="", verdict="within", words="", footer="", parts=parts)
    shown, _ = pages.printable(document)
    return " ".join(" ".join(p.extract_text() for p in pypdf.PdfReader(io.BytesIO(pages.pdf(shown))).pages).split())


def stated(figure: Figure) -> str:
    """A figure's value as it has to stand on paper."""
    return "not measured" if math.isnan(figure.value) else shown_as(figure.value, figure.decimals)


class Fits(unittest.TestCase):
    """What is called one page is one page: nine kinds, each shipped limit set, long names, a conclusion of twelve lines."""

    def paper(self, key: str, limits: LimitSet, lines: int) -> Document:
        kind, recording = KINDS[key], made(key).recording
        both = kind.assess(recording, Review(), limits)
        pages_of = paper.Paper(
            name="Maximiliane-Charlotte von Hohenlohe-Waldenburg-Schillingsfürst",
            subtitle=f"{kind.name}, Wed 18 Nov 2026, 06:04 to Thu 19 Nov 2026, 06:04, primary crusher hall, lower gallery",
            token="N-07",
            verdict=both.reviewed.verdict.value,
            words=both.reviewed.words,
            origin="Limits",
            who=[Fact(label=f"Fact {i}", value="a value that is long enough to matter") for i in range(8)],
            parts={part: kind.report(recording, Review(), both, limits, (part,)) for part in kind.report_parts},
            conclusion="The liner change alone brings most of the dose of this day. " * lines,
            signer="Runa Halvorsen",
            signed_on="27 Nov 2026",
        )
        return paper.document(key, pages_of, kind.one_page)

    def test_it_fits(self) -> None:
        for key, kind in KINDS.items():
            for limits in kind.limit_sets[:2]:
                document, _ = pages.printable(self.paper(key, limits, 20))
                with self.subTest(kind=key, limits=limits.key):
                    found = pages.on_one(document)
                    self.assertEqual(pages.page_count(pages.pdf(found)), 1)

    def test_what_no_shrinking_helps_stays_as_it_was(self) -> None:
        document, _ = pages.printable(self.paper("noise", KINDS["noise"].limit_sets[0], 400))
        self.assertEqual(pages.on_one(document).tight, 1.0)


class EveryKind(unittest.TestCase):
    def test_every_figure_with_its_value_unit_limits_and_words(self) -> None:
        for key in PLAIN:
            recording = made(key).recording
            both = assess(recording)
            text = printed(key, recording, both, ("all-figures",))
            leading = both.reviewed
            judged = {j.figure for j in leading.judgements}
            for figure in leading.figures:
                if figure.over and figure.key not in judged:
                    continue
                with self.subTest(kind=key, figure=figure.key):
                    value = stated(figure)
                    name = f"{figure.name}: {figure.state}" if figure.state else figure.name
                    after = text.split(name, 1)
                    self.assertEqual(len(after), 2, figure.name)
                    self.assertIn(value, after[1][:80])
            for judgement in leading.judgements:
                with self.subTest(kind=key, rule=judgement.rule):
                    words = judgement.words.split()
                    self.assertIn(" ".join(words[:3]), text)
                    self.assertIn(" / ".join(f"{s.value:g}" for s in judgement.steps), text)

    def test_what_repeats_stands_side_by_side(self) -> None:
        """A row for each measure: what it is, its unit, then the value of each member in the order of the heads."""
        for key, by in (("blood_pressure", "period"), ("gas", "sensor"), ("jaw_muscle", "side")):
            recording = made(key).recording
            both = assess(recording)
            repeating = [f for f in both.reviewed.figures if f.over]
            text = printed(key, recording, both, ("all-figures",)).split(f"Figures by {by} ")[1]
            members = list(dict.fromkeys(f.over.member for f in repeating if f.over))
            self.assertTrue(text.startswith(" ".join(members)), text[:90])
            of = {(f.over.measure, f.over.member): f for f in repeating if f.over}
            self.assertEqual(len(of), len(repeating), "no two figures on one place")
            for measure in dict.fromkeys(measure for measure, _ in of):
                found = [of.get((measure, member)) for member in members]
                one_unit = len({f.unit for f in found if f}) == 1
                cells = [
                    "–" if f is None else stated(f) if one_unit or not f.unit else f"{stated(f)} {f.unit}"
                    for f in found
                ]
                with self.subTest(kind=key, measure=measure):
                    row = rf"{re.escape(measure)}(?:, \S+(?: LEL| %)?)? {re.escape(' '.join(cells))}"
                    self.assertRegex(text, row)

    def test_every_cell_of_every_table(self) -> None:
        for key in PLAIN:
            recording = made(key).recording
            both = assess(recording)
            alone = [part for part in KINDS[key].report_parts if part.startswith(TABLE)]
            words = printed(key, recording, both, ("tables", *alone)).split()
            for table in both.reviewed.tables:
                if table.key in KINDS[key].drawn:
                    continue
                rows = table.rows[:MOST_ROWS]
                times = {i: [r[i] for r in rows] for i, c in enumerate(table.columns) if c.unit == CLOCK}
                fine = {
                    i: len({round(recording.start + float(t)) % 60 for t in at if t == t}) > 1
                    for i, at in times.items()
                }
                # Lengths of two hours and more are hours on paper.
                long = {
                    i
                    for i, c in enumerate(table.columns)
                    if c.unit == "s" and not c.decimals and rows and min(float(r[i]) for r in rows) >= 7200
                }
                for row in rows:
                    for i, (column, cell) in enumerate(zip(table.columns, row, strict=True)):
                        if column.name in ("Key", "In words") or (isinstance(cell, float) and math.isnan(cell)):
                            continue
                        shown = (
                            cell
                            if isinstance(cell, str)
                            else moment_words(recording, cell, fine[i])
                            if column.unit == CLOCK
                            else hours_minutes(cell)
                            if i in long
                            else shown_as(cell, column.decimals or 0)
                        )
                        with self.subTest(kind=key, table=table.key, cell=shown):
                            self.assertTrue(set(shown.split()) <= set(words), shown)

    def test_a_due_date_is_a_day_and_a_rescue_has_its_seconds(self) -> None:
        """The arithmetic: a calibration at the start, every 180 days; what happened in a resuscitation is told apart by seconds."""
        recording = made("gas").recording
        first = next(e for e in recording.events if e.code == "bump-test")
        recording = replace(recording, events=(replace(first, at_s=60.0, code="calibration"),))
        due = datetime.fromtimestamp(recording.start + 60 + 180 * 86_400 + recording.utc_offset_min * 60, UTC)
        text = " ".join(printed("gas", recording, assess(recording), ("tables",)).split())
        self.assertIn(f"{due.day} {due:%b %Y} {due:%H:%M}", text)
        resuscitation = made("resuscitation").recording
        [case] = [t for t in assess(resuscitation).reviewed.tables if t.key == "case"]
        text = printed("resuscitation", resuscitation, assess(resuscitation), ("tables",))
        for row in case.rows:
            self.assertIn(clock_words(resuscitation, float(row[0]), seconds=True), text)

    def test_what_rounds_to_nothing_has_no_sign(self) -> None:
        self.assertEqual((number(-0.04, 1), number(-0.06, 1), number(0.0, 0)), ("0.0", "-0.1", "0"))
        figure = replace(assess(made("gas").recording).reviewed.figures[0], value=-0.04, decimals=1)
        self.assertEqual(math.copysign(1, figure.stated), 1)

    def test_pages_are_counted_as_a_reader_counts_them(self) -> None:
        for key in PLAIN:
            recording, kind = made(key).recording, KINDS[key]
            both = assess(recording)
            parts = kind.report(recording, Review(), both, kind.limit_sets[0], tuple(kind.report_parts))
            document = Document(
                title="T", subtitle="", token="", verdict="within", words="", footer="", parts=parts * 3
            )
            data = pages.pdf(pages.printable(document)[0])
            self.assertEqual(pages.page_count(data), len(pypdf.PdfReader(io.BytesIO(data)).pages), key)

    def test_the_length_of_the_recording(self) -> None:
        for key in PLAIN:
            recording = made(key).recording
            text = printed(key, recording, assess(recording), ("checks",))
            self.assertIn(f"{hours_minutes(recording.length_s)} h", text, key)


class DecisionsOnPaper(DatabaseTest):
    def test_a_dropped_event_stands_on_paper_in_words_with_its_reason(self) -> None:
        row = self.stored(krec.write_recording(SIGNALS["oximetry"](2).recording))
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        event = next(e for e in found.both.reviewed.events if e.code == "desaturation4")
        wish = Wish("dropped", event.key, value=event.end_s - event.at_s, reason="turned over")
        row = deciding.decide(self.db, row.id or 0, row.review_version, [wish], (), self.who)
        pages_of, _ = paper.now_of(self.db, row)
        document = paper.document(row.kind, pages_of, KINDS[row.kind].one_page)
        shown, _ = pages.printable(document)
        reader = pypdf.PdfReader(io.BytesIO(pages.pdf(shown)))
        text = " ".join(" ".join(p.extract_text() for p in reader.pages).split())
        at = clock_words(SIGNALS["oximetry"](2).recording, event.at_s)
        self.assertIn(f"{at} fall of 4 points left out turned over", text)
        self.assertNotIn("desaturation4@", text)


class OnePage(DatabaseTest):
    def test_the_one_page_report_of_every_kind_is_one_page_with_its_picture(self) -> None:
        person = self.person("Greta Lindqvist-Ofstad")
        settings.keep(self.db, "paper.name", "site", "", "Tarnfels mine and works clinic", 0)
        settings.keep(self.db, "paper.address", "site", "", "Shaft road 4\n9911 Tarnfels", 0)
        for key in KINDS:
            row = self.stored(krec.write_recording(made(key).recording), person)
            conclusions.conclude(self.db, row.id or 0, "Look again in a month. " * 12, self.who)
            row = conclusions.sign(self.db, row.id or 0, row.review_version, self.who)
            report = reports.issue(self.db, row.id or 0, reports.Options(KINDS[key].one_page), self.who)
            document = Document.model_validate(report.document)
            with self.subTest(kind=key):
                self.assertEqual(report.pages, 1)
                pictures = [p for p in document.parts if p.part == "picture"]
                self.assertTrue(pictures)
                self.assertIn("<svg", pictures[0].svg)


class Pictures(unittest.TestCase):
    def test_lanes_show_channels_readings_limits_and_what_was_left_out(self) -> None:
        for key in (key for key in PLAIN if not KINDS[key].own_parts):
            recording = made(key).recording
            kind = KINDS[key]
            both = assess(recording)
            [picture] = kind.report(
                recording, Review(left_out=(Stretch(10, 60, "x"),)), both, kind.limit_sets[0], ("lanes",)
            )
            lanes = lanes_of(kind, recording, both.reviewed)
            with self.subTest(kind=key):
                self.assertTrue(1 <= len(lanes) <= 6)
                for lane in lanes:
                    self.assertIn(f">{lane.channel.name}", picture.svg)
                    words = "; ".join(f"{line.value:.4g} {line.text}" for line in lane.lines if line.text)
                    self.assertIn(f">{words}<" if words else "<svg", picture.svg)
                self.assertIn("#f6f4ef", picture.svg, "the hatch of what was left out")
                self.assertNotIn("nan", picture.svg)
        pressure = made("blood_pressure").recording
        [bars, *_] = lanes_of(KINDS["blood_pressure"], pressure, assess(pressure).reviewed)
        ends = [(p.at_s, p.low, p.value) for p in bars.points]
        wanted = [(e.at_s, e.data["diastolic"], e.data["systolic"]) for e in pressure.events if "systolic" in e.data]
        self.assertEqual(ends, wanted)

    def test_every_reading_of_a_day_is_a_bar_with_square_ends_where_it_reaches_its_limit(self) -> None:
        recording, kind = made("blood_pressure").recording, KINDS["blood_pressure"]
        both = assess(recording)
        review = Review(left_out=(Stretch(3600, 7200, "x"),))
        [picture] = kind.report(recording, review, both, kind.limit_sets[0], ("lanes",))
        rows = both.reviewed.table("readings").rows
        valid = [r for r in rows if not math.isnan(float(r[2]))]
        shown = [r for r in valid if float(r[2]) < 260]  # an impossible one has an arrow for its upper end
        high = sum({"": 0, "both": 2}.get(str(r[7]), 1) for r in valid) - sum(1 for r in valid if r not in shown)
        self.assertEqual(picture.svg.count('fill="#ad3a1f"'), high)
        open_ends = 2 * len(shown) + (len(valid) - len(shown)) - high
        self.assertEqual(
            picture.svg.count("<circle"), 2 * open_ends + len(valid), "open ends, and a dot of the pulse each"
        )
        self.assertIn("#f6f4ef", picture.svg, "the hatch of what was left out")
        self.assertNotIn("nan", picture.svg)
        for words in (">activity<", ">mmHg<", ">pulse<", ">failed<", ">135<", ">85<", ">120<", ">70<"):
            self.assertIn(words, picture.svg)
